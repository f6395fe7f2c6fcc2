"""How numbers and choices are written for people."""

from peel.job.settings import Backing

__all__ = ["backing_words", "grouped"]


def backing_words(backing: Backing, *, nothing: str = "nothing") -> str:
    """Name a backing in a few words."""
    if backing.kind == "colour":
        return backing.colour
    return {"gradient": "a gradient", "pattern": "a pattern", "photo": "a photo"}.get(backing.kind, nothing)


def grouped(number: float) -> str:
    r"""Write a whole number with its thousands apart.

    >>> grouped(12345)
    '12\u2009345'
    """
    return f"{number:,.0f}".replace(",", "\u2009")
