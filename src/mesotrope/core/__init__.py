"""The trade's computation: pure functions and values. No I/O, clock, database or web."""
