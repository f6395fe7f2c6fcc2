"""desk."""
