"""files."""
