"""The subject's own colours in half-clear pixels."""
