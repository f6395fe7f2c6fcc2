"""Spaces of pixels: the photo is one, the sheet that is delivered another."""

from dataclasses import dataclass

from peel.job.rect import Rect

__all__ = ["Space", "level_size"]


def level_size(height: int, width: int, level: int) -> tuple[int, int]:
    """Return the size of a picture at a pyramid level.

    >>> level_size(5, 8, 1)
    (3, 4)
    """
    step = 1 << level
    return -(-height // step), -(-width // step)


@dataclass(frozen=True)
class Space:
    """A rectangle of pixels with a colour profile; views, cursors and strips say which one they are in.

    Attributes
    ----------
    height, width : int
        Pixels at level 0.
    profile : bytes or None
        The ICC profile of its colours; None means sRGB.
    """

    height: int
    width: int
    profile: bytes | None = None

    def bounds(self, level: int = 0) -> Rect:
        """Return the whole space at a pyramid level."""
        return Rect(0, 0, *level_size(self.height, self.width, level))

    def covered(self, rect: Rect, level: int) -> Rect:
        """Return the pixels of level 0 under a window of a level."""
        step = 1 << level
        full = Rect(rect.top * step, rect.left * step, rect.bottom * step, rect.right * step)
        return full.intersection(self.bounds())

    def around(self, rect: Rect, level: int, reach: int) -> Rect:
        """Return a window of a level grown by pixels of the level on each side, as far as the space goes."""
        return rect.grown(reach).intersection(self.bounds(level))

    def level_within(self, longest_px: int) -> int:
        """Return the finest level whose sides are no longer than this.

        >>> Space(3000, 2000).level_within(800)
        2
        """
        level = 0
        while max(self.bounds(level).height, self.bounds(level).width) > longest_px:
            level += 1
        return level
