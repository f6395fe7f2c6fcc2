"""Rectangles of pixels."""

from collections.abc import Iterable
from dataclasses import dataclass

__all__ = ["Rect"]


@dataclass(frozen=True, slots=True)
class Rect:
    """A window of a picture; `bottom` and `right` are exclusive. Units are pixels.

    Examples
    --------
    >>> Rect(0, 0, 4, 6).intersection(Rect(2, 3, 9, 9))
    Rect(top=2, left=3, bottom=4, right=6)
    """

    top: int
    left: int
    bottom: int
    right: int

    @property
    def height(self) -> int:
        """Rows covered."""
        return max(0, self.bottom - self.top)

    @property
    def width(self) -> int:
        """Columns covered."""
        return max(0, self.right - self.left)

    @property
    def is_empty(self) -> bool:
        """Whether it covers no pixel."""
        return self.height == 0 or self.width == 0

    @property
    def slices(self) -> tuple[slice, slice]:
        """Index for an array of the whole picture."""
        return slice(self.top, self.bottom), slice(self.left, self.right)

    @property
    def as_tuple(self) -> tuple[int, int, int, int]:
        """Top, left, bottom, right."""
        return self.top, self.left, self.bottom, self.right

    def grown(self, by: int) -> "Rect":
        """Reach `by` pixels further on every side."""
        return Rect(self.top - by, self.left - by, self.bottom + by, self.right + by)

    def moved(self, down: int, right: int) -> "Rect":
        """Shift by whole pixels."""
        return Rect(self.top + down, self.left + right, self.bottom + down, self.right + right)

    def intersection(self, other: "Rect") -> "Rect":
        """Return what both cover; may be empty."""
        return Rect(
            max(self.top, other.top),
            max(self.left, other.left),
            min(self.bottom, other.bottom),
            min(self.right, other.right),
        )

    def union(self, other: "Rect") -> "Rect":
        """Return the smallest rectangle around both; an empty one adds nothing."""
        if self.is_empty or other.is_empty:
            return other if self.is_empty else self
        return Rect(
            min(self.top, other.top),
            min(self.left, other.left),
            max(self.bottom, other.bottom),
            max(self.right, other.right),
        )

    def within(self, outer: "Rect") -> tuple[slice, slice]:
        """Index for an array that holds `outer`."""
        rows = slice(self.top - outer.top, self.bottom - outer.top)
        return rows, slice(self.left - outer.left, self.right - outer.left)

    @staticmethod
    def around(rects: Iterable["Rect"]) -> "Rect":
        """Return the smallest rectangle around all; empty for none."""
        total = Rect(0, 0, 0, 0)
        for rect in rects:
            total = total.union(rect)
        return total
