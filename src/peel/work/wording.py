"""How numbers are written for people."""

__all__ = ["grouped"]


def grouped(number: float) -> str:
    r"""Write a whole number with its thousands apart.

    >>> grouped(12345)
    '12\u2009345'
    """
    return f"{number:,.0f}".replace(",", "\u2009")
