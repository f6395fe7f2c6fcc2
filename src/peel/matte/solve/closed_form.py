"""Compute the matte of a photo, or of a window of it, from its zones: closed-form matting with priors.

References
----------
.. [1] A. Levin, D. Lischinski, Y. Weiss, "A closed-form solution to natural image matting", IEEE Transactions on
   Pattern Analysis and Machine Intelligence 30(2), 2008, pp. 228-242. :doi:`10.1109/TPAMI.2007.1177`
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.trimap import alpha_from_trimap
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.parallel import checkpoint, map_chunks, masked_values
from peel.matte.solve.conjugate_gradients import NOTHING_TO_DO, PriorTerms, Progress, SolveReport, solve_band
from peel.matte.solve.evidence import Evidence, gather_evidence, line_terms, step_terms
from peel.matte.solve.laplacian import BandSystem, assemble_band
from peel.matte.solve.local_colours import LocalColourModel, block_side
from peel.matte.solve.matte_denoising import denoise_matte
from peel.matte.solve.noise import NoiseCurve, measure_noise
from peel.matte.solve.sampling import ColourPrior, colour_prior, subject_palette
from peel.matte.solve.settings import EdgeTerms, SolveSettings
from peel.matte.solve.sparsity import sparsity_terms, texture_weight
from peel.matte.solve.step_fit import BLURRED, SHARP
from peel.matte.solve.term_maps import TermMaps

__all__ = ["ALIGNMENT", "COLOUR_MARGIN", "WINDOW_REACH", "Given", "band_window", "clean_ends", "solve_matte"]

_AT_ONCE: Final = 500_000  # pixels weighed per task
_ROWS: Final = 256  # per task
_BLURS: Final = {"steps": SHARP, "ramps": BLURRED}  # by the name of their weight
_MARGINS: Final = (0.008, 0.03, 0.08)  # least, most in plain stretches, and most by which ends are cleaned

WINDOW_REACH: Final = 2
"""Pixels around the band that the Laplacian's windows read."""

COLOUR_MARGIN: Final = 64
"""Pixels around the band whose colours enter the local colour model."""

ALIGNMENT: Final = 32
"""Windows begin at multiples of this, so that blocks of pixels are the same in every window."""


def band_window(unknown: BoolArray, reach: int = WINDOW_REACH) -> tuple[slice, slice] | None:
    """Return the smallest window around the band and `reach` pixels beyond it, or None without a band.

    The band is (H, W) bool.
    """
    rows, columns = np.flatnonzero(unknown.any(axis=1)), np.flatnonzero(unknown.any(axis=0))
    if rows.size == 0:
        return None
    return (
        slice(max(0, int(rows[0]) - reach), int(rows[-1]) + reach + 1),
        slice(max(0, int(columns[0]) - reach), int(columns[-1]) + reach + 1),
    )


def clean_ends(alpha: FloatArray, margin: FloatArray | float, *, stretch: BoolArray | bool = True) -> FloatArray:
    """Set values within `margin` of 0 or 1 to 0 or 1; a new array.

    Where `stretch` is set, values up to twice as far away are stretched, so that no step is left.

    >>> [round(float(value), 3) for value in clean_ends(np.array([-0.1, 0.01, 0.03, 0.5, 0.995], np.float32), 0.02)]
    [0.0, 0.0, 0.02, 0.5, 1.0]
    """
    out = np.clip(alpha, 0.0, 1.0)
    ends = np.minimum(out, 1 - out)
    kept = np.where(stretch, np.minimum(ends, 2 * (ends - margin)), ends)
    kept[ends <= margin] = 0
    return np.asarray(np.where(out < 0.5, kept, 1 - kept), np.float32)


@dataclass(frozen=True)
class Given:
    """What is known beside a picture and its trimap; what is left out is found, or taken to be nothing.

    Attributes
    ----------
    rim : (H, W) float32 ndarray, optional
        Alpha to hold fixed where it is not NaN, besides what the zones fix: the border of a local solve.
    guide : (H, W, 3) float32 ndarray, optional
        What the Laplacian looks at in place of the picture.
    prior : ColourPrior, optional
        Estimate from sampled colours.
    evidence : Evidence, optional
        Of patches, lines and veils; gathered as for encoded colours if not given.
    noise : NoiseCurve, optional
        The photo's.
    own_colours : (K, 3) float32 ndarray, optional
        Colours of the subject that no certain pixel shows, such as that of sheer cloth.
    photo_shape : tuple of int, optional
        Height and width of the photo of which this is a window; the window then begins at multiples of 32. The
        picture's own if not given.
    maps : TermMaps, optional
        How the weights of the settings' terms vary over the picture, such as with the kind of edge.
    """

    rim: FloatArray | None = None
    guide: FloatArray | None = None
    prior: ColourPrior | None = None
    evidence: Evidence | None = None
    noise: NoiseCurve | None = None
    own_colours: FloatArray | None = None
    photo_shape: tuple[int, int] | None = None
    maps: TermMaps | None = None


def solve_matte(
    image: FloatArray,
    trimap: ByteArray,
    given: Given | None = None,
    *,
    settings: SolveSettings | None = None,
    progress: Progress | None = None,
) -> tuple[FloatArray, SolveReport]:
    """Compute alpha in the unknown zone by closed-form matting with colour and sparsity priors.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1].
    trimap : (H, W) uint8 ndarray
        BACKGROUND, UNKNOWN, FOREGROUND.
    given : Given, optional
    settings : SolveSettings, optional
    progress : callable, optional
        Called with the share done.

    Returns
    -------
    (H, W) float32 ndarray
        In [0, 1]; exactly 0 or 1 where the zones say so.
    SolveReport

    Raises
    ------
    Cancelled
        If it is cancelled; see `peel.matte.parallel.cancellable`.
    ValueError
        If the shapes do not agree.

    Notes
    -----
    Minimises ``alpha' L alpha + w sum_i c_i (alpha_i - p_i)^2`` [1]_ with the matting Laplacian of
    `peel.matte.solve.laplacian` and the estimate of `peel.matte.solve.sampling`. Two preliminary solutions serve to
    evaluate the priors of `peel.matte.solve.local_colours` and `peel.matte.solve.sparsity`, of lines and steps. A piece
    of band that touches neither zone and has no estimate stays at one half.
    """
    if image.shape != (*trimap.shape, 3):
        msg = f"image {image.shape} and trimap {trimap.shape} do not agree"
        raise ValueError(msg)
    given, settings = given or Given(), settings or SolveSettings()
    alpha, unknown = _begun(trimap, given.rim)
    window = _colour_window(unknown)
    if window is None:
        return alpha, NOTHING_TO_DO
    scene = _scene(image, trimap, alpha, unknown, window, given, settings.terms)
    weight, priors = _weights_and_priors(scene, given, settings.terms)
    seen = scene.view if given.guide is None else _finite(given.guide[window])
    system = _system(seen, scene.band, scene.fixed, weight, scene.estimate, settings.eps)
    system.stencil[0] += masked_values(scene.evidence.weight, scene.band)
    system.rhs[...] += masked_values(scene.evidence.pull, scene.band)

    values, report = solve_band(
        system,
        masked_values(seen, scene.band),
        masked_values(scene.fixed, scene.band),
        tolerance=settings.tolerance,
        max_iterations=settings.max_iterations,
        priors=priors,
        progress=progress,
    )
    alpha[window][scene.band] = values
    alpha[window][scene.band] = _cleaned(np.ascontiguousarray(alpha[window]), scene.band, scene.prior.plain, settings)
    return alpha, report


def _begun(trimap: ByteArray, rim: FloatArray | None) -> tuple[FloatArray, BoolArray]:
    """Return alpha as far as zones and rim fix it, and where it is to be found."""
    alpha = alpha_from_trimap(trimap)
    unknown = (trimap != BACKGROUND) & (trimap != FOREGROUND)
    if rim is not None:
        held = unknown & ~np.isnan(rim)
        alpha[held] = rim[held]
        unknown = unknown & ~held
    return alpha, unknown


@dataclass(frozen=True)
class _Scene:
    """What is known of the window around the band.

    Attributes
    ----------
    window : two slices
    view : (h, w, 3) float32 ndarray
        The picture there.
    band : (h, w) bool ndarray
        Where alpha is to be found.
    fixed : (h, w) float32 ndarray
        Alpha elsewhere, as a view.
    zones : (h, w) uint8 ndarray
    noise : NoiseCurve
    prior : ColourPrior
    evidence : Evidence
    estimate, confidence : (N,) float32 ndarray
        Of the prior, at the pixels of the band.
    shape, photo_shape : (int, int)
        Of the picture, and of the photo of which it is a window.
    """

    window: tuple[slice, slice]
    view: FloatArray
    band: BoolArray
    fixed: FloatArray
    zones: ByteArray
    noise: NoiseCurve
    prior: ColourPrior
    evidence: Evidence
    estimate: FloatArray
    confidence: FloatArray
    shape: tuple[int, int]
    photo_shape: tuple[int, int]


def _scene(
    image: FloatArray,
    trimap: ByteArray,
    alpha: FloatArray,
    unknown: BoolArray,
    window: tuple[slice, slice],
    given: Given,
    terms: EdgeTerms,
) -> _Scene:
    """Find what was not given: noise, the prior of sampled colours, evidence."""
    view, band = _finite(image[window]), unknown[window]
    checkpoint()
    noise = given.noise or measure_noise(view)
    checkpoint()
    photo_shape = given.photo_shape or (trimap.shape[0], trimap.shape[1])
    if given.prior is None:
        prior = colour_prior(
            view,
            np.ascontiguousarray(trimap[window]),
            noise=noise,
            wanted=band,
            photo_shape=photo_shape,
            palette=_finite(subject_palette(image, trimap)),
        )
    else:
        prior = given.prior.part(window)
    checkpoint()
    evidence = given.evidence
    if evidence is None:
        evidence = gather_evidence(
            _finite(image),
            trimap,
            unknown,
            terms,
            given.maps,
            own_colours=given.own_colours,
            photo_shape=photo_shape,
        )
    estimate, confidence = masked_values(prior.alpha, band), masked_values(prior.confidence, band)
    shape = trimap.shape[0], trimap.shape[1]
    own = evidence.part(window)
    zones = np.ascontiguousarray(trimap[window])
    return _Scene(window, view, band, alpha[window], zones, noise, prior, own, estimate, confidence, shape, photo_shape)


def _weights_and_priors(scene: _Scene, given: Given, terms: EdgeTerms) -> tuple[FloatArray, list[PriorTerms]]:
    """Return the weight of the estimate at each pixel of the band, and the priors of preliminary solutions."""
    view, band, maps, shape = scene.view, scene.band, given.maps, scene.shape

    def factors(of: Callable[[TermMaps], FloatArray]) -> FloatArray | None:
        return None if maps is None else masked_values(TermMaps.enlarged(of(maps), shape)[scene.window], band)

    texture = texture_weight(scene.prior.plain, band)
    side = block_side(scene.photo_shape[0] * scene.photo_shape[1])
    own = given.own_colours
    sheer = np.empty((0, 3), np.float32) if own is None else np.ascontiguousarray(own, np.float32)
    model = LocalColourModel(view, scene.fixed, band, texture, scene.noise, side, sheer, terms.local_colour)
    checkpoint()
    weight = scene.confidence * np.float32(terms.sampled_colour)
    sampled = factors(lambda maps: maps.sampled_colour)
    if sampled is not None:
        weight *= sampled
    shares: dict[str, FloatArray] = {}
    if maps is not None:
        shares = {name: TermMaps.enlarged(getattr(maps, name), shape)[scene.window] for name in _BLURS}
    priors = [
        *_priors(
            _weighed(model.terms, factors(lambda maps: maps.local_colour)),
            _sparsity(model, scene.estimate, scene.confidence, terms),
            terms,
        ),
        *_edge_priors(scene, model, terms, shares),
    ]
    return weight, priors


def _colour_window(unknown: BoolArray) -> tuple[slice, slice] | None:
    """Return the window around the band whose colours are read; the whole picture, uncopied, if that is most of it."""
    window = band_window(unknown, COLOUR_MARGIN)
    if window is None:
        return None
    rows, columns = (slice(part.start // ALIGNMENT * ALIGNMENT, part.stop) for part in window)
    if 2 * unknown[rows, columns].size > unknown.size:
        return slice(0, unknown.shape[0]), slice(0, unknown.shape[1])
    return rows, columns


def _finite(colours: FloatArray) -> FloatArray:
    """Return contiguous colours; values that are not finite, as float pictures may hold, become black or white."""
    colours = np.ascontiguousarray(colours, np.float32)
    if np.isfinite(map_chunks(lambda part: colours[part].sum(dtype=np.float64), len(colours), _ROWS)).all():
        return colours
    return np.nan_to_num(colours, nan=0.0, posinf=1.0, neginf=0.0)


def _priors(local_colour: PriorTerms, sparsity: PriorTerms, terms: EdgeTerms) -> list[PriorTerms]:
    """List the priors that are evaluated again after each preliminary solution."""
    priors: list[tuple[float, PriorTerms]] = [(terms.local_colour, local_colour), (terms.sparsity, sparsity)]
    return [prior for strength, prior in priors if strength > 0]


def _edge_priors(
    scene: _Scene, model: LocalColourModel, terms: EdgeTerms, shares: dict[str, FloatArray]
) -> list[PriorTerms]:
    """List the priors of lines and steps, where there is anything for them to say."""
    priors = []
    if scene.evidence.line_weight.any():
        priors.append(line_terms(scene.evidence, scene.fixed, scene.band))
    for name, share in shares.items():
        strength = getattr(terms, name)
        if strength > 0 and bool((share[scene.band] > 0).any()):
            given = (scene.view, scene.zones, scene.fixed, scene.band)
            priors.append(step_terms(*given, strength, share, model.sides, _BLURS[name]))
    return priors


def _weighed(prior: PriorTerms, factors: FloatArray | None) -> PriorTerms:
    """Multiply a prior's weights, and with them its pull."""
    if factors is None:
        return prior

    def weighed(alpha: FloatArray) -> tuple[FloatArray, FloatArray]:
        weight, pull = prior(alpha)
        return weight * factors, pull * factors

    return weighed


def _sparsity(model: LocalColourModel, estimate: FloatArray, confidence: FloatArray, terms: EdgeTerms) -> PriorTerms:
    def sparsity(alpha: FloatArray) -> tuple[FloatArray, FloatArray]:
        weight, towards = np.empty_like(alpha), np.empty_like(alpha)

        def some(part: slice) -> None:
            given = (values[part] for values in (alpha, estimate, confidence, model.texture))
            weight[part], towards[part] = sparsity_terms(*given, strength=terms.sparsity)

        map_chunks(some, len(alpha), _AT_ONCE)
        return weight, towards

    return sparsity


def _cleaned(alpha: FloatArray, band: BoolArray, plain: ByteArray, settings: SolveSettings) -> FloatArray:
    """Denoise a matte and clean its ends; returns the band's values."""
    if settings.clean <= 0:
        return np.clip(alpha[band], 0, 1)
    denoised, left = denoise_matte(alpha, np.ascontiguousarray(plain))
    if settings.terms.denoising < 1:
        denoised = alpha + np.float32(settings.terms.denoising) * (denoised - alpha)
    least, in_plain, most = _MARGINS

    def clean(part: slice) -> FloatArray:
        wanted = band[part]
        rough = plain[part][wanted] < 2
        margin = np.clip(np.float32(settings.clean) * left[part][wanted], least, np.where(rough, most, in_plain))
        # A faint slope over a plain stretch is an out-of-focus edge: it stays as it is.
        return clean_ends(denoised[part][wanted], margin, stretch=rough)

    return np.concatenate(map_chunks(clean, len(band), _ROWS))


def _system(
    image: FloatArray, band: BoolArray, fixed: FloatArray, weight: FloatArray, estimate: FloatArray, eps: float
) -> BandSystem:
    """Assemble the Laplacian and the prior of the sampled colours."""
    system = assemble_band(image, band, fixed, eps)
    checkpoint()
    system.stencil[0] += weight
    system.rhs[...] += weight * estimate
    return system
