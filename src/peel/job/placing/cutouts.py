"""Where cutouts lie on the sheet: their corners as numbers, and the edits that move, turn and order them.

A cutout's place is where the corners of its picture lie, in photo pixels. It is the whole of its transform: whatever
is done, in whatever order, is one homography, applied once to the original.
"""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final, Literal

import numpy as np
from numpy.typing import NDArray

from peel.errors import MarkError
from peel.job.assets import Asset
from peel.job.job import Job
from peel.job.settings import MOST_CUTOUTS, Corners, PlacedCutout, Point, is_placeable
from peel.matte.composite.homography import homography, mapped

__all__ = [
    "PlaceNumbers",
    "add_cutout",
    "copy_cutouts",
    "corners_of",
    "drop_cutouts",
    "map_cutouts",
    "matrix_of",
    "moving",
    "numbers_of",
    "own_corners",
    "put_cutouts",
    "reorder_cutouts",
    "send_home",
    "set_numbers",
    "size_of",
    "turning",
    "with_cutout",
]

_FITS: Final = 0.6  # of the photo, that a picture larger than it takes when it is added
_LEAST: Final = 1e-3  # of a scale
_TOO_MANY: Final = "There are as many cutouts on the sheet as Peel places."


@dataclass(frozen=True)
class PlaceNumbers:
    """A cutout's place as numbers; what is in perspective is described by its middle lines.

    Attributes
    ----------
    x, y : float
        By how much its middle is moved from its own place, in photo pixels.
    width, height : float
        Scales, 1 for its own size.
    turn_deg : float
        Clockwise.
    skew_deg : float
        By how much its sides lean.
    mirrored : bool
        Left to right.
    """

    x: float = 0.0
    y: float = 0.0
    width: float = 1.0
    height: float = 1.0
    turn_deg: float = 0.0
    skew_deg: float = 0.0
    mirrored: bool = False

    @property
    def linear(self) -> NDArray[Any]:
        """The 2 × 2 matrix of all but the move."""
        turn, skew = np.deg2rad(self.turn_deg), np.tan(np.deg2rad(self.skew_deg))
        turned = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
        across = -self.width if self.mirrored else self.width
        return np.asarray(turned @ np.array([[across, self.height * skew], [0.0, self.height]]))


def size_of(job: Job, cutout: PlacedCutout) -> tuple[int, int] | None:
    """Return the height and width of a cutout's picture; None if its picture is missing."""
    if cutout.source == "subject":
        return job.photo.height, job.photo.width
    asset = job.assets.get(cutout.source)
    return None if asset is None else (asset.height, asset.width)


def own_corners(job: Job, cutout: PlacedCutout) -> Corners:
    """Return a cutout's own place: the subject where it was photographed, others in the middle, no larger than fits."""
    height, width = size_of(job, cutout) or (1, 1)
    if cutout.source == "subject":
        return (0.0, 0.0), (float(width), 0.0), (float(width), float(height)), (0.0, float(height))
    fits = min(1.0, _FITS * job.photo.width / width, _FITS * job.photo.height / height)
    fits = max(fits, 2.0 / min(width, height))
    across, down = width * fits / 2, height * fits / 2
    x, y = job.photo.width / 2, job.photo.height / 2
    return (x - across, y - down), (x + across, y - down), (x + across, y + down), (x - across, y + down)


def corners_of(job: Job, cutout: PlacedCutout) -> Corners:
    """Return where the corners of a cutout's picture lie, in photo pixels."""
    return cutout.corners or own_corners(job, cutout)


def matrix_of(job: Job, cutout: PlacedCutout) -> NDArray[Any]:
    """Return the homography from a cutout's picture to photo pixels.

    A (3, 3) float64 ndarray.
    """
    height, width = size_of(job, cutout) or (1, 1)
    return homography(corners_of(job, cutout), height, width)


def numbers_of(job: Job, cutout: PlacedCutout) -> PlaceNumbers:
    """Describe a cutout's place."""
    corners, home = (np.array(found) for found in (corners_of(job, cutout), own_corners(job, cutout)))
    across = ((corners[1] - corners[0]) + (corners[2] - corners[3])) / 2
    down = ((corners[3] - corners[0]) + (corners[2] - corners[1])) / 2
    mirrored = bool(across[0] * down[1] - across[1] * down[0] < 0)
    along = (-across if mirrored else across) / max(float(np.hypot(*across)), 1e-9)
    beside = np.array([-along[1], along[0]])
    moved = corners.mean(axis=0) - home.mean(axis=0)
    rise = float(down @ beside)
    return PlaceNumbers(
        x=float(moved[0]),
        y=float(moved[1]),
        width=float(np.hypot(*across)) / float(np.hypot(*(home[1] - home[0]))),
        height=rise / float(np.hypot(*(home[3] - home[0]))),
        turn_deg=float(np.rad2deg(np.arctan2(along[1], along[0]))),
        skew_deg=float(np.rad2deg(np.arctan2(down @ along, rise))),
        mirrored=mirrored,
    )


def set_numbers(job: Job, number: int, pivot: Point, **changes: Any) -> Job:
    """Change a cutout's place by its numbers, keeping a point of the photo in place but for the move.

    Raises
    ------
    MarkError
        If it would be folded over or vanish.
    """
    cutout = job.settings.photo.cutouts[number]
    before = numbers_of(job, cutout)
    after = PlaceNumbers(**{**before.__dict__, **changes})
    if min(after.width, after.height) < _LEAST or abs(after.skew_deg) > 80:
        raise MarkError("A cutout cannot be made smaller than a few pixels.", "Give a larger scale.")
    change = after.linear @ np.linalg.inv(before.linear)
    turned = (np.array(corners_of(job, cutout)) - pivot) @ change.T + pivot
    shift = np.array([after.x - before.x, after.y - before.y])
    return put_cutouts(job, {number: turned + shift})


def moving(x: float, y: float) -> NDArray[Any]:
    """Return the homography that moves.

    A (3, 3) float64 ndarray.
    """
    return np.array([[1.0, 0.0, x], [0.0, 1.0, y], [0.0, 0.0, 1.0]])


def turning(about: Point, turn_deg: float = 0.0, across: float = 1.0, down: float = 1.0) -> NDArray[Any]:
    """Return the homography that scales and then turns about a point.

    A (3, 3) float64 ndarray; angles are in degrees, clockwise.
    """
    linear = PlaceNumbers(width=across, height=down, turn_deg=turn_deg).linear
    around = np.eye(3)
    around[:2, :2] = linear
    return moving(*about) @ around @ moving(-about[0], -about[1])


def map_cutouts(job: Job, numbers: Collection[int], matrix: NDArray[Any]) -> Job:
    """Take cutouts through a homography together.

    The homography is (3, 3), from photo pixels to photo pixels.

    Raises
    ------
    MarkError
        If one would be folded over or vanish.
    """
    cutouts = job.settings.photo.cutouts
    corners = {k: np.array(corners_of(job, cutouts[k])) for k in numbers if k < len(cutouts)}
    for points in corners.values():
        if (np.column_stack([points, np.ones(4)]) @ matrix[2] <= 1e-9).any():
            raise _folded()
    return put_cutouts(job, {k: mapped(matrix, points) for k, points in corners.items()})


def _folded() -> MarkError:
    return MarkError("A cutout cannot be folded over, or made smaller than a few pixels.", "Drag its corners apart.")


def put_cutouts(job: Job, places: Mapping[int, Any]) -> Job:
    """Put the corners of cutouts, by their numbers, to points (4, 2) of the photo's plane.

    Raises
    ------
    MarkError
        If one would be folded over or vanish.
    """
    cutouts = list(job.settings.photo.cutouts)
    for number, place in places.items():
        points = np.asarray(place, np.float64)
        if number >= len(cutouts):
            continue
        corners = tuple((float(x), float(y)) for x, y in points)
        assert len(corners) == 4
        if not np.isfinite(points).all() or np.abs(points).max() > 1e6 or not is_placeable(corners):
            raise _folded()
        home = np.array(own_corners(job, cutouts[number]))
        is_home = bool(np.abs(points - home).max() < 1e-6)
        cutouts[number] = cutouts[number].model_copy(update={"corners": None if is_home else corners})
    return _with(job, cutouts)


def _with(job: Job, cutouts: Sequence[PlacedCutout]) -> Job:
    return job.with_photo_settings(cutouts=tuple(cutouts))


def with_cutout(job: Job, number: int, **changes: Any) -> Job:
    """Change what is not a cutout's place: whether it is hidden, casts a shadow, its name, its grade."""
    cutouts = list(job.settings.photo.cutouts)
    if not 0 <= number < len(cutouts):
        return job
    cutouts[number] = PlacedCutout.model_validate({**dict(cutouts[number]), **changes})
    return _with(job, cutouts)


def send_home(job: Job, numbers: Collection[int]) -> Job:
    """Put cutouts back to their own places."""
    return _changed(job, lambda k, cutout: cutout.model_copy(update={"corners": None}) if k in numbers else cutout)


def _changed(job: Job, change: Callable[[int, PlacedCutout], PlacedCutout]) -> Job:
    return _with(job, [change(k, cutout) for k, cutout in enumerate(job.settings.photo.cutouts)])


def add_cutout(job: Job, asset: Asset) -> Job:
    """Place a picture with alpha on top of the others.

    Raises
    ------
    MarkError
        If there are too many.
    """
    cutouts = job.settings.photo.cutouts
    if len(cutouts) >= MOST_CUTOUTS:
        raise MarkError(_TOO_MANY, "Remove one first.")
    placed = PlacedCutout(source=asset.digest, name=asset.name[:200])
    return _with(job.with_asset(asset), (*cutouts, placed))


def copy_cutouts(job: Job, numbers: Collection[int]) -> Job:
    """Place copies of cutouts on top of the others, a little to the right.

    Raises
    ------
    MarkError
        If there are too many.
    """
    cutouts = job.settings.photo.cutouts
    chosen = [cutouts[k] for k in sorted(numbers) if k < len(cutouts)]
    if len(cutouts) + len(chosen) > MOST_CUTOUTS:
        raise MarkError(_TOO_MANY, "Remove one first.")
    job = _with(job, (*cutouts, *chosen))
    copies = range(len(cutouts), len(cutouts) + len(chosen))
    return map_cutouts(job, copies, moving(0.12 * job.photo.width, 0.0))


def drop_cutouts(job: Job, numbers: Collection[int]) -> Job:
    """Take cutouts off the sheet; the matte and the photo stay as they are."""
    return _with(job, [own for k, own in enumerate(job.settings.photo.cutouts) if k not in numbers])


def reorder_cutouts(job: Job, number: int, way: Literal["up", "down", "top", "bottom"]) -> tuple[Job, int]:
    """Put a cutout before or behind others; return the job, and its number then."""
    cutouts = list(job.settings.photo.cutouts)
    to = {"up": number + 1, "down": number - 1, "top": len(cutouts) - 1, "bottom": 0}[way]
    to = min(max(to, 0), len(cutouts) - 1)
    moved = cutouts.pop(number)
    cutouts.insert(to, moved)
    return _with(job, cutouts), to
