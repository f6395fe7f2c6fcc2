"""The numeric heart: pure functions on arrays. It knows no files, no job and no Qt."""
