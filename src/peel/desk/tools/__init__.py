"""The tools a hand can hold; each has one target, and says what a press will do."""
