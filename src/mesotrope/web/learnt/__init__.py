"""The room of what was learnt: rows beside the expert's, whether it is better, versions and the chain."""
