"""What colour says once a first answer tells subject from backdrop: a pair of colour models for each neighbourhood.

Pixels that a rough matte calls solid or clear are the best samples there are of the colours a few pixels on, gaps in
the hair among them. Their mean and covariance around each pixel say how likely each alpha is there, and how sure that
is.

References
----------
.. [1] S. J. Gortler, R. Grzeszczuk, R. Szeliski, M. F. Cohen, "The lumigraph", Computer Graphics (SIGGRAPH '96),
   1996, pp. 43-54: weighted samples spread coarse to fine ("pull-push"). :doi:`10.1145/237170.237200`
"""

from dataclasses import dataclass, field
from functools import cached_property, partial
from itertools import pairwise
from typing import Any, Final

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.colour_levels import judge
from peel.matte.noise import NoiseCurve
from peel.matte.parallel import checkpoint, in_portions, portions, run_all

__all__ = ["LocalColours", "block_side"]

_NEAR_ENDS: Final = 0.2  # distance from 0 or 1 up to which a first answer is taken for a sample of either side
_PRIOR_PIXELS: Final = 4.0  # samples that what is known from farther away counts for
_BLOCK_ROWS: Final = 16  # done at a time
_AT_ONCE: Final = 60_000  # pixels whose levels are tried in one go
_SUMS: Final = 10  # of a block and side: weight, colours, products of two colours
_MOMENTS: Final = 9
_LARGEST: Final = (4_000_000, 12_000_000)  # pixels of a photo up to which blocks are 4 and 8 pixels a side


def block_side(pixels: int) -> int:
    """Give the pixels a side of the blocks in which samples are added up, for a photo of so many pixels."""
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
    """Add up the samples that a rough answer makes of some of the band's pixels."""
    shift = np.uint64(0)
    while np.uint64(1) << shift < np.uint64(side):
        shift += np.uint64(1)
    for i in range(ys.shape[0]):
        y, x = np.uint64(ys[i]), np.uint64(xs[i])
        a = min(max(alpha[i], np.float32(0)), np.float32(1))
        _add_sample(image[y, x, 0], image[y, x, 1], image[y, x, 2], a, sums, y >> shift, x >> shift)


def _spread(sums: FloatArray) -> FloatArray:
    """Turn sums over blocks into mean colours and covariances, what is missing filled in from farther away.

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
    """Mix a level's own moments, over three by three blocks, with those of the next coarser one."""
    size = sums.shape[:0:-1]
    out = np.empty((_MOMENTS, *sums.shape[1:]), np.float32)
    share = 1 / (9 * cv2.blur(sums[0], (3, 3)) + np.float32(_PRIOR_PIXELS))
    for k in range(_MOMENTS):
        known = cv2.resize(coarser[k], size, interpolation=cv2.INTER_LINEAR) * np.float32(_PRIOR_PIXELS)
        out[k] = (9 * cv2.blur(sums[k + 1], (3, 3)) + known) * share
    return out


@dataclass(frozen=True)
class LocalColours:
    """Asked for a pull of the band's pixels, from a rough answer.

    Attributes
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1].
    fixed : (H, W) float32 ndarray
        The matte where the band is not.
    band : (H, W) bool ndarray
    rough : (N,) float32 ndarray
        Share of the pull that each of the band's pixels is given, from `peel.matte.sparsity.roughness`: where the photo
        is plain a colour that nobody marked, as of sheer cloth, is likelier than a mixture of marked ones.
    noise : NoiseCurve
    side : int
        Pixels a side of a block, from `block_side`: a power of two.
    sheer : (K, 3) float32 ndarray
        Colours of sheer material, which nothing certain shows: looked for where the photo is plain.
    """

    image: FloatArray
    fixed: FloatArray
    band: BoolArray
    rough: FloatArray
    noise: NoiseCurve
    side: int
    sheer: FloatArray = field(default_factory=lambda: np.empty((0, 3), np.float32))

    def pull(self, alpha: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Weigh what the neighbourhoods of a rough answer say about each pixel.

        Parameters
        ----------
        alpha : (N,) float32 ndarray
            Of the band's pixels; need not be within [0, 1].

        Returns
        -------
        weight, towards : (N,) float32 ndarray
            Add ``weight (alpha - towards / weight)^2`` to the cost. The weight falls with the variance of alpha, over
            all levels of alpha by how likely they are; it is 0 where no mixture of the two models explains the pixel.
        """
        moments = self._moments(alpha)
        marked = self._marked if len(self.sheer) else moments
        ys, xs = self._places
        weight, towards = np.empty_like(self.rough), np.empty_like(self.rough)

        def judged(part: slice) -> None:
            given = (self.image, ys[part], xs[part], moments, marked, self.sheer, self.side, self.noise.variance)
            judge(*given, self.rough[part], weight[part], towards[part])

        in_portions(judged, len(ys), _AT_ONCE)
        return weight, towards

    @cached_property
    def _places(self) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """List rows and columns of the band's pixels."""

        def listed(part: slice) -> NDArray[np.int32]:
            ys, xs = np.nonzero(self.band[part])
            return np.stack([ys + part.start, xs]).astype(np.int32)

        ys, xs = np.concatenate(in_portions(listed, len(self.band), _BLOCK_ROWS * self.side), axis=1)
        return ys, xs

    @cached_property
    def _known(self) -> FloatArray:
        """Add up the samples that no answer changes, block by block; (h, w, 2, 10)."""
        height, width = (-(-size // self.side) for size in self.fixed.shape)
        sums = np.zeros((height, width, 2, _SUMS), np.float32)
        band, fixed = np.ascontiguousarray(self.band), np.ascontiguousarray(self.fixed)

        def add(part: slice) -> None:
            _add_fixed(self.image, fixed, band, self.side, sums, part.start, part.stop)

        in_portions(add, height, _BLOCK_ROWS)
        return sums

    @cached_property
    def _marked(self) -> FloatArray:
        """Give the moments of what is certain, for each block; (h, w, 18)."""
        return self._spread_out(self._known)

    def _spread_out(self, sums: FloatArray) -> FloatArray:
        """Give the moments of both sides for each block; (h, w, 18)."""
        checkpoint()
        height, width = sums.shape[:2]
        sides = cv2.transpose(sums.reshape(height * width, -1)).reshape(2, _SUMS, height, width)
        both = np.concatenate(run_all([partial(_spread, side) for side in sides]))
        return cv2.transpose(both.reshape(len(both), -1)).reshape(height, width, -1)

    def _moments(self, alpha: FloatArray) -> FloatArray:
        """Give the moments of both sides for each block; (h, w, 18)."""
        ys, xs = self._places
        sums = self._known.copy()
        rows = np.array([part.start for part in portions(len(sums), _BLOCK_ROWS)], np.int32) * np.int32(self.side)
        cuts = [*np.searchsorted(ys, rows), len(ys)]

        def add(part: slice) -> None:
            _add_solved(self.image, ys[part], xs[part], alpha[part], self.side, sums)

        run_all([partial(add, slice(*ends)) for ends in pairwise(cuts)])
        return self._spread_out(sums)
