"""Lay a cutout over a backing."""
