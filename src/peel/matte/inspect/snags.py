"""Snags: what a person is led to, each one fault or several of a sort that lie together."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import Enum
from functools import cached_property
from typing import Final

import numpy as np

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.inspect.faults import Find
from peel.matte.inspect.sorts import SnagSort
from peel.matte.inspect.visible import Shown

__all__ = ["Severity", "Snag", "framed", "gathered"]

_TOGETHER_PX: Final = 60.0  # faults of a sort nearer to each other than this are one snag
_MOST: Final = 6  # snags of a sort; with more, faults farther apart are taken together
_FRAME_SOLID: Final = 0.5
_FRAME_LEAST: Final = 8  # pixels along the frame


class Severity(Enum):
    """How much a snag matters."""

    SLIGHT = "slight"
    PLAIN = "plain"
    GRAVE = "grave"

    @property
    def rank(self) -> int:
        """0 for the slightest."""
        return list(Severity).index(self)


_PLAIN: Final = 2.5  # times the least size from which a snag is plain, and grave
_GRAVE: Final = 12.0


@dataclass(frozen=True, eq=False)
class Snag:
    """Something that is probably wrong with a matte.

    Attributes
    ----------
    sort : SnagSort
    finds : tuple of Find
        Its faults, the largest first.
    severity : Severity
        By how many times it exceeds the size from which it counts, or how far it shows once that is known.
    shown : Shown
        Where it shows.
    doubt : str
        Why it may well be right as it is, in words; empty if nothing speaks for that.
    """

    sort: SnagSort
    finds: tuple[Find, ...]
    severity: Severity
    shown: Shown = field(default_factory=Shown)
    doubt: str = ""

    @property
    def counts(self) -> bool:
        """Whether it will show, and nothing speaks for leaving it."""
        return bool(self.shown.on) and not self.doubt

    @cached_property
    def size(self) -> float:
        """By how many solid pixels the matte is off."""
        return sum(find.size for find in self.finds)

    @cached_property
    def box(self) -> tuple[int, int, int, int]:
        """Top, left, bottom and right (exclusive) of all its faults."""
        tops, lefts, bottoms, rights = zip(*(find.box for find in self.finds), strict=True)
        return min(tops), min(lefts), max(bottoms), max(rights)

    @cached_property
    def at(self) -> tuple[float, float]:
        """A pixel of its largest fault, x and y, as near to the middle of it as there is one."""
        find = self.finds[0]
        rows, columns = np.nonzero(find.mask)
        nearest = np.argmin((rows - rows.mean()) ** 2 + (columns - columns.mean()) ** 2)
        return float(find.left + columns[nearest] + 0.5), float(find.top + rows[nearest] + 0.5)

    def mask(self) -> BoolArray:
        """Return its pixels within its box.

        (h, w) bool.
        """
        top, left, bottom, right = self.box
        out = np.zeros((bottom - top, right - left), bool)
        for find in self.finds:
            y, x = find.top - top, find.left - left
            out[y : y + find.mask.shape[0], x : x + find.mask.shape[1]] |= find.mask
        return out


def gathered(finds: Iterable[Find], least: Mapping[SnagSort, float]) -> list[Snag]:
    """Take faults of a sort that lie together for one snag; the gravest first.

    Parameters
    ----------
    finds : iterable of Find
    least : mapping of SnagSort to float
        Size from which a snag counts; a sort that is not in it is not looked at.
    """
    by_sort: dict[SnagSort, list[Find]] = {}
    for find in finds:
        if find.sort in least:
            by_sort.setdefault(find.sort, []).append(find)
    snags = [snag for sort, own in by_sort.items() for snag in _gathered_sort(sort, own, least[sort])]
    return sorted(snags, key=lambda snag: (-snag.severity.rank, -snag.size / max(least[snag.sort], 1e-3)))


def _gathered_sort(sort: SnagSort, finds: Sequence[Find], least: float) -> list[Snag]:
    ordered = sorted(finds, key=lambda find: -find.size)
    apart = np.inf if sort in {SnagSort.FRAME, SnagSort.SPREAD} else _TOGETHER_PX
    while True:
        groups = [group for group in _groups(ordered, apart) if sum(find.size for find in group) >= least]
        if len(groups) <= _MOST:
            return [Snag(sort, tuple(group), _severity(sort, group, least)) for group in groups]
        apart *= 1.6


def _groups(ordered: Sequence[Find], apart: float) -> list[list[Find]]:
    """Gather around the largest fault what lies within a distance of it, then around the largest of the rest."""
    boxes = np.array([find.box for find in ordered], np.float64)
    left = np.ones(len(ordered), bool)
    groups = []
    for first in range(len(ordered)):
        if left[first]:
            top_left = np.maximum(boxes[first, :2] - boxes[:, 2:], boxes[:, :2] - boxes[first, 2:])
            near = left & (np.hypot(*np.maximum(top_left, 0).T) <= apart)
            groups.append([ordered[int(number)] for number in np.flatnonzero(near)])
            left &= ~near
    return groups


def _severity(sort: SnagSort, finds: Sequence[Find], least: float) -> Severity:
    if sort is SnagSort.FRAME:
        return Severity.SLIGHT  # often meant
    times = sum(find.size for find in finds) / max(least, 1e-3)
    return Severity.GRAVE if times >= _GRAVE else Severity.PLAIN if times >= _PLAIN else Severity.SLIGHT


def framed(top: FloatArray, bottom: FloatArray, left: FloatArray, right: FloatArray) -> list[Find]:
    """Find where the subject touches the frame, from the matte along its four sides: one fault for each stretch.

    Each side is (N,) float32 in [0, 1].
    """
    height, width = len(left), len(top)
    finds = []
    for side, line in enumerate((top, bottom, left, right)):
        solid = np.concatenate([[False], line > _FRAME_SOLID, [False]])
        starts, ends = np.flatnonzero(~solid[:-1] & solid[1:]), np.flatnonzero(solid[:-1] & ~solid[1:])
        for start, end in zip(starts, ends, strict=True):
            if end - start >= _FRAME_LEAST:
                is_row, far = side < 2, side % 2
                row = far * (height - 1) if is_row else int(start)
                column = int(start) if is_row else far * (width - 1)
                mask = np.ones((1, end - start) if is_row else (end - start, 1), bool)
                finds.append(Find(SnagSort.FRAME, row, column, mask, float(end - start), mask.astype(np.float16)))
    return finds
