"""A second frame of a photo: what it is, how it lies over the photo, and what it says of the matte."""
