"""Colour: the subject's own colours in its edge."""
