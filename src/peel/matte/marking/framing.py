"""Find by how much the framing of one photograph is moved against another of the same session.

References
----------
.. [1] C. D. Kuglin, D. C. Hines, "The phase correlation image alignment method", Proceedings of the IEEE International
   Conference on Cybernetics and Society, 1975, pp. 163-165.
"""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, FloatArray

__all__ = ["Framing", "same_backdrop", "same_framing"]

_LEAST_LIKENESS: Final = 0.55  # correlation of edges, once moved, from which the framing is the same
_SAME_COLOUR: Final = 14.0  # CIE76 difference, with half the weight for lightness, up to which a part is the same
_MOST_SAME: Final = 0.65  # share of the border's parts that must be
_LEAST_PART: Final = 0.75  # of the picture that both must share


@dataclass(frozen=True)
class Framing:
    """How one photo is moved against another, in pixels of both, and how alike they are then, up to 1."""

    right: float
    down: float
    likeness: float

    @property
    def is_same(self) -> bool:
        """Whether they are alike enough for marks to be carried."""
        return self.likeness >= _LEAST_LIKENESS


def same_framing(first: FloatArray, second: FloatArray) -> Framing:
    """Compare two gray pictures of one size, (H, W) float32.

    Returns
    -------
    Framing
        By how much what is in the first has to be moved to lie where it is in the second; checked by correlating
        the edges of both once that is done, so that a wrong peak is not taken for a move.
    """
    edges = [_edges(picture) for picture in (first, second)]
    window = cv2.createHanningWindow((first.shape[1], first.shape[0]), cv2.CV_32F)
    (right, down), _ = cv2.phaseCorrelate(edges[0], edges[1], window)
    height, width = first.shape
    if abs(right) > (1 - _LEAST_PART) * width or abs(down) > (1 - _LEAST_PART) * height:
        return Framing(right, down, 0.0)
    moved = cv2.warpAffine(edges[0], np.array([[1, 0, right], [0, 1, down]]), (width, height))
    top, left = max(int(np.ceil(down)), 0), max(int(np.ceil(right)), 0)
    bottom, end = height + min(int(np.floor(down)), 0), width + min(int(np.floor(right)), 0)
    ours, theirs = moved[top:bottom, left:end], edges[1][top:bottom, left:end]
    ours, theirs = ours - ours.mean(), theirs - theirs.mean()
    scale = float(np.sqrt(np.square(ours).sum() * np.square(theirs).sum()))
    likeness = float((ours * theirs).sum()) / scale if scale > 1e-9 else 0.0
    return Framing(float(right), float(down), likeness)


def same_backdrop(first: FloatArray, second: FloatArray, subject: BoolArray) -> bool:
    """Return whether two photos stand before the same backdrop, by the colours along their borders.

    Parameters
    ----------
    first, second : (h, w, 3) float32 ndarray
        In [0, 1]; the sizes may differ.
    subject : (h, w) bool ndarray
        What is no backdrop in the first one.
    """
    height, width = first.shape[:2]
    if second.shape != first.shape:
        second = cv2.resize(second, (width, height), interpolation=cv2.INTER_AREA)
    labs = [cv2.cvtColor(np.ascontiguousarray(picture, np.float32), cv2.COLOR_RGB2Lab) for picture in (first, second)]
    same = compared = 0
    for rows, columns in _border_cells(height, width):
        clear = ~subject[rows, columns]
        if clear.mean() < 0.5:
            continue
        colours = [np.median(lab[rows, columns][clear], axis=0) for lab in labs]
        off = (colours[0] - colours[1]) * (0.5, 1, 1)  # the light may differ more than the hue
        compared += 1
        same += float(np.hypot(np.hypot(off[0], off[1]), off[2])) < _SAME_COLOUR
    return compared > 0 and same >= _MOST_SAME * compared


def _border_cells(height: int, width: int) -> list[tuple[slice, slice]]:
    """List parts of the left, right and upper border; what lies along the lower one is often ground."""
    deep, wide = max(1, height // 12), max(1, width // 12)
    upper = [(slice(0, deep), slice(k * width // 6, max((k + 1) * width // 6, k * width // 6 + 1))) for k in range(6)]
    at_side = [slice(k * height // 8, max((k + 1) * height // 8, k * height // 8 + 1)) for k in range(6)]
    return upper + [(rows, side) for rows in at_side for side in (slice(0, wide), slice(width - wide, width))]


def _edges(picture: FloatArray) -> FloatArray:
    """Return the strength of edges, without regard to exposure."""
    soft = cv2.GaussianBlur(np.log1p(8 * np.clip(picture, 0, 1)), (0, 0), 1.5)
    strength = np.hypot(cv2.Sobel(soft, cv2.CV_32F, 1, 0), cv2.Sobel(soft, cv2.CV_32F, 0, 1))
    # what most of the picture shows is noise, which differs from photo to photo
    return np.asarray(np.maximum(strength - 2.5 * np.median(strength), 0), np.float32)
