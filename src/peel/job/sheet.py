"""The sheet: the picture that is delivered flat, with a backing and the cutouts that stand on it."""

from dataclasses import dataclass
from typing import Final
from weakref import WeakKeyDictionary

import numpy as np

from peel.job.job import MATTE_ONE, Job
from peel.job.plane import Tile
from peel.job.settings import Backing, SheetFrame
from peel.job.space import Space

__all__ = ["MOST_SIDE", "Placement", "Sheet", "sheet_of"]

MOST_SIDE: Final = 30_000
"""Pixels of the longest side of a sheet; a larger one is cut there."""

_SOME: Final = MATTE_ONE // 50  # alpha from which something belongs to the subject's box


@dataclass(frozen=True, eq=False)
class Placement:
    """A cutout on a sheet.

    Attributes
    ----------
    job : Job
        Whose subject it is.
    top, left : int
        Where the photo's first pixel lies, in pixels of the sheet.
    """

    job: Job
    top: int = 0
    left: int = 0


@dataclass(frozen=True, eq=False)
class Sheet:
    """A backing and the cutouts on it, the lowest first.

    Attributes
    ----------
    space : Space
    backing : Backing
    cutouts : tuple of Placement
    """

    space: Space
    backing: Backing
    cutouts: tuple[Placement, ...]

    def to_photo(self, x: float, y: float) -> tuple[float, float]:
        """Return the point of the first cutout's photo under a point of the sheet."""
        first = self.cutouts[0]
        return x - first.left, y - first.top

    def from_photo(self, x: float, y: float) -> tuple[float, float]:
        """Return the point of the sheet on which a point of the first cutout's photo lies."""
        first = self.cutouts[0]
        return x + first.left, y + first.top


def sheet_of(job: Job) -> Sheet:
    """Return the sheet of a job, framed as its recipe says, with the cutout at its own place."""
    found = _sheets.get(job)
    if found is None:
        top, left, bottom, right = _framed(job)
        space = Space(bottom - top, right - left, job.photo.profile)
        found = _sheets[job] = Sheet(space, job.settings.recipe.backing, (Placement(job, -top, -left),))
    return found


_sheets: WeakKeyDictionary[Job, Sheet] = WeakKeyDictionary()


def _framed(job: Job) -> tuple[int, int, int, int]:
    """Return the sheet's top, left, bottom and right in photo pixels; it is never empty, nor larger than allowed."""
    frame = job.settings.recipe.frame
    top, left, bottom, right = (0, 0, job.photo.height, job.photo.width)
    if frame == SheetFrame():
        return top, left, bottom, right
    if frame.around == "subject":
        top, left, bottom, right = _subject_box(job)
    unit = max(bottom - top, right - left) / 100 if frame.unit == "%" else 1.0
    sides = [top - frame.top * unit, left - frame.left * unit, bottom + frame.bottom * unit, right + frame.right * unit]
    for low, high in ((0, 2), (1, 3)):
        if sides[high] - sides[low] < 1:
            middle = (sides[high] + sides[low]) / 2
            sides[low], sides[high] = middle - 0.5, middle + 0.5
    height, width = sides[2] - sides[0], sides[3] - sides[1]
    if frame.aspect is not None:
        wider, higher = max(height * frame.aspect - width, 0) / 2, max(width / frame.aspect - height, 0) / 2
        sides = [sides[0] - higher, sides[1] - wider, sides[2] + higher, sides[3] + wider]
    top, left = (round(side) for side in sides[:2])
    height, width = (max(1, min(round(sides[k + 2] - sides[k]), MOST_SIDE)) for k in range(2))
    return top, left, top + height, left + width


_boxes: WeakKeyDictionary[Tile, tuple[int, int, int, int] | None] = WeakKeyDictionary()


def _subject_box(job: Job) -> tuple[int, int, int, int]:
    """Return the box around all that is not clear in the solved matte; the whole photo where nothing is.

    The box of each tile is found once: this is asked for on the window's thread.
    """
    found = []
    for number, tile in enumerate(job.matte.tiles):
        if tile.constant == 0:
            continue
        if tile not in _boxes:
            _boxes[tile] = _tile_box(tile)
        box, place = _boxes[tile], job.matte.tile_rect(number)
        if box is not None:
            found.append((place.top + box[0], place.left + box[1], place.top + box[2], place.left + box[3]))
    if not found:
        return job.photo.bounds.as_tuple
    tops, lefts, bottoms, rights = zip(*found, strict=True)
    return min(tops), min(lefts), max(bottoms), max(rights)


def _tile_box(tile: Tile) -> tuple[int, int, int, int] | None:
    some = np.asarray(tile.values) > _SOME
    if not some.any():
        return None
    rows, columns = np.flatnonzero(some.any(axis=1)), np.flatnonzero(some.any(axis=0))
    return int(rows[0]), int(columns[0]), int(rows[-1]) + 1, int(columns[-1]) + 1
