"""The public baseline: closed-form matting as published, in plain SciPy, over the same band.

Levin, Lischinski, Weiss 2008, assembled from 3x3 windows into a sparse matrix and solved by conjugate gradients with
the diagonal as preconditioner to a relative residual of 1e-5.
"""

import cv2
import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from scipy import sparse
from scipy.sparse.linalg import LinearOperator, cg

from peel.matte.solve.closed_form import band_window

__all__ = ["closed_form", "guided", "nearest_colour"]

EPS = 1e-7
TOLERANCE = 1e-5


def closed_form(image: np.ndarray, zones: np.ndarray, eps: float = EPS) -> tuple[np.ndarray, int]:
    """Solve the matte of (H, W, 3) float colours in [0, 1] from 0 / 128 / 255 zones; also the iterations taken."""
    alpha = (zones == 255).astype(np.float64)
    unknown = (zones != 0) & (zones != 255)
    window = band_window(unknown)
    if window is None:
        return alpha, 0
    solved, iterations = _solve(image[window].astype(np.float64), unknown[window], alpha[window], eps)
    alpha[window][unknown[window]] = np.clip(solved, 0, 1)
    return alpha, iterations


def _solve(image: np.ndarray, unknown: np.ndarray, alpha: np.ndarray, eps: float) -> tuple[np.ndarray, int]:
    height, width = unknown.shape
    touches = cv2.dilate(unknown.astype(np.uint8), np.ones((3, 3)))[1:-1, 1:-1].ravel() > 0
    numbers = np.arange(height * width).reshape(height, width)
    members = sliding_window_view(numbers, (3, 3)).reshape(-1, 9)[touches]
    laplacian = sparse.csr_matrix((height * width, height * width))
    flat = image.reshape(-1, 3)
    # in slices, so that the dense 9x9 blocks of millions of windows need not fit in memory at once
    for start in range(0, len(members), 400_000):
        part = members[start : start + 400_000]
        colours = flat[part]
        colours = colours - colours.mean(axis=1, keepdims=True)
        covariance = np.einsum("nki,nkj->nij", colours, colours) / 9 + eps / 9 * np.eye(3)
        blocks = np.eye(9) - (1 + np.einsum("nki,nij,nmj->nkm", colours, np.linalg.inv(covariance), colours)) / 9
        rows = np.repeat(part, 9, axis=1).ravel()
        columns = np.tile(part, (1, 9)).ravel()
        laplacian = laplacian + sparse.csr_matrix((blocks.ravel(), (rows, columns)), laplacian.shape)
    mask = unknown.ravel()
    inner = laplacian[mask]
    matrix, rhs = inner[:, mask].tocsr(), -inner[:, ~mask] @ alpha.ravel()[~mask]
    inverse = 1 / matrix.diagonal()
    count = [0]

    def counted(_x: np.ndarray) -> None:
        count[0] += 1

    jacobi = LinearOperator(matrix.shape, lambda r: inverse * r)
    solved, _ = cg(matrix, rhs, rtol=TOLERANCE, maxiter=20_000, M=jacobi, callback=counted)
    return solved, count[0]


def guided(image: np.ndarray, zones: np.ndarray, radius: int = 20, eps: float = 1e-4) -> np.ndarray:
    """Smooth the zones' halves along the photo: the guided filter (He, Sun, Tang 2010), with OpenCV's box filters."""
    start = np.where(zones == 255, 1.0, np.where(zones == 0, 0.0, 0.5)).astype(np.float32)
    gray = image.mean(axis=2).astype(np.float32)

    def box(picture: np.ndarray) -> np.ndarray:
        return cv2.blur(picture, (2 * radius + 1, 2 * radius + 1))

    mean, level = box(gray), box(start)
    slope = (box(gray * start) - mean * level) / (box(gray * gray) - mean * mean + eps)
    alpha = np.clip(box(slope) * gray + box(level - slope * mean), 0, 1)
    alpha[zones == 0], alpha[zones == 255] = 0, 1
    return alpha


def nearest_colour(image: np.ndarray, zones: np.ndarray) -> np.ndarray:
    """Give each pixel of the band the colour of the nearest certain subject pixel."""
    _, label = cv2.distanceTransformWithLabels(
        (zones != 255).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    lookup = np.zeros((int(label.max()) + 1, 3), np.float32)
    lookup[label[zones == 255]] = image[zones == 255]
    return lookup[label]
