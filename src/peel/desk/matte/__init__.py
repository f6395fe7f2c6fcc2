"""Matte: what was solved, its snags, repairs and edge profile."""
