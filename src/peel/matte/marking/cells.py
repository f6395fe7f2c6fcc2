"""What stands out from the background, by cells of like colour and how they hang together with the frame.

References
----------
.. [1] W. Zhu, S. Liang, Y. Wei, J. Sun, "Saliency optimization from robust background detection", CVPR 2014,
   pp. 2814-2821. :doi:`10.1109/CVPR.2014.360`
.. [2] F. Meyer, "Color image segmentation", IPA 1992, pp. 303-306; the watershed, in OpenCV.
"""

from dataclasses import dataclass
from functools import cached_property
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array, diags_array
from scipy.sparse.csgraph import dijkstra
from scipy.sparse.linalg import spsolve

from peel.matte.arrays import FloatArray

__all__ = ["Cells", "scaled"]

_COUNT: Final = 350  # cells in a picture
_COLOUR: Final = 10.0  # CIE76 difference at which neighbours count as much less alike
_SPAN: Final = 0.25  # of the diagonal, over which contrast is looked for
_FLOOR: Final = 0.1  # least weight between neighbours
_ANCHOR: Final = 1e-4  # keeps the system regular where nothing is known

Values = NDArray[np.float64]


def scaled(values: NDArray[Any]) -> NDArray[Any]:
    """Bring values to [0, 1].

    Of any shape, float32.
    """
    return (values - values.min()) / (np.ptp(values) + 1e-9)


@dataclass(frozen=True)
class Cells:
    """A picture cut into some hundreds of cells of like colour.

    Attributes
    ----------
    lab : (H, W, 3) float32 ndarray
        CIE Lab.
    labels : (H, W) int32 ndarray
        Number of each pixel's cell.
    count : int
    """

    lab: FloatArray
    labels: NDArray[np.int32]
    count: int

    @classmethod
    def of(cls, lab: FloatArray) -> "Cells":
        """Cut a picture along its edges, beginning at the flattest place of each square of a grid.

        The picture is (H, W, 3) uint8, sRGB.
        """
        height, width = lab.shape[:2]
        step = max(4, round(float(np.sqrt(height * width / _COUNT))))
        calm = cv2.GaussianBlur(lab, (0, 0), 1.2)
        slope = sum((cv2.Sobel(calm, cv2.CV_32F, *way) ** 2).sum(axis=2) for way in ((1, 0), (0, 1)))
        marks = np.zeros((height, width), np.int32)
        count = 0
        for row in range(step // 2, height, step):
            for column in range(step // 2, width, step):
                top, left = max(0, row - step // 3), max(0, column - step // 3)
                part = np.asarray(slope)[top : row + step // 3 + 1, left : column + step // 3 + 1]
                down, right = np.unravel_index(int(part.argmin()), part.shape)
                count += 1
                marks[top + down, left + right] = count
        eight_bit = np.clip(calm * (2.55, 1, 1) + (0, 128, 128), 0, 255).astype(np.uint8)
        cv2.watershed(eight_bit, marks)
        lines = marks <= 0
        _, nearest = cv2.distanceTransformWithLabels(
            lines.astype(np.uint8), cv2.DIST_L2, 3, labelType=cv2.DIST_LABEL_PIXEL
        )
        cell_of = np.ones(int(nearest.max()) + 1, np.int32)
        cell_of[nearest[~lines]] = marks[~lines]
        return cls(lab, cell_of[nearest] - 1, count)

    def mean(self, values: NDArray[Any]) -> Values:
        """Return the mean of an (H, W) picture over each cell."""
        return np.asarray(np.bincount(self.labels.ravel(), values.ravel(), self.count) / self.areas)

    def painted(self, values: Values) -> FloatArray:
        """Paint a value of each cell, its borders softened; (H, W) float32."""
        return cv2.GaussianBlur(values[self.labels].astype(np.float32), (0, 0), 1.5)

    @cached_property
    def areas(self) -> Values:
        """Pixels of each cell."""
        return np.maximum(np.bincount(self.labels.ravel(), minlength=self.count), 1).astype(float)

    @cached_property
    def colours(self) -> Values:
        """Mean colour of each cell, (N, 3) in Lab."""
        return np.stack([self.mean(self.lab[..., channel]) for channel in range(3)], axis=1)

    @cached_property
    def places(self) -> Values:
        """Middle of each cell as a share of the diagonal, (N, 2)."""
        rows, columns = np.mgrid[: self.labels.shape[0], : self.labels.shape[1]]
        return np.stack([self.mean(rows), self.mean(columns)], axis=1) / np.hypot(*self.labels.shape)

    @cached_property
    def neighbours(self) -> NDArray[np.int64]:
        """Pairs of cells that touch, (M, 2)."""
        sides = ((self.labels[:, 1:], self.labels[:, :-1]), (self.labels[1:], self.labels[:-1]))
        pairs = np.concatenate([np.stack([one.ravel(), other.ravel()], axis=1) for one, other in sides])
        return np.unique(np.sort(pairs[pairs[:, 0] != pairs[:, 1]], axis=1), axis=0).astype(np.int64)

    @cached_property
    def framed(self) -> NDArray[np.int64]:
        """Cells that touch the frame.

        (n,) bool, one for each cell.
        """
        rims = (self.labels[0], self.labels[-1], self.labels[:, 0], self.labels[:, -1])
        return np.unique(np.concatenate(rims)).astype(np.int64)

    def _apart(self, pairs: NDArray[np.int64]) -> Values:
        return np.asarray(np.linalg.norm(self.colours[pairs[:, 0]] - self.colours[pairs[:, 1]], axis=1))

    def _graph(self, pairs: NDArray[np.int64], weights: Values) -> Any:
        ends = (np.r_[pairs[:, 0], pairs[:, 1]], np.r_[pairs[:, 1], pairs[:, 0]])
        return coo_array((np.r_[weights, weights], ends), shape=(self.count, self.count)).tocsr()

    @cached_property
    def background(self) -> Values:
        """How far each cell is likely background, in [0, 1]: how much of its region lies along the frame."""
        if self.count < 2:
            return np.ones(self.count)
        apart = self._apart(self.neighbours)
        least = np.full(self.count, np.inf)
        for end in (0, 1):
            np.minimum.at(least, self.neighbours[:, end], apart)
        usual = float(least[np.isfinite(least)].mean())
        around = np.array([(a, b) for number, a in enumerate(self.framed) for b in self.framed[number + 1 :]], np.int64)
        pairs = np.concatenate([self.neighbours, around.reshape(-1, 2)])
        lengths = np.maximum(self._apart(pairs) - usual, 0) + 1e-6
        # Pairs that occur twice would be added up.
        pairs, first = np.unique(pairs, axis=0, return_index=True)
        likeness = np.exp(-(dijkstra(self._graph(pairs, lengths[first]), directed=False) ** 2) / (2 * _COLOUR**2))
        on_frame = np.zeros(self.count)
        on_frame[self.framed] = 1
        connectivity = likeness @ on_frame / np.sqrt(likeness.sum(axis=1))
        return np.asarray(1 - np.exp(-(connectivity**2) / 2))

    @cached_property
    def contrast(self) -> Values:
        """How far each cell differs from the likely background around it, in [0, 1]."""
        colour = np.linalg.norm(self.colours[:, None] - self.colours[None], axis=2)
        away = np.linalg.norm(self.places[:, None] - self.places[None], axis=2)
        found = scaled((colour * np.exp(-(away**2) / (2 * _SPAN**2)) * self.background).sum(axis=1))
        threshold, _ = cv2.threshold((found * 255).astype(np.uint8).reshape(-1, 1), 0, 255, cv2.THRESH_OTSU)
        return np.where(found < threshold / 255, 0.0, found)

    def smoothed(self, subject: Values, background: Values) -> Values:
        """Return how far each cell is subject, in [0, 1], given evidence for both sides, like neighbours alike."""
        weights = np.exp(-(self._apart(self.neighbours) ** 2) / (2 * _COLOUR**2)) + _FLOOR
        graph = self._graph(self.neighbours, weights)
        own = np.asarray(graph.sum(axis=1)).ravel() + subject + background + _ANCHOR
        return scaled(np.atleast_1d(spsolve((diags_array(own) - graph).tocsc(), subject)))
