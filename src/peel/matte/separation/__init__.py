"""Separation: a rendering of the photo in which subject and backdrop differ at the edge; for the computation only."""
