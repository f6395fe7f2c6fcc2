"""The kinds of edge."""

from enum import IntEnum

__all__ = ["Kind"]


class Kind(IntEnum):
    """What a stretch of edge is."""

    HARD = 1
    SOFT = 2
    STRAND = 3
    LACY = 4
    SHEER = 5
