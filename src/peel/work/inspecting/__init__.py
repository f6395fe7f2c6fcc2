"""Inspect and measure what was cut: snags, fringe, shares, the edge unrolled."""
