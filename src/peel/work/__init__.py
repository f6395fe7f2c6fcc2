"""work."""
