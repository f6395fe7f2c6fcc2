"""Follow one strand of hair, a whisker or a wire through a photo: from a press to its root and to its tip.

At each step many guesses go on in many directions; one gains where the line that it follows stands out, in its own
colour, from what lies beside it. So gaps and crossings are gone over, and the best guess wins as a whole.

References
----------
.. [1] D. Geman, B. Jedynak, "An active testing model for tracking roads in satellite images", IEEE Transactions on
   Pattern Analysis and Machine Intelligence 18(1), 1996, pp. 1-14, on following a line against what is usual beside it.
   :doi:`10.1109/34.476006`
"""

from dataclasses import dataclass
from typing import Final

import numpy as np
import numpy.typing as npt

from peel.matte.arrays import ByteArray
from peel.matte.marking.strand_kernels import centre, follow, most_along, stands_out

__all__ = ["Trace", "trace_strand", "trace_through"]

_SIDES: Final = np.array(
    [2.4, 4.0, 7.0]
)  # how far beside a strand the backdrop is looked at: for widths of 1 to 8 pixels
_REACH_PX: Final = 5  # around a press, within which a strand is looked for
_FLOOR: Final = 0.006  # of what is usual beside a strand: the grain of a photo
_FAINTEST: Final = 0.02  # difference in colour from which a press is on anything
_STEP_PX: Final = 2.5
_MOST_STEPS: Final = 1600
_SHORTEST: Final = 4  # steps
_LONG: Final = 10  # ... from which no other start is tried
_STARTS: Final = 6

Points = npt.NDArray[np.float64]
Picture = npt.NDArray[np.uint8] | npt.NDArray[np.uint16]


@dataclass(frozen=True, eq=False)
class Trace:
    """A strand that was followed.

    Attributes
    ----------
    points : (N, 2) float64 ndarray
        x and y, from the end that is nearer to the press, or first in the path, to the other.
    side_px : float
        How far beside it the backdrop was looked at.
    """

    points: Points
    side_px: float


def trace_strand(image: Picture, zone: ByteArray, at: tuple[float, float]) -> Trace | None:
    """Follow a strand both ways from a press, as far as it goes in the image; None if there is none.

    Parameters
    ----------
    image : (H, W, 3) uint8 or uint16 ndarray
        As it is encoded; it is read near the strand only.
    zone : (H, W) uint8 ndarray
        2 where the subject is certain, 1 where the strand is not wanted to go, 0 elsewhere.
    at : (float, float)
        x and y of the press, in pixels of the image.
    """
    ways: list[Points] = []
    y = x = side = 0.0
    for start in _starts(image, zone, at):
        both = _both_ways(image, zone, start)
        if sum(map(len, both)) > sum(map(len, ways)):
            ways, (y, x, side) = both, (start.y, start.x, start.side)
        if sum(map(len, ways)) >= _LONG:
            break
    if sum(map(len, ways)) < _SHORTEST:
        return None
    rows = np.concatenate([ways[1][::-1], [[y, x]], ways[0]])
    if np.hypot(*(rows[0] - [at[1], at[0]])) > np.hypot(*(rows[-1] - [at[1], at[0]])):
        rows = rows[::-1]
    return _centred(image, rows, side)


def trace_through(image: Picture, points: Points) -> Trace:
    """Return the strand that is next to a path.

    Parameters
    ----------
    image : (H, W, 3) uint8 or uint16 ndarray
    points : (N, 2) float64 ndarray
        x and y, two or more, from the root on.
    """
    steps = np.hypot(*np.diff(points, axis=0).T)
    way = np.concatenate([[0], np.cumsum(steps)])
    at = np.linspace(0, way[-1], max(int(way[-1] / _STEP_PX) + 1, 2))
    rows = np.stack([np.interp(at, way, points[:, k]) for k in (1, 0)], axis=1)
    tangent = np.gradient(rows, axis=0)
    tangent /= np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
    side = max(_SIDES.tolist(), key=lambda tried: most_along(image, _unit(image), rows, tangent, tried))
    once = _centred(image, rows, side).points[:, ::-1]
    return _centred(image, once, side)  # a path by hand may lie farther off than is looked across at once


def _centred(image: Picture, rows: Points, side: float) -> Trace:
    """Move a path, by rows and columns, to the middle of the strand."""
    even = np.empty(rows.shape)
    centre(image, _unit(image), np.ascontiguousarray(rows), side, even)
    return Trace(_smoothed(even)[:, ::-1].copy(), side)


def _unit(image: Picture) -> float:
    """Return what a value of 1 stands for."""
    return 1 / float(np.iinfo(image.dtype).max)


def _smoothed(rows: Points) -> Points:
    """Even a path out over five places; its ends stay."""
    if len(rows) < 5:
        return rows
    padded = np.concatenate([rows[:1], rows[:1], rows, rows[-1:], rows[-1:]])
    weights = np.array([1, 2, 3, 2, 1]) / 9
    even = np.sum([weights[k] * padded[k : k + len(rows)] for k in range(5)], axis=0)
    even[0], even[-1] = rows[0], rows[-1]
    return np.asarray(even, np.float64)


@dataclass(frozen=True, eq=False)
class _Start:
    """Where a strand stands out next to a press: place, direction, how far beside it that is seen, and its colour."""

    y: float
    x: float
    sy: float
    sx: float
    side: float
    colour: Points
    found: float


def _both_ways(image: Picture, zone: ByteArray, start: _Start) -> list[Points]:
    ways = []
    for sign in (1.0, -1.0):
        path = np.empty((_MOST_STEPS, 3), np.float64)
        along = sign * start.sy, sign * start.sx
        count = follow(
            image, _unit(image), zone, start.y, start.x, *along, start.side, start.colour, _FLOOR, _MOST_STEPS, path
        )
        ways.append(path[:count, :2])
    return ways


def _starts(image: Picture, zone: ByteArray, at: tuple[float, float]) -> list[_Start]:
    """List places near a press at which something thin stands out, the surest first."""
    found, unit, best = [], _unit(image), np.empty(10)
    for dy in range(-_REACH_PX, _REACH_PX + 1):
        for dx in range(-_REACH_PX, _REACH_PX + 1):
            y, x = at[1] + dy, at[0] + dx
            if not (3 <= y < zone.shape[0] - 3 and 3 <= x < zone.shape[1] - 3) or zone[int(y), int(x)] == 2:
                continue
            nearness = (0.3 if zone[int(y), int(x)] else 1.0) / (1 + 0.04 * (dx * dx + dy * dy))
            stands_out(image, unit, y, x, _SIDES, best)
            most, sy, sx, side = best[:4].tolist()
            found.append(_Start(y, x, sy, sx, side, best[4:].copy(), most * nearness))
    found = sorted((own for own in found if own.found > _FAINTEST), key=lambda own: -own.found)
    apart: list[_Start] = []
    for own in found:
        if all(abs(own.y - other.y) + abs(own.x - other.x) > 2 for other in apart):
            apart.append(own)
        if len(apart) == _STARTS:
            break
    return apart
