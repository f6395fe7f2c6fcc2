"""The sheet: the picture that is delivered flat, with a backing and the cutouts that stand on it."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any, Final
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from peel.job.assets import Asset
from peel.job.job import MATTE_ONE, Job
from peel.job.placing.cutouts import corners_of, size_of
from peel.job.plane import Plane, Tile
from peel.job.settings import MOST_SIDE, Backing, Corners, Grade, PlacedCutout, SheetFrame
from peel.job.space import Space
from peel.matte.composite.homography import homography

__all__ = ["MOST_SIDE", "Placement", "Sheet", "sheet_of", "subject_box"]

_SOME: Final = MATTE_ONE // 50  # alpha from which something belongs to the subject's box
_WHOLE: Final = 1e-4  # pixels from a whole number that are no part of a place


@dataclass(frozen=True, eq=False)
class Placement:
    """A cutout on a sheet.

    Attributes
    ----------
    job : Job
        Whose subject it is, or whose assets hold its picture.
    asset : Asset or None
        The picture; None for the subject.
    size : (int, int)
        Height and width of the picture.
    corners : Corners
        Where its corners lie, in pixels of the sheet.
    grade : Grade
    casts : bool
    """

    job: Job
    asset: Asset | None
    size: tuple[int, int]
    corners: Corners
    grade: Grade
    casts: bool

    @cached_property
    def matrix(self) -> NDArray[Any]:
        """The homography from its picture to the sheet.

        A (3, 3) float64 ndarray.
        """
        return homography(self.corners, *self.size)

    @cached_property
    def whole_move(self) -> tuple[int, int] | None:
        """How far down and right it was moved, if by whole pixels and nothing else."""
        x, y = self.corners[0]
        height, width = self.size
        as_is = np.array([(x, y), (x + width, y), (x + width, y + height), (x, y + height)])
        if np.abs(as_is - self.corners).max() > _WHOLE or max(abs(x - round(x)), abs(y - round(y))) > _WHOLE:
            return None
        return round(y), round(x)


@dataclass(frozen=True, eq=False)
class Sheet:
    """A backing and the cutouts on it, the lowest first.

    Attributes
    ----------
    job : Job
        Whose sheet it is.
    space : Space
    backing : Backing
    cutouts : tuple of Placement
    top, left : int
        Where the photo's first pixel lies at the photo's own place, in pixels of the sheet.
    """

    job: Job
    space: Space
    backing: Backing
    cutouts: tuple[Placement, ...]
    top: int = 0
    left: int = 0

    def to_photo(self, x: float, y: float) -> tuple[float, float]:
        """Return the photo's point that lies under a point of the sheet, the photo being at its own place."""
        return x - self.left, y - self.top

    def from_photo(self, x: float, y: float) -> tuple[float, float]:
        """Return the point of the sheet on which a photo's point lies, the photo being at its own place."""
        return x + self.left, y + self.top


def sheet_of(job: Job) -> Sheet:
    """Return the sheet of a job, framed as its recipe says, with the cutouts that are arranged on it."""
    top, left, bottom, right = _framed(job)
    space = Space(bottom - top, right - left, job.photo.profile)
    placed = (_placement(job, cutout, -top, -left) for cutout in job.settings.photo.cutouts)
    cutouts = tuple(placement for placement in placed if placement is not None)
    return Sheet(job, space, job.settings.recipe.backing, cutouts, -top, -left)


def _placement(job: Job, cutout: PlacedCutout, top: int, left: int) -> Placement | None:
    """Return where a cutout lies; None if it is hidden, or its picture was damaged."""
    size = size_of(job, cutout)
    if cutout.hidden or size is None:
        return None
    tl, tr, br, bl = ((x + left, y + top) for x, y in corners_of(job, cutout))
    is_subject = cutout.source == "subject"
    grade = cutout.grade or (job.settings.recipe.subject if is_subject else Grade())
    asset = None if is_subject else job.assets[cutout.source]
    return Placement(job, asset, size, (tl, tr, br, bl), grade, cutout.casts)


def _framed(job: Job) -> tuple[int, int, int, int]:
    """Return the sheet's top, left, bottom and right in photo pixels; it is never empty, nor larger than allowed."""
    frame = job.settings.recipe.frame
    top, left, bottom, right = (0, 0, job.photo.height, job.photo.width)
    if frame == SheetFrame():
        return top, left, bottom, right
    if frame.around == "subject":
        top, left, bottom, right = subject_box(job)
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
    sides = _sized(job, frame, sides)
    top, left = (round(side) for side in sides[:2])
    height, width = (max(1, min(round(sides[k + 2] - sides[k]), MOST_SIDE)) for k in range(2))
    return top, left, top + height, left + width


def _sized(job: Job, frame: SheetFrame, sides: list[float]) -> list[float]:
    """Give the sheet the size that is asked for, and put the subject in its middle where that is asked for."""
    middle = [(sides[0] + sides[2]) / 2, (sides[1] + sides[3]) / 2]
    size = [sides[2] - sides[0], sides[3] - sides[1]]
    if frame.size is not None:
        size = [float(frame.size[1]), float(frame.size[0])]
    if frame.centred:
        top, left, bottom, right = subject_box(job)
        middle = [(top + bottom) / 2, (left + right) / 2]
    top, left = (round(middle[k] - size[k] / 2) for k in range(2))
    if frame.size is None and not frame.centred:
        return sides
    return [top, left, top + size[0], left + size[1]]


_Box = tuple[int, int, int, int]
_boxes: WeakKeyDictionary[Tile, _Box | None] = WeakKeyDictionary()
_whole_boxes: WeakKeyDictionary[Plane, _Box | None] = WeakKeyDictionary()


def subject_box(job: Job) -> tuple[int, int, int, int]:
    """Return the box around all that is not clear in the solved matte; the whole photo where nothing is.

    The box of each tile and each matte is found once: this is asked for on the window's thread.
    """
    if job.matte not in _whole_boxes:
        _whole_boxes[job.matte] = _plane_box(job.matte)
    return _whole_boxes[job.matte] or job.photo.bounds.as_tuple


def _plane_box(matte: Plane) -> _Box | None:
    found = []
    for number, tile in enumerate(matte.tiles):
        if tile.constant == 0:
            continue
        if tile not in _boxes:
            _boxes[tile] = _tile_box(tile)
        box, place = _boxes[tile], matte.tile_rect(number)
        if box is not None:
            found.append((place.top + box[0], place.left + box[1], place.top + box[2], place.left + box[3]))
    if not found:
        return None
    tops, lefts, bottoms, rights = zip(*found, strict=True)
    return min(tops), min(lefts), max(bottoms), max(rights)


def _tile_box(tile: Tile) -> _Box | None:
    some = np.asarray(tile.values) > _SOME
    if not some.any():
        return None
    rows, columns = np.flatnonzero(some.any(axis=1)), np.flatnonzero(some.any(axis=0))
    return int(rows[0]), int(columns[0]), int(rows[-1]) + 1, int(columns[-1]) + 1
