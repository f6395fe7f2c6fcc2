"""Backing: what cutouts stand on, where they stand, and what they cast."""
