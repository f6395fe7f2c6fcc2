"""Many photos: the assignment, its board, proposals, carrying, and runs by several workers."""
