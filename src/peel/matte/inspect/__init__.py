"""Measure a matte and its colours against a reference."""
