"""The bench: simulated instruments that ship with the product, and the port that real ones use."""
