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

from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.marking.strand_kernels import centre, follow, response_at

__all__ = ["Trace", "trace_strand"]

_SIDES: Final = (2.4, 4.0, 7.0)  # how far beside a strand the backdrop is looked at: for widths of 1 to 8 pixels
_REACH_PX: Final = 5  # around a press, within which a strand is looked for
_WIDER: Final = 0.05  # less for each pixel that the backdrop is looked at farther away
_ANGLES: Final = 24
_FLOOR: Final = 0.006  # of what is usual beside a strand: the grain of a photo
_FAINTEST: Final = 0.02  # difference in colour from which a press is on anything
_MOST_STEPS: Final = 1600
_SHORTEST: Final = 4  # steps

Points = npt.NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Trace:
    """A strand that was followed.

    Attributes
    ----------
    points : (N, 2) float64 ndarray
        x and y, from the root, or what may be it, to the tip.
    side_px : float
        How far beside it the backdrop was looked at.
    pressed : int
        The number of the point that is next to the press.
    """

    points: Points
    side_px: float
    pressed: int

    @property
    def length(self) -> float:
        """In pixels."""
        return float(np.hypot(*np.diff(self.points, axis=0).T).sum())


def trace_strand(image: FloatArray, zone: ByteArray, at: tuple[float, float]) -> Trace | None:
    """Follow a strand both ways from a press; None if there is none.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1], as they are encoded.
    zone : (H, W) uint8 ndarray
        2 where the subject is certain, 1 where the strand is not wanted to go, 0 elsewhere.
    at : (float, float)
        x and y of the press, in pixels of the image.
    """
    start = _start(image, zone, at)
    if start is None:
        return None
    y, x, sy, sx, side, colour = start
    ways = []
    for sign in (1.0, -1.0):
        path = np.empty((_MOST_STEPS, 3), np.float64)
        count = follow(image, zone, y, x, sign * sy, sign * sx, side, colour, _FLOOR, _MOST_STEPS, path)
        ways.append(path[:count, :2])
    if len(ways[0]) + len(ways[1]) < _SHORTEST:
        return None
    if _is_root(zone, ways[0]) and not _is_root(zone, ways[1]):
        ways.reverse()
    back, ahead = ways[1][::-1], ways[0]
    rows = np.concatenate([back, [[y, x]], ahead])
    if not _is_root(zone, back) and np.hypot(*(rows[0] - [at[1], at[0]])) > np.hypot(*(rows[-1] - [at[1], at[0]])):
        rows = rows[::-1]  # a press is at a root rather than at a tip
    rows, even = np.ascontiguousarray(rows), np.empty_like(rows)
    centre(image, rows, side, even)
    rows = even
    pressed = int(np.hypot(rows[:, 0] - at[1], rows[:, 1] - at[0]).argmin())
    return Trace(_smoothed(rows)[:, ::-1].copy(), side, pressed)


def _is_root(zone: ByteArray, path: Points) -> bool:
    """Return whether a path has an end in the certain subject."""
    if not len(path):
        return False
    ends = path[[0, -1]].astype(int)
    return bool((zone[ends[:, 0], ends[:, 1]] == 2).any())


def _smoothed(rows: Points) -> Points:
    """Even a path out over five places; its ends stay."""
    if len(rows) < 5:
        return rows
    padded = np.concatenate([rows[:1], rows[:1], rows, rows[-1:], rows[-1:]])
    weights = np.array([1, 2, 3, 2, 1]) / 9
    even = np.sum([weights[k] * padded[k : k + len(rows)] for k in range(5)], axis=0)
    even[0], even[-1] = rows[0], rows[-1]
    return np.asarray(even, np.float64)


def _start(
    image: FloatArray, zone: ByteArray, at: tuple[float, float]
) -> tuple[float, float, float, float, float, Points] | None:
    """Find the place near a press, the direction, the width and the colour that stand out most."""
    best: tuple[float, float, float, float, float, Points] | None = None
    most, out = _FAINTEST, np.empty(3)
    for dy in range(-_REACH_PX, _REACH_PX + 1):
        for dx in range(-_REACH_PX, _REACH_PX + 1):
            y, x = at[1] + dy, at[0] + dx
            if not (3 <= y < zone.shape[0] - 3 and 3 <= x < zone.shape[1] - 3) or zone[int(y), int(x)]:
                continue
            nearness = 1 / (1 + 0.04 * (dx * dx + dy * dy))
            for k in range(_ANGLES):
                angle = np.pi * k / _ANGLES
                sy, sx = float(np.sin(angle)), float(np.cos(angle))
                for side in _SIDES:
                    unlike = response_at(image, y, x, sy, sx, side, out)
                    size = float(np.sqrt((out**2).sum()))
                    found = (size - 0.5 * unlike) * nearness * (1 - _WIDER * side)
                    if found > most:
                        most, best = found, (y, x, sy, sx, side, out.copy())
    return best
