"""How large a picture may be."""

from typing import Final

from peel.errors import PhotoError

__all__ = ["MAX_MEGAPIXELS", "check_size"]

MAX_MEGAPIXELS: Final = 150


def check_size(size: tuple[int, int], name: str) -> None:
    """Refuse a picture (width, height) that is too large to work on, or too small to have an edge.

    Raises
    ------
    PhotoError
    """
    width, height = size
    if width * height > MAX_MEGAPIXELS * 1_000_000:
        size_words = f"{width} × {height} pixels ({width * height / 1e6:.0f} MP)"
        message = f"{name} is {size_words}; Peel works up to {MAX_MEGAPIXELS} MP."
        raise PhotoError(message, "Make a smaller copy and open that.")
    if min(width, height) < 3:
        message = f"{name} is {width} × {height} pixels, too small to have an edge to cut."
        raise PhotoError(message, "Open a picture of at least 3 × 3 pixels.")
