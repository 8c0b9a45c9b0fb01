"""Learning from what was found: counts beside the expert's tables, which are their prior."""
