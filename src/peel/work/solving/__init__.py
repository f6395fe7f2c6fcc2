"""Solve what the edits left unsolved, solve again in other ways, repair by one press."""
