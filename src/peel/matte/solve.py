"""Compute the matte of a photo, or of a window of it, from its zones."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.conjugate_gradients import NOTHING_TO_DO, Progress, Pull, SolveReport, solve_band
from peel.matte.evening import even_out
from peel.matte.laplacian import BandSystem, assemble_band
from peel.matte.local_colours import LocalColours, block_side
from peel.matte.noise import NoiseCurve, measure_noise
from peel.matte.parallel import checkpoint, in_portions, picked
from peel.matte.sampling import ColourPrior, colour_prior, subject_palette
from peel.matte.sparsity import pull_to_ends, roughness
from peel.matte.trimap import BACKGROUND, FOREGROUND, alpha_from_trimap

__all__ = ["GRID", "LENDING", "REACH", "SolveSettings", "band_window", "clean_ends", "solve_matte"]

_AT_ONCE: Final = 500_000  # pixels weighed in one go
_ROWS: Final = 256  # looked through at a time
_MARGINS: Final = (0.008, 0.03, 0.08)  # least, most in plain stretches, and most by which ends are cleaned

REACH: Final = 2
"""Pixels around a band that its windows read."""

LENDING: Final = 64
"""Pixels around a band that lend it their colours once a first answer is known."""

GRID: Final = 32
"""A window begins at a multiple of it, so that blocks of pixels are the same in every window."""


@dataclass(frozen=True)
class SolveSettings:
    """How the matte is computed.

    Attributes
    ----------
    eps : float
        Regulariser of the colour covariance, for colours in [0, 1]. Larger: smoother, fewer thin strands.
    tolerance : float
        Root mean square by which alpha may still move in four iterations when the solver stops.
    max_iterations : int
        Bound on the solver's iterations.
    prior_weight : float
        Pull of a fully trusted colour estimate. Larger: clearer gaps, but alike colours on both sides mislead more.
    clean : float
        Alpha closer to 0 or 1 than this many deviations of its own noise becomes 0 or 1; 0
        leaves the solution as it is, noise included.
    sparse : bool
        Whether what is nearly clear or solid in a first answer is pulled there.
    nearby : bool
        Whether the colours around each pixel are asked again once a first answer tells subject from backdrop.
    """

    eps: float = 1e-7
    tolerance: float = 8e-4
    max_iterations: int = 500
    prior_weight: float = 3e-3
    clean: float = 2.0
    sparse: bool = True
    nearby: bool = True


def band_window(unknown: BoolArray, reach: int = REACH) -> tuple[slice, slice] | None:
    """Give the smallest window holding the band and `reach` pixels around it, or None without a band."""
    rows, columns = np.flatnonzero(unknown.any(axis=1)), np.flatnonzero(unknown.any(axis=0))
    if rows.size == 0:
        return None
    return (
        slice(max(0, int(rows[0]) - reach), int(rows[-1]) + reach + 1),
        slice(max(0, int(columns[0]) - reach), int(columns[-1]) + reach + 1),
    )


def clean_ends(alpha: FloatArray, margin: FloatArray | float, *, stretch: BoolArray | bool = True) -> FloatArray:
    """Set values within `margin` of 0 or 1 to 0 or 1; a new array.

    Where `stretch` is set, what lies up to twice as far is stretched, so that there is no step.

    >>> [round(float(value), 3) for value in clean_ends(np.array([-0.1, 0.01, 0.03, 0.5, 0.995], np.float32), 0.02)]
    [0.0, 0.0, 0.02, 0.5, 1.0]
    """
    out = np.clip(alpha, 0.0, 1.0)
    ends = np.minimum(out, 1 - out)
    kept = np.where(stretch, np.minimum(ends, 2 * (ends - margin)), ends)
    kept[ends <= margin] = 0
    return np.asarray(np.where(out < 0.5, kept, 1 - kept), np.float32)


def solve_matte(
    image: FloatArray,
    trimap: ByteArray,
    *,
    rim: FloatArray | None = None,
    prior: ColourPrior | None = None,
    noise: NoiseCurve | None = None,
    own_colours: FloatArray | None = None,
    photo_shape: tuple[int, int] | None = None,
    settings: SolveSettings | None = None,
    progress: Progress | None = None,
    interim: Callable[[FloatArray], None] | None = None,
) -> tuple[FloatArray, SolveReport]:
    """Find alpha in the unsure zone by closed-form matting with a colour prior.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1].
    trimap : (H, W) uint8 ndarray
        BACKGROUND, UNKNOWN, FOREGROUND.
    rim : (H, W) float32 ndarray, optional
        Alpha to hold where it is not NaN, over and above what the zones fix: the border of a local solve.
    prior : ColourPrior, optional
        What colour says by itself; found here if it is not given.
    noise : NoiseCurve, optional
        The photo's; measured here if it is not given.
    own_colours : (K, 3) float32 ndarray, optional
        Colours of the subject that no certain pixel shows, such as that of sheer cloth.
    photo_shape : tuple of int, optional
        Height and width of the photo of which this is a window; the window then begins at multiples of 32. The
        picture's own if not given.
    settings : SolveSettings, optional
    progress : callable, optional
        Told the share done.
    interim : callable, optional
        Given a first answer while the rest is computed, to be looked at meanwhile.

    Returns
    -------
    (H, W) float32 ndarray
        In [0, 1]; exactly 0 or 1 where the zones say so.
    SolveReport

    Raises
    ------
    Cancelled
        If it is called off; see `peel.matte.parallel.stopping`.
    ValueError
        If the shapes do not agree.

    Notes
    -----
    Minimises ``alpha' L alpha + w sum_i c_i (alpha_i - p_i)^2``: Levin, Lischinski and Weiss (2008), see
    `peel.matte.laplacian`, with the estimate of `peel.matte.sampling`; then twice more with the pulls of
    `peel.matte.local_colours` and `peel.matte.sparsity`. A piece of band that touches neither zone and
    has no estimate stays at one half.
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
    window = _lending_window(unknown)
    if window is None:
        return alpha, NOTHING_TO_DO
    view, band = _finite(image[window]), unknown[window]
    checkpoint()
    noise = noise or measure_noise(view)
    checkpoint()
    photo_shape = photo_shape or trimap.shape
    if prior is None:
        prior = colour_prior(
            view,
            np.ascontiguousarray(trimap[window]),
            noise=noise,
            wanted=band,
            photo_shape=photo_shape,
            palette=_finite(subject_palette(image, trimap)),
        )
    else:
        prior = prior.part(window)

    def show(values: FloatArray) -> None:
        shown = alpha.copy()
        shown[window][band] = np.clip(values, 0, 1)
        if interim is not None:
            interim(shown)

    checkpoint()
    rough = roughness(prior.plain, band)
    side = block_side(photo_shape[0] * photo_shape[1])
    sheer = np.empty((0, 3), np.float32) if own_colours is None else np.ascontiguousarray(own_colours, np.float32)
    near = LocalColours(view, alpha[window], band, rough, noise, side, sheer)
    checkpoint()
    estimate, confidence = picked(prior.alpha, band), picked(prior.confidence, band)
    values, report = solve_band(
        _system(view, band, alpha[window], confidence * np.float32(settings.prior_weight), estimate, settings.eps),
        picked(view, band),
        picked(alpha[window], band),
        tolerance=settings.tolerance,
        max_iterations=settings.max_iterations,
        pulls=_pulls(near, estimate, confidence, settings),
        progress=progress,
        interim=show if interim else None,
    )
    alpha[window][band] = values
    alpha[window][band] = _cleaned(np.ascontiguousarray(alpha[window]), band, prior.plain, settings.clean)
    return alpha, report


def _lending_window(unknown: BoolArray) -> tuple[slice, slice] | None:
    """Give the window around the band that lends it colours; all of a picture that is mostly window, uncopied."""
    window = band_window(unknown, LENDING)
    if window is None:
        return None
    rows, columns = (slice(part.start // GRID * GRID, part.stop) for part in window)
    if 2 * unknown[rows, columns].size > unknown.size:
        return slice(0, unknown.shape[0]), slice(0, unknown.shape[1])
    return rows, columns


def _finite(colours: FloatArray) -> FloatArray:
    """Give colours with no gaps in memory; a picture of floats may hold anything, and what is no number is black."""
    colours = np.ascontiguousarray(colours, np.float32)
    if np.isfinite(in_portions(lambda part: colours[part].sum(dtype=np.float64), len(colours), _ROWS)).all():
        return colours
    return np.nan_to_num(colours, nan=0.0, posinf=1.0, neginf=0.0)


def _pulls(near: LocalColours, estimate: FloatArray, confidence: FloatArray, settings: SolveSettings) -> list[Pull]:
    """List what is asked for pulls after each rough answer."""

    def to_ends(alpha: FloatArray) -> tuple[FloatArray, FloatArray]:
        weight, towards = np.empty_like(alpha), np.empty_like(alpha)

        def some(part: slice) -> None:
            given = (values[part] for values in (alpha, estimate, confidence, near.rough))
            weight[part], towards[part] = pull_to_ends(*given)

        in_portions(some, len(alpha), _AT_ONCE)
        return weight, towards

    asked: list[tuple[bool, Pull]] = [(settings.nearby, near.pull), (settings.sparse, to_ends)]
    return [pull for wanted, pull in asked if wanted]


def _cleaned(alpha: FloatArray, band: BoolArray, plain: ByteArray, deviations: float) -> FloatArray:
    """Take the photo's noise out of a matte, and make its ends clear and solid; the band's values."""
    if deviations <= 0:
        return np.clip(alpha[band], 0, 1)
    evened, left = even_out(alpha, np.ascontiguousarray(plain))
    least, in_plain, most = _MARGINS

    def clean(part: slice) -> FloatArray:
        wanted = band[part]
        rough = plain[part][wanted] < 2
        margin = np.clip(np.float32(deviations) * left[part][wanted], least, np.where(rough, most, in_plain))
        # a faint slope over a plain stretch is an edge out of focus: it stays as it is
        return clean_ends(evened[part][wanted], margin, stretch=rough)

    return np.concatenate(in_portions(clean, len(band), _ROWS))


def _system(
    image: FloatArray, band: BoolArray, fixed: FloatArray, weight: FloatArray, estimate: FloatArray, eps: float
) -> BandSystem:
    """Assemble the Laplacian and the pull of an estimate."""
    system = assemble_band(image, band, fixed, eps)
    checkpoint()
    system.stencil[0] += weight
    system.rhs[...] += weight * estimate
    return system
