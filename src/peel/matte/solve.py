"""Compute the matte of a photo, or of a window of it, from its zones."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.conjugate_gradients import Progress, SolveReport, solve_band
from peel.matte.laplacian import assemble_band
from peel.matte.trimap import BACKGROUND, FOREGROUND, UNKNOWN, alpha_from_trimap

__all__ = ["SolveSettings", "band_window", "clean_ends", "solve_matte"]

_COARSEST: Final = 20_000  # unknowns below which a coarser start saves nothing
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
    clean : float
        Alpha closer than this to 0 or 1 becomes 0 or 1.
    """

    eps: float = 1e-7
    tolerance: float = 5e-5
    max_iterations: int = 2000
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
    settings: SolveSettings | None = None,
    progress: Progress | None = None,
    interim: Callable[[FloatArray], None] | None = None,
) -> tuple[FloatArray, SolveReport]:
    """Find alpha in the unsure zone by closed-form matting, coarse to fine.

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
    Levin, Lischinski and Weiss (2008) with hard constraints; see `peel.matte.laplacian`. A piece of band that
    touches neither zone keeps its start.
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
    view, band = np.ascontiguousarray(image[window], np.float32), unknown[window]
    if start is None:

        def show(coarse: FloatArray) -> None:
            if interim is not None:
                shown = alpha.copy()
                shown[window][band] = coarse[band]
                interim(shown)

        start_in = _coarse_start(view, band, alpha[window], settings, progress, show)
    else:
        start_in = start[window].astype(np.float32)
    system = assemble_band(view, band, alpha[window], settings.eps)
    values, report = solve_band(
        system,
        start_in[band],
        tolerance=settings.tolerance,
        max_iterations=settings.max_iterations,
        progress=progress,
    )
    alpha[window][band] = clean_ends(values, settings.clean)
    return alpha, report


def _coarse_start(
    image: FloatArray,
    band: BoolArray,
    alpha: FloatArray,
    settings: SolveSettings,
    progress: Progress | None,
    show: Callable[[FloatArray], None],
) -> FloatArray:
    """Solve at half size, and so on down, and scale the answer up."""
    height, width = band.shape
    if int(band.sum()) < _COARSEST or min(height, width) < 16:
        return np.where(band, np.float32(0.5), alpha)
    size = (width // 2, height // 2)
    small_image = cv2.resize(image, size, interpolation=cv2.INTER_AREA)
    small_band = cv2.resize(band.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0
    small_alpha = cv2.resize(alpha, size, interpolation=cv2.INTER_AREA)
    trimap = np.full(small_band.shape, UNKNOWN, np.uint8)
    trimap[~small_band & (small_alpha < 0.25)] = BACKGROUND
    trimap[~small_band & (small_alpha > 0.75)] = FOREGROUND
    # Where a held rim gave values in between, keep them as they are.
    rim = np.where(small_band, np.float32(np.nan), small_alpha)
    # The quarter of the pixels takes about a quarter of the time, so its progress is not told, only its stop.
    quiet: Progress | None = (lambda _share: progress(0.0)) if progress else None

    def enlarged(solved: FloatArray) -> FloatArray:
        return cv2.resize(solved, (width, height), interpolation=cv2.INTER_LINEAR)

    solved, _ = solve_matte(
        small_image,
        trimap,
        rim=rim,
        settings=settings,
        progress=quiet,
        interim=lambda coarse: show(enlarged(coarse)),
    )
    start = enlarged(solved)
    show(start)
    return start
