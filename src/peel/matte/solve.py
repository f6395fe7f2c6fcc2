"""Compute the matte of a photo, or of a window of it, from its zones."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.conjugate_gradients import Progress, SolveReport, solve_band
from peel.matte.laplacian import assemble_band
from peel.matte.sampling import ColourPrior, colour_prior, is_halved
from peel.matte.trimap import BACKGROUND, FOREGROUND, alpha_from_trimap

__all__ = ["SolveSettings", "band_window", "clean_ends", "solve_matte"]

_COARSEST: Final = 20_000  # unknowns below which a coarser start saves nothing
_LOOSER: Final = 2.0  # how much less exactly each coarser size is solved
_REACH: Final = 2  # pixels around the band that its windows read


@dataclass(frozen=True)
class SolveSettings:
    """How the matte is computed.

    Attributes
    ----------
    eps : float
        Regulariser of the colour covariance, for colours in [0, 1]. Larger: smoother, fewer thin strands.
    tolerance : float
        Relative residual at which the solver stops.
    max_iterations : int
        Bound on the solver's iterations at each resolution.
    prior_weight : float
        Pull of a fully trusted colour estimate. Larger: clearer gaps, but alike colours on both sides mislead more.
    clean : float
        Alpha closer than this to 0 or 1 becomes 0 or 1.
    """

    eps: float = 1e-7
    tolerance: float = 1e-4
    max_iterations: int = 2000
    prior_weight: float = 1e-3
    clean: float = 0.012


def band_window(unknown: BoolArray, reach: int = _REACH) -> tuple[slice, slice] | None:
    """Give the smallest window holding the band and `reach` pixels around it, or None without a band."""
    rows, columns = np.flatnonzero(unknown.any(axis=1)), np.flatnonzero(unknown.any(axis=0))
    if rows.size == 0:
        return None
    return (
        slice(max(0, int(rows[0]) - reach), int(rows[-1]) + reach + 1),
        slice(max(0, int(columns[0]) - reach), int(columns[-1]) + reach + 1),
    )


def clean_ends(alpha: FloatArray, margin: float) -> FloatArray:
    """Set values within `margin` of 0 or 1 to 0 or 1; a new array, clipped to [0, 1].

    >>> clean_ends(np.array([-0.1, 0.005, 0.5, 0.995], np.float32), 0.01).tolist()
    [0.0, 0.0, 0.5, 1.0]
    """
    out = np.clip(alpha, 0.0, 1.0)
    out[out < margin] = 0.0
    out[out > 1.0 - margin] = 1.0
    return out


def solve_matte(
    image: FloatArray,
    trimap: ByteArray,
    *,
    start: FloatArray | None = None,
    rim: FloatArray | None = None,
    prior: ColourPrior | None = None,
    settings: SolveSettings | None = None,
    progress: Progress | None = None,
    interim: Callable[[FloatArray], None] | None = None,
) -> tuple[FloatArray, SolveReport]:
    """Find alpha in the unsure zone by closed-form matting with a colour prior, coarse to fine.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1].
    trimap : (H, W) uint8 ndarray
        BACKGROUND, UNKNOWN, FOREGROUND.
    start : (H, W) float32 ndarray, optional
        A matte to start from; without one, a coarser solve is the start.
    rim : (H, W) float32 ndarray, optional
        Alpha to hold where it is not NaN, over and above what the zones fix: the border of a local solve.
    prior : ColourPrior, optional
        What colour says by itself; found here if it is not given.
    settings : SolveSettings, optional
    progress : callable, optional
        Told the share done; answers False to stop.
    interim : callable, optional
        Given each coarser answer at full size as it comes in, to be looked at meanwhile.

    Returns
    -------
    (H, W) float32 ndarray
        In [0, 1]; exactly 0 or 1 where the zones say so.
    SolveReport

    Raises
    ------
    Cancelled
        If `progress` said to stop.
    ValueError
        If the shapes do not agree.

    Notes
    -----
    Minimises ``alpha' L alpha + w sum_i c_i (alpha_i - p_i)^2``: Levin, Lischinski and Weiss (2008), see
    `peel.matte.laplacian`, with the estimate of `peel.matte.sampling`. A piece of band that touches neither zone and
    has no estimate keeps its start.
    """
    if image.shape != (*trimap.shape, 3):
        msg = f"image {image.shape} and trimap {trimap.shape} do not agree"
        raise ValueError(msg)
    settings = settings or SolveSettings()
    alpha = alpha_from_trimap(trimap)
    unknown = (trimap != BACKGROUND) & (trimap != FOREGROUND)
    if rim is not None:
        held = unknown & ~np.isnan(rim)
        alpha[held] = rim[held]
        unknown = unknown & ~held
    window = band_window(unknown)
    if window is None:
        return alpha, SolveReport(0, 0, 0.0, True)
    view = np.ascontiguousarray(image[window], np.float32)
    if prior is None:
        prior = colour_prior(
            view, np.ascontiguousarray(trimap[window]), wanted=unknown[window], halved=is_halved(*trimap.shape)
        )
    else:
        prior = prior.part(window)
    level = _Level(view, unknown[window], alpha[window], prior, None if start is None else start[window])

    def show(coarse: FloatArray) -> None:
        if interim is not None:
            shown = alpha.copy()
            shown[window][unknown[window]] = coarse[unknown[window]]
            interim(shown)

    values, report = _solve_level(level, settings, progress, show)
    alpha[window][unknown[window]] = clean_ends(values, settings.clean)
    return alpha, report


@dataclass(frozen=True)
class _Level:
    """What is solved at one size: colours, which pixels are free, what the others hold, the prior, and a start."""

    image: FloatArray
    band: BoolArray
    fixed: FloatArray
    prior: ColourPrior
    start: FloatArray | None

    def smaller(self) -> "_Level":
        """Give the same at half size; a pixel that covers any free one is free."""
        size = (self.band.shape[1] // 2, self.band.shape[0] // 2)
        free = self.band.astype(np.float32)
        trust = _halved(self.prior.confidence, size)
        weighted = _halved(self.prior.alpha * self.prior.confidence, size)
        alpha: FloatArray = np.where(trust > 0, weighted / np.maximum(trust, np.float32(1e-6)), np.float32(0.5))
        prior = ColourPrior(alpha, trust)
        return _Level(_halved(self.image, size), _halved(free, size) > 0, _halved(self.fixed, size), prior, None)


def _halved(picture: FloatArray, size: tuple[int, int]) -> FloatArray:
    return cv2.resize(picture, size, interpolation=cv2.INTER_AREA)


def _solve_level(
    level: _Level, settings: SolveSettings, progress: Progress | None, show: Callable[[FloatArray], None]
) -> tuple[FloatArray, SolveReport]:
    """Solve a level from a coarser one, or from the start it was given; values of the free pixels."""
    start = level.start if level.start is not None else _coarse_start(level, settings, progress, show)
    system = assemble_band(level.image, level.band, level.fixed, settings.eps)
    trust = level.prior.confidence[level.band] * np.float32(settings.prior_weight)
    system.stencil[0] += trust
    system.rhs[...] += trust * level.prior.alpha[level.band]
    return solve_band(
        system,
        start[level.band],
        tolerance=settings.tolerance,
        max_iterations=settings.max_iterations,
        progress=progress,
    )


def _coarse_start(
    level: _Level, settings: SolveSettings, progress: Progress | None, show: Callable[[FloatArray], None]
) -> FloatArray:
    """Solve at half size, and so on down, and scale the answer up."""
    height, width = level.band.shape
    if int(level.band.sum()) < _COARSEST or min(height, width) < 16:
        half = np.float32(0.5)
        return np.asarray(half + level.prior.confidence * (level.prior.alpha - half), np.float32)

    def enlarged(solved: FloatArray) -> FloatArray:
        return cv2.resize(solved, (width, height), interpolation=cv2.INTER_LINEAR)

    coarser = level.smaller()
    # A start need not be exact, and the quarter of the pixels takes about a quarter of the time: only stops are told.
    looser = replace(settings, tolerance=settings.tolerance * _LOOSER)
    quiet: Progress | None = (lambda _share: progress(0.0)) if progress else None
    values, _ = _solve_level(coarser, looser, quiet, lambda coarse: show(enlarged(coarse)))
    solved = coarser.fixed.copy()
    solved[coarser.band] = clean_ends(values, settings.clean)
    start = enlarged(solved)
    # Where colour is sure of itself it starts closer than a coarser answer, in which thin gaps have closed.
    start += np.square(level.prior.confidence) * (level.prior.alpha - start)
    show(start)
    return start
