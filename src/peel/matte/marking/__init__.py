"""Find and shape what a person marks: outlines, strokes, regions, boundaries, proposals."""
