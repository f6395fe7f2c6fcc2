"""Steps along the contours of plain edges, where alpha goes from 0 to 1 over the width of the photo's own blur.

The contours are those of `peel.matte.solve.contour_search`. How wide the step is follows from the photo along a
stretch: before, behind and through it the colours of both sides may change evenly. Whether there is a step at all
follows from how much of the photo it explains, and from a preliminary matte: where that is nothing like a step although
the colours of both sides are different, the edge is another kind. Where colours tell the sides apart, no step is
needed.
"""

from dataclasses import dataclass
from functools import cached_property, partial
from math import erf
from typing import Any, Final

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from peel.matte.arrays import BoolArray, ByteArray, FloatArray, IntArray
from peel.matte.parallel import run_all
from peel.matte.solve.contour_search import Compare, Contour, Search, along_normals, blurred_step, find_contours

__all__ = ["BLURRED", "SHARP", "Blur", "Steps", "find_steps"]

_FLOOR: Final = 0.0012  # summed squared difference over a profile that texture explains
_STRETCH_PX: Final = 40.0  # along the contour, over which it is judged, and over which a width is one
_CLEAR_CUT: Final = (-0.60, -0.90)  # logarithm of the unexplained part of the photo where an edge is a step, surely
_LEAD: Final = (0.25, 0.5)  # by which a contour has to be better than one beside it to be trusted, and fully
_MISMATCH: Final = (1.2, 2.2)  # summed squared difference from the preliminary matte of a step, and of hair
_BESIDE_PX: Final = 8.0  # to either side of a step's own width, over which matte and colours are compared
_MIXED_PX: Final = 2.0  # ... and within which colours are mixed
_DECIDED: Final = 12.0  # logarithm of the odds from which a colour tells which side it belongs to
_UNDECIDED: Final = (0.2, 0.45)  # share of colours that do not tell, from which a step is needed, and fully
_SURELY: Final = 6.0  # logarithm of the odds from which a colour contradicts a contour
_CONTRADICTED: Final = (0.04, 0.13)  # share of such colours from which a contour is doubted, and is none
_CONTRADICTED_PX: Final = 6.0  # along the contour, over which they are counted
_STRANGE_FAR: Final = 25.0  # squared Mahalanobis distance from which a colour is no colour of a side
_STRANGE: Final = (0.04, 0.12)  # share of such colours from which a contour is doubted, and is none
_WIDTHS: Final = 3.0  # sigmas from the contour, as far as which a step says anything
_FADE_PX: Final = 4.0  # ... beyond which it fades

_Doubles = NDArray[np.float64]


@dataclass(frozen=True)
class Blur:
    """How far the photo may blur an edge.

    Attributes
    ----------
    search : Search
        What contour it is fitted along.
    reaches : tuple
        Sigmas of the steps that are fitted along it, and how far to either side each is compared with the photo.
    wider : float
        Cost of a wider step, per unit of the logarithm of its sigma: places that are a little off look wider.
    fears_rivals : bool
        Whether a contour is doubted where one beside it is as clear. Beside a blurred one each is.
    """

    search: Search
    reaches: tuple[tuple[tuple[float, ...], int], ...]
    wider: float
    fears_rivals: bool

    @cached_property
    def sigmas(self) -> _Doubles:
        """Every sigma that is fitted."""
        return np.array([sigma for sigmas, _ in self.reaches for sigma in sigmas])

    @cached_property
    def places(self) -> _Doubles:
        """The places of a profile."""
        reach = max(reach for _, reach in self.reaches)
        return np.arange(-reach, reach + 1, dtype=np.float64)

    @cached_property
    def steps(self) -> _Doubles:
        """The step of every width along a profile; (sigmas, places)."""
        return np.array([blurred_step(self.places, sigma) for sigma in self.sigmas])

    @cached_property
    def bases(self) -> list[tuple[slice, _Doubles, _Doubles]]:
        """For each reach, the part of a profile, and orthonormal bases of even changes and of what steps add.

        The bases are (places, 2) and (S, places, 2).
        """
        found = []
        for sigmas, reach in self.reaches:
            part = slice(len(self.places) // 2 - reach, len(self.places) // 2 + reach + 1)
            slope = self.places[part] / reach
            even = np.linalg.qr(np.stack([np.ones_like(slope), slope], axis=1))[0]
            steps = self.steps[np.isin(self.sigmas, sigmas)][:, part]
            more = [np.stack([step, step * slope], axis=1) for step in steps]
            found.append((part, even, np.stack([np.linalg.qr(own - even @ (even.T @ own))[0] for own in more])))
        return found


SHARP: Final = Blur(Search((0.6, 1.2), 12.0), (((0.75, 1.1), 8), ((1.6, 2.4, 3.6), 14)), 0.3, fears_rivals=True)
"""Edges that are in focus, or nearly."""

BLURRED: Final = Blur(
    Search((0.75, 1.5, 3.0, 5.0, 8.0, 12.0), 24.0, 1.25),
    (((0.75, 1.2, 1.8, 2.7, 4.0, 6.0, 9.0, 13.0), 28),),
    0.05,
    fears_rivals=False,
)
"""Edges that may be far out of focus."""


@dataclass(frozen=True)
class _Edge:
    """What is known of a contour.

    Attributes
    ----------
    line : Contour
    blur : Blur
    sigmas : (N,) float64 ndarray
        Width of the step.
    clear_cut : (N,) float64 ndarray
        How far there is a step, and one is needed, from 0 to 1.
    contrast : (N,) float64 ndarray
        Summed squared difference between the colours of both sides.
    """

    line: Contour
    blur: Blur
    sigmas: _Doubles
    clear_cut: _Doubles
    contrast: _Doubles


@dataclass(frozen=True)
class Steps:
    """The steps of a picture's plain edges.

    Attributes
    ----------
    alpha : (H, W) float32 ndarray
        The step, where there is one near.
    nearest : (H, W) int32 ndarray
        Number of the nearest point of all contours; -1 where none is near.
    fade : (H, W) float32 ndarray
        From 1 to 0 far from the contour.
    edges : tuple of _Edge
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


def find_steps(image: FloatArray, trimap: ByteArray, asked: BoolArray, compare: Compare, blur: Blur) -> Steps:
    """Fit steps along the contours of edges without strands.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1].
    trimap : (H, W) uint8 ndarray
    asked : (H, W) bool ndarray
        The part of the band that has such edges.
    compare : callable
        See `peel.matte.solve.contour_search.Compare`.
    blur : Blur
    """
    edges = tuple(
        run_all(
            [
                partial(_edge, image, compare, line, blur)
                for line in find_contours(image, trimap, asked, compare, blur.search)
            ]
        )
    )
    away = np.full(trimap.shape, np.float32(1e9), np.float32)
    step, fade = np.zeros(trimap.shape, np.float32), np.zeros(trimap.shape, np.float32)
    nearest = np.full(trimap.shape, -1, np.int32)
    first = 0
    for edge in edges:
        line = edge.line
        points, normals = np.ascontiguousarray(line.points), np.ascontiguousarray(line.normals)
        _rasterise(points, normals, edge.sigmas, line.valid, first, away, step, nearest, fade)
        first += len(points)
    return Steps(step, nearest, fade, edges)


def _unexplained(profiles: _Doubles, blur: Blur) -> _Doubles:
    """Return the logarithm of the part of profiles, (N, places, 3), that a step of each width leaves, (N, S).

    Wide steps are looked for over long stretches; beside a sharp one a short stretch tells, and what lies beyond it,
    such as the next edge, does not count.
    """
    costs = []
    for part, even, more in blur.bases:
        own = profiles[:, part]
        uneven = own - np.einsum("kj,nlc,lj->nkc", even, own, even, optimize=True)
        left = np.square(uneven).sum(axis=(1, 2))[:, None]
        explained = np.square(np.einsum("nkc,skj->nsjc", uneven, more, optimize=True)).sum(axis=(2, 3))
        costs.append(np.log((np.maximum(left - explained, 0) + _FLOOR) / (left + _FLOOR)))
    return np.concatenate(costs, axis=1)


def _edge(image: FloatArray, compare: Compare, line: Contour, blur: Blur) -> _Edge:
    """Measure a contour's steps."""
    profiles = along_normals(image, line.points, line.normals, blur.places).astype(np.float64)
    costs = _along(_unexplained(profiles, blur), line.valid, _STRETCH_PX)
    chosen = (costs + blur.wider * np.log(blur.sigmas)).argmin(axis=1)
    sigmas = np.exp(gaussian_filter1d(np.log(blur.sigmas[chosen]), _STRETCH_PX / 2, mode="wrap"))
    judged = costs[np.arange(len(chosen)), chosen]
    ends = profiles[:, -4:].mean(axis=1) - profiles[:, :4].mean(axis=1)
    needed = _needed(profiles, sigmas, compare, line, blur)
    if blur.fears_rivals:
        needed *= _ramp(line.lead, _LEAD)
    return _Edge(line, blur, sigmas, _ramp(judged, _CLEAR_CUT) * needed, np.square(ends).sum(axis=1) + _FLOOR / 10)


def _needed(profiles: _Doubles, sigmas: _Doubles, compare: Compare, line: Contour, blur: Blur) -> _Doubles:
    """Return 1 at the points of a contour beside which colours are those of each side but do not tell them apart.

    It falls to 0 where colours tell, so that the matte needs no step; where some contradict the contour; and where they
    are no marked side's, as those of gauze and of hair in the light are.
    """
    at = line.points[:, None] + blur.places[None, :, None] * line.normals[:, None]
    sides = compare(profiles.astype(np.float32), at)
    away = np.abs(blur.places)[None] - 2 * (sigmas[:, None] - blur.sigmas[0])
    beside = (away > _MIXED_PX) & (away <= _BESIDE_PX)
    inside = blur.places > 0
    count = np.maximum(beside.sum(axis=1), 1)

    def share(which: BoolArray, sigma: float) -> _Doubles:
        return _along((beside & which).sum(axis=1) / count, line.valid, sigma)

    undecided = share(np.abs(sides.odds) < _DECIDED, _STRETCH_PX)
    wrong = share(np.where(inside, sides.odds < -_SURELY, sides.odds > _SURELY), _CONTRADICTED_PX)
    strange = share(np.where(inside, sides.from_subject, sides.from_backdrop) > _STRANGE_FAR, _STRETCH_PX / 2)
    return _ramp(undecided, _UNDECIDED) * (1 - _ramp(wrong, _CONTRADICTED)) * (1 - _ramp(strange, _STRANGE))


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
    line, blur = edge.line, edge.blur
    matte = along_normals(alpha, line.points, line.normals, blur.places).astype(np.float64)
    step = blur.steps[np.abs(np.log(edge.sigmas[:, None] / blur.sigmas)).argmin(axis=1)]
    off = (np.square(matte - step) * (np.abs(blur.places) <= _BESIDE_PX)).sum(axis=1)
    contrast = np.maximum(_along(edge.contrast, line.valid, _STRETCH_PX), 1e-9)
    mismatch = _along(off * edge.contrast, line.valid, _STRETCH_PX) / contrast
    return np.asarray(edge.clear_cut * (1 - _ramp(mismatch, _MISMATCH)) * line.valid)


@njit(
    "void(float64[:,::1], float64[:,::1], float64[::1], boolean[::1], int64, "
    "float32[:,::1], float32[:,::1], int32[:,::1], float32[:,::1])",
    cache=True,
    nogil=True,
)
def _rasterise(
    points: Any, normals: Any, sigmas: Any, valid: Any, first: int, near: Any, step: Any, nearest: Any, fade: Any
) -> None:
    """Write the step of the nearest point of a contour, its number and its fading into every pixel within reach."""
    height, width = near.shape
    for i in range(points.shape[0]):
        if not valid[i]:
            continue
        full = _MIXED_PX + _WIDTHS * sigmas[i]
        reach = int(np.ceil(full + _FADE_PX))
        x0, y0 = int(np.round(points[i, 0])), int(np.round(points[i, 1]))
        for y in range(max(0, y0 - reach), min(height, y0 + reach + 1)):
            for x in range(max(0, x0 - reach), min(width, x0 + reach + 1)):
                dx, dy = x - points[i, 0], y - points[i, 1]
                away = dx * dx + dy * dy
                if away >= near[y, x] or away >= reach * reach:
                    continue
                near[y, x] = away
                n = dx * normals[i, 0] + dy * normals[i, 1]
                sign = 1.0 if n >= 0 else -1.0
                far = np.sqrt(away)
                d = sign * far if away > 4.0 else n
                step[y, x] = 0.5 * (1.0 + erf(d / (sigmas[i] * 1.4142135)))
                nearest[y, x] = first + i
                fade[y, x] = min(max((full + _FADE_PX - far) / _FADE_PX, 0.0), 1.0)
