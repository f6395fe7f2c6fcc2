"""matte."""
