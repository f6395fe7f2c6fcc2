"""Local colour models: Gaussians of subject and backdrop colours around each pixel, and the prior they give.

Pixels that a preliminary matte calls solid or clear are the best samples of the colours a few pixels away, gaps in
hair included. Their mean and covariance around each pixel give the posterior of alpha there.

References
----------
.. [1] S. J. Gortler, R. Grzeszczuk, R. Szeliski, M. F. Cohen, "The lumigraph", Computer Graphics (SIGGRAPH '96),
   1996, pp. 43-54: weighted samples spread coarse to fine ("pull-push"). :doi:`10.1145/237170.237200`
"""

from dataclasses import dataclass, field
from functools import partial
from itertools import pairwise
from typing import Any, Final

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.lazy import lazy
from peel.matte.parallel import checkpoint, chunks, map_chunks, run_all
from peel.matte.solve.alpha_posterior import add_posterior_terms, compare_sides
from peel.matte.solve.contour_search import Sides
from peel.matte.solve.noise import NoiseCurve

__all__ = ["LocalColourModel", "block_side"]

_NEAR_ENDS: Final = 0.2  # distance from 0 or 1 up to which a first estimate is taken for a sample of either side
_PRIOR_PIXELS: Final = 4.0  # weight, in samples, of the moments from the next coarser level
_BLOCK_ROWS: Final = 16  # rows of blocks per task
_AT_ONCE: Final = 60_000  # pixels per task
_SUMS: Final = 10  # per block and side: weight, colours, products of two colours
_MOMENTS: Final = 9
_LARGEST: Final = (4_000_000, 12_000_000)  # pixels of a photo up to which blocks are 4 and 8 pixels a side


def block_side(pixels: int) -> int:
    """Return the side, in pixels, of the blocks over which samples are summed, for a photo of so many pixels."""
    return int(4 * 2 ** np.searchsorted(_LARGEST, pixels))


@njit(cache=True, nogil=True, fastmath=True)
def _add_sample(r: Any, g: Any, b: Any, a: Any, sums: Any, v: Any, u: Any) -> None:
    """Add a colour to a block's sums if it is nearly solid or clear: weight, colours and their products."""
    near = np.float32(_NEAR_ENDS)
    here = np.uint64(0) if a > np.float32(0.5) else np.uint64(1)
    off = np.float32(1) - a if a > np.float32(0.5) else a
    if off >= near:
        return
    w = np.float32(1) - off / near
    w *= w
    out = sums[v, u, here]
    out[0] += w
    out[1] += w * r
    out[2] += w * g
    out[3] += w * b
    out[4] += w * r * r
    out[5] += w * r * g
    out[6] += w * r * b
    out[7] += w * g * g
    out[8] += w * g * b
    out[9] += w * b * b


@njit(
    "void(float32[:,:,::1], float32[:,::1], boolean[:,::1], int64, float32[:,:,:,::1], int64, int64)",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _add_fixed(image: Any, fixed: Any, band: Any, side: int, sums: Any, top: int, bottom: int) -> None:
    """Add up the samples off the band in some rows of blocks."""
    height, width = fixed.shape
    for v in range(top, bottom):
        for y in range(v * side, min(v * side + side, height)):
            for u in range(sums.shape[1]):
                for x in range(u * side, min(u * side + side, width)):
                    if not band[y, x]:
                        _add_sample(image[y, x, 0], image[y, x, 1], image[y, x, 2], fixed[y, x], sums, v, u)


@njit(
    "void(float32[:,:,::1], int32[::1], int32[::1], float32[::1], int64, float32[:,:,:,::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _add_solved(image: Any, ys: Any, xs: Any, alpha: Any, side: int, sums: Any) -> None:
    """Add up the samples among some of the band's pixels, by a preliminary alpha."""
    shift = np.uint64(0)
    while np.uint64(1) << shift < np.uint64(side):
        shift += np.uint64(1)
    for i in range(ys.shape[0]):
        y, x = np.uint64(ys[i]), np.uint64(xs[i])
        a = min(max(alpha[i], np.float32(0)), np.float32(1))
        _add_sample(image[y, x, 0], image[y, x, 1], image[y, x, 2], a, sums, y >> shift, x >> shift)


def _spread(sums: FloatArray) -> FloatArray:
    """Turn sums over blocks into mean colours and covariances, filled in coarse to fine where samples are missing.

    Parameters
    ----------
    sums : (10, H, W) float32 ndarray

    Returns
    -------
    (9, H, W) float32 ndarray
        Three means, six covariances (rr, rg, rb, gg, gb, bb).
    """
    pyramid = [sums]
    while min(pyramid[-1].shape[1:]) > 2:
        pyramid.append(np.stack([4 * cv2.pyrDown(plane) for plane in pyramid[-1]]))
    checkpoint()
    whole = sums.sum(axis=(1, 2), dtype=np.float64)
    moments = np.zeros((_MOMENTS, 1, 1), np.float32)
    moments[:, 0, 0] = whole[1:] / max(whole[0], 1e-6)
    for level in reversed(pyramid):
        moments = _refined(level, moments)
    mean = moments[:3]
    for place, (a, b) in enumerate(((0, 0), (0, 1), (0, 2), (1, 1), (1, 2), (2, 2)), start=3):
        moments[place] -= mean[a] * mean[b]
    return moments


def _refined(sums: FloatArray, coarser: FloatArray) -> FloatArray:
    """Blend a level's own moments, over three by three blocks, with those of the next coarser level."""
    size = sums.shape[:0:-1]
    out = np.empty((_MOMENTS, *sums.shape[1:]), np.float32)
    share = 1 / (9 * cv2.blur(sums[0], (3, 3)) + np.float32(_PRIOR_PIXELS))
    for k in range(_MOMENTS):
        known = cv2.resize(coarser[k], size, interpolation=cv2.INTER_LINEAR) * np.float32(_PRIOR_PIXELS)
        out[k] = (9 * cv2.blur(sums[k + 1], (3, 3)) + known) * share
    return out


@dataclass(frozen=True)
class LocalColourModel:
    """The local colour models of a band, evaluated from a preliminary solution.

    Attributes
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1].
    fixed : (H, W) float32 ndarray
        The matte where the band is not.
    band : (H, W) bool ndarray
    texture : (N,) float32 ndarray
        Factor on the weight of each of the band's pixels, from `peel.matte.solve.sparsity.texture_weight`: where the
        photo is plain, a colour that nobody marked, as of sheer cloth, is likelier than a mixture of marked ones.
    noise : NoiseCurve
    side : int
        Side of a block in pixels, from `block_side`: a power of two.
    sheer : (K, 3) float32 ndarray
        Colours of sheer material that no certain pixel shows; tested where the photo is plain.
    strength : float
        Weight of a pixel whose alpha has a posterior variance of 1.
    """

    image: FloatArray
    fixed: FloatArray
    band: BoolArray
    texture: FloatArray
    noise: NoiseCurve
    side: int
    sheer: FloatArray = field(default_factory=lambda: np.empty((0, 3), np.float32))
    strength: float = 1e-6

    def terms(self, alpha: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Return the prior of the local colour models, given a preliminary solution.

        Parameters
        ----------
        alpha : (N,) float32 ndarray
            Of the band's pixels; need not be within [0, 1].

        Returns
        -------
        weight, towards : (N,) float32 ndarray
            Adds ``weight (alpha - towards / weight)^2`` to the cost. The weight falls with the posterior variance of
            alpha; it is 0 where no mixture of the two models explains the pixel.
        """
        moments = self._moments(alpha)
        marked = self._marked if len(self.sheer) else moments
        ys, xs = self._places
        weight, towards = np.empty_like(self.texture), np.empty_like(self.texture)

        def judged(part: slice) -> None:
            given = (self.image, ys[part], xs[part], moments, marked, self.sheer, self.side, self.noise.variance)
            add_posterior_terms(*given, self.texture[part], np.float32(self.strength), weight[part], towards[part])

        map_chunks(judged, len(ys), _AT_ONCE)
        return weight, towards

    def sides(self, colours: FloatArray, places: NDArray[np.float64]) -> Sides:
        """Compare colours (..., 3) at places (..., 2), column and row, with those marked near by on either side."""
        flat = np.ascontiguousarray(colours.reshape(-1, 3), np.float32)
        at = np.ascontiguousarray(places.reshape(-1, 2), np.float32)
        found = np.empty((len(flat), 3), np.float32)
        compare_sides(flat, at, self._marked, self.side, found)
        return Sides(*(part.reshape(colours.shape[:-1]) for part in found.T))

    @lazy
    def _places(self) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """List rows and columns of the band's pixels."""

        def listed(part: slice) -> NDArray[np.int32]:
            ys, xs = np.nonzero(self.band[part])
            return np.stack([ys + part.start, xs]).astype(np.int32)

        ys, xs = np.concatenate(map_chunks(listed, len(self.band), _BLOCK_ROWS * self.side), axis=1)
        return ys, xs

    @lazy
    def _known(self) -> FloatArray:
        """Sum the samples outside the band, block by block; (h, w, 2, 10)."""
        height, width = (-(-size // self.side) for size in self.fixed.shape)
        sums = np.zeros((height, width, 2, _SUMS), np.float32)
        band, fixed = np.ascontiguousarray(self.band), np.ascontiguousarray(self.fixed)

        def add(part: slice) -> None:
            _add_fixed(self.image, fixed, band, self.side, sums, part.start, part.stop)

        map_chunks(add, height, _BLOCK_ROWS)
        return sums

    @lazy
    def _marked(self) -> FloatArray:
        """Return the moments of the certain pixels for each block; (h, w, 18)."""
        return self._spread_out(self._known)

    def _spread_out(self, sums: FloatArray) -> FloatArray:
        """Return the moments of both sides for each block; (h, w, 18)."""
        checkpoint()
        height, width = sums.shape[:2]
        sides = cv2.transpose(sums.reshape(height * width, -1)).reshape(2, _SUMS, height, width)
        both = np.concatenate(run_all([partial(_spread, side) for side in sides]))
        return cv2.transpose(both.reshape(len(both), -1)).reshape(height, width, -1)

    def _moments(self, alpha: FloatArray) -> FloatArray:
        """Return the moments of both sides for each block; (h, w, 18)."""
        ys, xs = self._places
        sums = self._known.copy()
        rows = np.array([part.start for part in chunks(len(sums), _BLOCK_ROWS)], np.int32) * np.int32(self.side)
        cuts = [*np.searchsorted(ys, rows), len(ys)]

        def add(part: slice) -> None:
            _add_solved(self.image, ys[part], xs[part], alpha[part], self.side, sums)

        run_all([partial(add, slice(*ends)) for ends in pairwise(cuts)])
        return self._spread_out(sums)
