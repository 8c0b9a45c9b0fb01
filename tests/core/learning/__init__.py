"""Learning from what was found."""
