"""A second frame of a photo: the set without its subject, or the same subject before another backdrop."""
