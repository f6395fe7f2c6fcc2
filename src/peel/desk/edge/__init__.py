"""Edge: the unsure band, the kinds of edge, and separations."""
