"""Homographies: from a picture to four points of a plane.

References
----------
.. [1] R. I. Hartley, A. Zisserman, "Multiple View Geometry in Computer Vision", 2nd edition, Cambridge University
   Press, 2004, section 2.3 and algorithm 4.1: homographies from four points.
"""

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

__all__ = ["homography", "mapped", "scaled"]


def homography(corners: Sequence[tuple[float, float]], height: float, width: float) -> NDArray[Any]:
    """Return the homography that takes a picture's corners to four points.

    Parameters
    ----------
    corners : four (x, y)
        Where its top left, top right, bottom right and bottom left lie.
    height, width : float
        The picture's size in pixels.

    Returns
    -------
    (3, 3) float64 ndarray
        Takes (x, y, 1) of the picture, counted from its top left corner, to the plane of the points.

    Raises
    ------
    numpy.linalg.LinAlgError
        If three of the points lie in a line.
    """
    rows, aims = [], []
    for (x, y), (u, v) in zip(((0, 0), (width, 0), (width, height), (0, height)), corners, strict=True):
        rows += [[x, y, 1, 0, 0, 0, -u * x, -u * y], [0, 0, 0, x, y, 1, -v * x, -v * y]]
        aims += [u, v]
    found = np.append(np.linalg.solve(np.array(rows, np.float64), np.array(aims, np.float64)), 1.0)
    return found.reshape(3, 3)


def scaled(matrix: NDArray[Any], scale: float) -> NDArray[Any]:
    """Return a homography whose results are scaled: to a plane seen at another size.

    Takes and returns (3, 3) float64.
    """
    return np.asarray(np.diag([scale, scale, 1.0]) @ matrix)


def mapped(matrix: NDArray[Any], points: Any) -> NDArray[Any]:
    """Take points (N, 2) through a homography."""
    places = np.asarray(points, np.float64).reshape(-1, 2)
    out = np.column_stack([places, np.ones(len(places))]) @ matrix.T
    return np.asarray(out[:, :2] / out[:, 2:])
