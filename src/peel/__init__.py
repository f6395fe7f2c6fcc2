"""Peel: cut a photograph's subject from its backdrop as a clean alpha matte."""

__all__ = ["__version__"]

__version__ = "0.1.0"
