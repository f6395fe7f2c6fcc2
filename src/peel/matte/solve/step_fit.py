"""Steps along the contours of hard edges, where alpha goes from 0 to 1 over the width of the photo's own blur.

The contours are those of `peel.matte.solve.hard_contour`. How wide the step is follows from the photo along a stretch;
whether there is one at all, from how much better a step explains the photo than no edge, and from a preliminary matte:
where that is nothing like a step although the colours of both sides are different, the edge is not hard.
"""

from dataclasses import dataclass
from functools import partial
from math import erf, sqrt
from typing import Any, Final

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from peel.matte.arrays import BoolArray, ByteArray, FloatArray, IntArray
from peel.matte.parallel import run_all
from peel.matte.solve.hard_contour import HardContour, Odds, along_normals, find_contours

__all__ = ["HardEdges", "find_hard_edges"]

_SIGMAS: Final = np.array([0.6, 0.75, 0.95, 1.2, 1.6, 2.2, 3.0])
_PROFILE: Final = np.arange(-8, 9, dtype=np.float64)
_FLOOR: Final = 0.0012  # summed squared difference over a profile that texture explains
_SHARP: Final = 0.25  # cost of a wider step, per unit of its logarithm: places that are a little off look wider
_STRETCH_PX: Final = 40.0  # along the contour, over which it is judged
_WIDTH_PX: Final = 20.0  # ... and over which a width is one
_CLEAR_CUT: Final = (
    -0.85,
    -1.15,
)  # logarithm of the unexplained part of the photo from which an edge is a step, surely
_MISMATCH: Final = (1.2, 2.2)  # summed squared difference from the preliminary matte of a step, and of hair
_MIXED_PX: Final = 2.0  # from the contour, within which colours are mixed
_DECIDED: Final = 8.0  # logarithm of the odds from which a colour tells which side it belongs to
_UNDECIDED: Final = (0.2, 0.45)  # share of colours that do not tell, from which a step is needed, and fully
_UNDECIDED_PX: Final = 40.0  # along the contour, over which they are counted
_SURELY: Final = 6.0  # logarithm of the odds from which a colour contradicts a contour
_CONTRADICTED: Final = (0.04, 0.13)  # share of such colours from which a contour is doubted, and is none
_CONTRADICTED_PX: Final = 6.0  # along the contour, over which they are counted
_REACH_PX: Final = 9  # from the contour, as far as which a step says anything
_FADE_PX: Final = 4.0  # ... over the last of which it fades

_Doubles = NDArray[np.float64]


@dataclass(frozen=True)
class _Edge:
    """What is known of a contour.

    Attributes
    ----------
    line : HardContour
    sigmas : (N,) float64 ndarray
        Width of the step.
    clear_cut : (N,) float64 ndarray
        How far the photo is better explained by a step than by no edge, from 0 to 1.
    contrast : (N,) float64 ndarray
        Summed squared difference between the colours of both sides.
    """

    line: HardContour
    sigmas: _Doubles
    clear_cut: _Doubles
    contrast: _Doubles


@dataclass(frozen=True)
class HardEdges:
    """The steps of a picture's hard edges.

    Attributes
    ----------
    alpha : (H, W) float32 ndarray
        The step, where there is one near.
    nearest : (H, W) int32 ndarray
        Number of the nearest point of all contours; -1 where none is near.
    fade : (H, W) float32 ndarray
        From 1 to 0 far from the contour.
    """

    alpha: FloatArray
    nearest: IntArray
    fade: FloatArray
    edges: tuple[_Edge, ...]

    def trust(self, alpha: FloatArray) -> FloatArray:
        """Return how sure the steps are, given a preliminary matte; both (H, W) float32, the trust from 0 to 1."""
        if not self.edges:
            return np.zeros_like(alpha)
        trust = np.concatenate([_trust(alpha, edge) for edge in self.edges]).astype(np.float32)
        return np.where(self.nearest >= 0, trust[self.nearest] * self.fade, np.float32(0))


def find_hard_edges(image: FloatArray, trimap: ByteArray, asked: BoolArray, odds: Odds) -> HardEdges:
    """Fit steps along the contours of hard edges.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1].
    trimap : (H, W) uint8 ndarray
    asked : (H, W) bool ndarray
        The part of the band whose edges are hard.
    odds : callable
        See `peel.matte.solve.hard_contour.Odds`.
    """
    edges = tuple(run_all([partial(_edge, image, odds, line) for line in find_contours(image, trimap, asked, odds)]))
    away = np.full(trimap.shape, np.float32((_REACH_PX + 1) ** 2), np.float32)
    step, nearest = np.zeros(trimap.shape, np.float32), np.full(trimap.shape, -1, np.int32)
    first = 0
    for edge in edges:
        line = edge.line
        points, normals = np.ascontiguousarray(line.points), np.ascontiguousarray(line.normals)
        _rasterise(points, normals, edge.sigmas, line.valid, first, away, step, nearest)
        first += len(points)
    fade = np.clip((_REACH_PX - np.sqrt(away)) / np.float32(_FADE_PX), 0, 1)
    return HardEdges(step, nearest, fade.astype(np.float32), edges)


def _steps() -> _Doubles:
    """Return the step of every width along a profile; (sigmas, places)."""
    return np.array([[0.5 * (1 + erf(n / (s * sqrt(2)))) for n in _PROFILE] for s in _SIGMAS])


def _edge(image: FloatArray, odds: Odds, line: HardContour) -> _Edge:
    """Measure a contour's steps."""
    profiles = along_normals(image, line.points, line.normals, _PROFILE).astype(np.float64)
    off = profiles - profiles.mean(axis=1, keepdims=True)
    all_of_it = np.square(off).sum(axis=(1, 2))
    steps = _steps()
    steps -= steps.mean(axis=1, keepdims=True)
    explained = np.square(np.einsum("nkc,sk->nsc", off, steps)).sum(axis=2) / np.square(steps).sum(axis=1)
    rest = np.log((np.maximum(all_of_it[:, None] - explained, 0) + _FLOOR) / (all_of_it[:, None] + _FLOOR))
    costs = _along(rest, line.valid, _WIDTH_PX) + _SHARP * np.log(_SIGMAS)
    sigmas = np.exp(gaussian_filter1d(np.log(_SIGMAS[costs.argmin(axis=1)]), _WIDTH_PX / 2, mode="wrap"))
    judged = _along(rest.min(axis=1), line.valid, _STRETCH_PX)
    ends = profiles[:, -4:].mean(axis=1) - profiles[:, :4].mean(axis=1)
    clear_cut = _ramp(judged, _CLEAR_CUT) * _needed(profiles, odds, line)
    return _Edge(line, sigmas, clear_cut, np.square(ends).sum(axis=1) + _FLOOR / 10)


def _needed(profiles: _Doubles, odds: Odds, line: HardContour) -> _Doubles:
    """Return 1 at the points of a contour beside which colours do not tell the sides apart, nor contradict it.

    It falls to 0 where colours tell, so that the matte needs no step, and where some belong to the other side.
    """
    at = line.points[:, None] + _PROFILE[None, :, None] * line.normals[:, None]
    said = odds(profiles.astype(np.float32), at)
    beside = np.abs(_PROFILE) > _MIXED_PX
    undecided = _along((np.abs(said) < _DECIDED)[:, beside].mean(axis=1), line.valid, _UNDECIDED_PX)
    wrong = np.where(_PROFILE > 0, said < -_SURELY, said > _SURELY)[:, beside].mean(axis=1)
    contradicted = _along(wrong, line.valid, _CONTRADICTED_PX)
    return _ramp(undecided, _UNDECIDED) * (1 - _ramp(contradicted, _CONTRADICTED))


def _ramp(values: _Doubles, ends: tuple[float, float]) -> _Doubles:
    first, last = ends
    return np.asarray(np.clip((values - first) / (last - first), 0, 1))


def _along(values: _Doubles, valid: BoolArray, sigma: float) -> _Doubles:
    """Average the valid values of a closed line along it."""
    weight = valid.astype(np.float64)
    total = np.maximum(gaussian_filter1d(weight, sigma, mode="wrap"), 1e-9)
    shape = (-1,) + (1,) * (values.ndim - 1)
    summed = gaussian_filter1d(values * weight.reshape(shape), sigma, axis=0, mode="wrap")
    return np.asarray(summed / total.reshape(shape))


def _trust(alpha: FloatArray, edge: _Edge) -> _Doubles:
    """Return how far a preliminary matte, too, is a step at each point of a contour, where colours can tell."""
    line = edge.line
    matte = along_normals(alpha, line.points, line.normals, _PROFILE).astype(np.float64)
    step = _steps()[np.searchsorted(_SIGMAS, edge.sigmas).clip(0, len(_SIGMAS) - 1)]
    off = np.square(matte - step).sum(axis=1)
    contrast = np.maximum(_along(edge.contrast, line.valid, _STRETCH_PX), 1e-9)
    mismatch = _along(off * edge.contrast, line.valid, _STRETCH_PX) / contrast
    return np.asarray(edge.clear_cut * (1 - _ramp(mismatch, _MISMATCH)) * line.valid)


@njit(
    "void(float64[:,::1], float64[:,::1], float64[::1], boolean[::1], int64, "
    "float32[:,::1], float32[:,::1], int32[:,::1])",
    cache=True,
    nogil=True,
)
def _rasterise(
    points: Any, normals: Any, sigmas: Any, valid: Any, first: int, near: Any, step: Any, nearest: Any
) -> None:
    """Write the step of the nearest point of a contour, and its number, into every pixel within reach."""
    height, width = near.shape
    for i in range(points.shape[0]):
        if not valid[i]:
            continue
        x0, y0 = int(np.round(points[i, 0])), int(np.round(points[i, 1]))
        for y in range(max(0, y0 - _REACH_PX), min(height, y0 + _REACH_PX + 1)):
            for x in range(max(0, x0 - _REACH_PX), min(width, x0 + _REACH_PX + 1)):
                dx, dy = x - points[i, 0], y - points[i, 1]
                away = dx * dx + dy * dy
                if away >= near[y, x]:
                    continue
                near[y, x] = away
                n = dx * normals[i, 0] + dy * normals[i, 1]
                sign = 1.0 if n >= 0 else -1.0
                d = sign * np.sqrt(away) if away > 4.0 else n
                step[y, x] = 0.5 * (1.0 + erf(d / (sigmas[i] * 1.4142135)))
                nearest[y, x] = first + i
