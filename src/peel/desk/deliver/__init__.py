"""Deliver: what is left to be mended, presets, and files written."""
