"""Solve some pixels of a window of a job, with all others held: what whole, local and windowed solves share."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np

from peel.job.edits.kinds import is_said, kinds_in
from peel.job.job import Job
from peel.job.question import solve_settings
from peel.job.rect import Rect
from peel.job.settings import rgb_from_hex
from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.kind import KINDS
from peel.matte.parallel import checkpoint
from peel.matte.solve.closed_form import ALIGNMENT, COLOUR_MARGIN, Given, solve_matte
from peel.matte.solve.conjugate_gradients import NOTHING_TO_DO, Progress, SolveReport
from peel.matte.solve.evidence import Evidence, gather_evidence
from peel.matte.solve.kind_terms import term_maps
from peel.matte.solve.noise import NoiseCurve
from peel.matte.solve.patches import REACH_PX
from peel.matte.solve.sampling import ColourPrior, colour_prior, subject_palette
from peel.matte.solve.settings import SolveSettings
from peel.matte.solve.term_maps import TermMaps
from peel.matte.srgb import to_linear
from peel.work.separating.pulls import Separated, separate
from peel.work.solving.noise import noise_of

__all__ = ["Free", "counted_kinds", "encoded", "palette_of", "sheer_colours", "solve_free", "widened"]

_ONLY_SAID: Final = tuple(kind for kind, spec in KINDS.items() if not spec.suggests)
_CONTEXT: Final = 300  # pixels around a window that are sampled for its colour prior
_ALL: Final = 0.999  # share of the matte from which the tone alone is the matte


@dataclass(frozen=True)
class Free:
    """The pixels of a window that are to be solved.

    Attributes
    ----------
    window : Rect
        It begins at multiples of `ALIGNMENT`.
    pixels : (H, W) bool ndarray
        Those that may move.
    zones : (H, W) uint8 ndarray
    held : (H, W) float32 ndarray or None
        Alpha of the band's other pixels, NaN elsewhere; None where there are none.
    """

    window: Rect
    pixels: BoolArray
    zones: ByteArray
    held: FloatArray | None


def solve_free(
    job: Job,
    free: Free,
    palette: Callable[[], FloatArray],
    progress: Progress | None = None,
    interim: Callable[[FloatArray], None] | None = None,
) -> tuple[FloatArray, SolveReport]:
    """Solve the free pixels of a window.

    Parameters
    ----------
    job : Job
    free : Free
    palette : callable
        Returns the subject's palette, see `palette_of`.
    progress : callable, optional
        Called with the share done.
    interim : callable, optional
        Given a first estimate of the window while the rest is computed.

    Returns
    -------
    (H, W) float32 ndarray
        The matte of the window.
    SolveReport

    Notes
    -----
    It starts from one half like a whole solve, not from the old matte: the priors follow from the preliminary
    solutions, which must be those of a whole solve if the result is to agree with one.
    """
    around, held, pixels = free.window, free.held, free.pixels
    colours = encoded(job, job.photo.colours(around))
    separated = separate(job, around, colours)
    if separated is not None:
        held, pixels = _held_by_tone(separated, held, pixels)
        if not pixels.any():
            return _toned(separated, job.alpha(around), free.pixels), NOTHING_TO_DO
    settings = solve_settings(job.settings.recipe.solving)
    evidence = _evidence_for(job, around, pixels, settings)
    if separated is not None:
        evidence = evidence.pulled(separated.weight, separated.pull)
    prior = _prior_for(job, around, pixels, palette())
    checkpoint()
    given = Given(
        rim=held,
        guide=None if separated is None else separated.guide,
        prior=prior,
        evidence=evidence,
        noise=_noise(job),
        own_colours=sheer_colours(job),
        photo_shape=(job.photo.height, job.photo.width),
        maps=_maps_for(job, around),
    )
    solved, report = solve_matte(colours, free.zones, given, settings=settings, progress=progress, interim=interim)
    return (solved if separated is None else _toned(separated, solved, free.pixels)), report


def _held_by_tone(
    separated: Separated, held: FloatArray | None, pixels: BoolArray
) -> tuple[FloatArray | None, BoolArray]:
    """Hold the pixels whose matte is the tone's alone."""
    toned = pixels & (separated.share > _ALL)
    if not toned.any():
        return held, pixels
    if held is None:
        held = np.full(pixels.shape, np.nan, np.float32)
    return np.where(toned, separated.alpha, held), pixels & ~toned


def _toned(separated: Separated, solved: FloatArray, pixels: BoolArray) -> FloatArray:
    """Cross-fade free pixels from the solved matte to the tone's."""
    return np.asarray(solved + separated.share * pixels * (separated.alpha - solved), np.float32)


def palette_of(job: Job) -> FloatArray:
    """Return the subject's palette, in the solve's encoding; (K, 3)."""
    return encoded(job, subject_palette(job.photo.pixels, job.zones.read()))


def sheer_colours(job: Job) -> FloatArray:
    """Return the colours of sheer material, in the solve's encoding; (K, 3)."""
    return encoded(job, _own_colours(job))


def _own_colours(job: Job) -> FloatArray:
    own = [rgb_from_hex(colour) for colour in job.settings.photo.sheer_colours]
    return np.array(own, np.float32).reshape(-1, 3)


def _prior_for(job: Job, rect: Rect, near: BoolArray, palette: FloatArray) -> ColourPrior:
    """Compute the sampled-colour prior of the free pixels, with samples from a wider neighbourhood."""
    around = widened(rect, _CONTEXT - COLOUR_MARGIN).intersection(job.photo.bounds)
    wanted = np.zeros((around.height, around.width), bool)
    wanted[rect.within(around)] = near
    checkpoint()
    colours, zones = encoded(job, job.photo.colours(around)), job.zones.read(around)
    checkpoint()
    prior = colour_prior(
        colours,
        zones,
        noise=_noise(job),
        wanted=wanted,
        photo_shape=(job.photo.height, job.photo.width),
        palette=palette,
    )
    return prior.part(rect.within(around))


def _evidence_for(job: Job, rect: Rect, near: BoolArray, settings: SolveSettings) -> Evidence:
    """Gather the kinds' evidence for the free pixels, from as far around as similar patches may lie."""
    around = widened(rect, REACH_PX - COLOUR_MARGIN).intersection(job.photo.bounds)
    wanted = np.zeros((around.height, around.width), bool)
    wanted[rect.within(around)] = near
    evidence = gather_evidence(
        job.photo.colours(around),
        job.zones.read(around),
        wanted,
        settings.terms,
        _maps_for(job, around),
        is_linear=job.settings.photo.is_linear,
        own_colours=_own_colours(job),
        photo_shape=(job.photo.height, job.photo.width),
    )
    return evidence.part(rect.within(around))


def counted_kinds(job: Job, rect: Rect) -> ByteArray:
    """Return the kinds by which a window is solved; (H, W), 0 where there is none.

    A mere suggestion of sheer cloth is not solved by unless a colour was picked for it: taken for sheer, a hard edge
    would come out half-clear.
    """
    kinds = kinds_in(job, rect)
    if not job.settings.photo.sheer_colours:
        kinds[np.isin(kinds, _ONLY_SAID) & ~is_said(job, rect)] = 0
    return kinds


def _maps_for(job: Job, rect: Rect) -> TermMaps | None:
    """Return how the kinds in a window weigh the terms."""
    return term_maps(counted_kinds(job, rect))


def widened(rect: Rect, margin: int) -> Rect:
    """Widen a window by a margin, and to where blocks of pixels begin."""
    wide = rect.grown(margin)
    return Rect(wide.top // ALIGNMENT * ALIGNMENT, wide.left // ALIGNMENT * ALIGNMENT, wide.bottom, wide.right)


def encoded(job: Job, colours: FloatArray) -> FloatArray:
    """Return colours in the solve's encoding: linear light where the photo mixes so.

    Colours are (..., 3) float32 in [0, 1].
    """
    return to_linear(colours) if job.settings.photo.is_linear else colours


def _noise(job: Job) -> NoiseCurve:
    return noise_of(job.photo).in_linear_light() if job.settings.photo.is_linear else noise_of(job.photo)
