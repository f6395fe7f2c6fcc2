"""Separations: renderings that tell subject from backdrop, found, chosen and used by the solve."""
