"""The zones, and the unsure band around a marked boundary."""
