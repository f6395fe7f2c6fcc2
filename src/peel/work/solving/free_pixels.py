"""Solve some pixels of a window of a job, with all others held: what whole, local and windowed solves share."""

from collections.abc import Callable
from dataclasses import dataclass, fields, replace
from functools import partial
from math import sqrt
from typing import Final

import numpy as np

from peel.job.job import Job
from peel.job.plane import sampled
from peel.job.rect import Rect
from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.parallel import checkpoint
from peel.matte.smaller import any_in_squares, averaged, smaller_trimap
from peel.matte.solve.closed_form import ALIGNMENT, COLOUR_MARGIN, Given, solve_matte
from peel.matte.solve.conjugate_gradients import NOTHING_TO_DO, Progress, SolveReport
from peel.matte.solve.evidence import Evidence, gather_evidence
from peel.matte.solve.guided_upsampling import enlarge_matte, line_coefficients
from peel.matte.solve.patches import REACH_PX
from peel.matte.solve.sampling import THINNED_PX, ColourPrior, colour_prior, subject_palette
from peel.work.framing.frames import frame_of
from peel.work.framing.telling import told_by
from peel.work.separating.pulls import Separated, separate
from peel.work.solving.sized import (
    colours_at,
    encoded,
    maps_at,
    noise_at,
    own_colours,
    settings_at,
    shape_at,
    step_for,
)

__all__ = [
    "CONTEXT_PX",
    "Palette",
    "SmallMatte",
    "averaged_terms",
    "evidence_for",
    "palette_of",
    "prior_for",
    "seen_around",
    "small_slices",
    "solve_free",
    "solve_small",
    "widened",
    "with_frame",
]

Palette = Callable[[], FloatArray]
"""Returns the subject's palette, see `palette_of`; found when first asked for."""

CONTEXT_PX: Final = 300
"""Pixels around a window that are sampled for its colour prior."""

_ALL: Final = 0.999  # share of the matte from which the tone alone is the matte
_ROUGH_TOLERANCE: Final = 4e-3  # of a rough matte
_FAINT: Final = 0.008  # alpha this close to 0 or 1 is 0 or 1 in an enlarged matte


@dataclass(frozen=True)
class SmallMatte:
    """A matte at a smaller size, to be enlarged along the photo's colours.

    Attributes
    ----------
    window : Rect
        What it covers.
    step : int
        By how much it is smaller.
    lines : (h, w, 4) float32 ndarray
        See `peel.matte.solve.guided_upsampling.line_coefficients`.
    """

    window: Rect
    step: int
    lines: FloatArray

    def enlarge(self, job: Job, window: Rect, asked: BoolArray, out: FloatArray) -> None:
        """Write alpha at the full size into a window, (H, W) float32, where it is asked for."""
        top, left = window.top - self.window.top, window.left - self.window.left

        def colours(part: slice) -> FloatArray:
            rows = Rect(window.top + part.start, window.left, window.top + part.stop, window.right)
            return encoded(job, job.photo.colours(rows))

        enlarge_matte(self.lines, colours, asked, self.step, (top, left), out, _FAINT)


@dataclass(frozen=True)
class _Asked:
    """What is to be solved: pixels (H, W) of a window, with its zones, at a size smaller by a step."""

    job: Job
    window: Rect
    step: int
    zones: ByteArray
    pixels: BoolArray

    @property
    def colours(self) -> FloatArray:
        """The photo at the size of the solve; (h, w, 3)."""
        return colours_at(self.job, self.window, self.step)

    @property
    def known(self) -> FloatArray:
        """The present matte, as far as the zones do not decide; (H, W)."""
        alpha = self.job.alpha(self.window)
        alpha[self.zones == FOREGROUND] = 1
        alpha[self.zones == BACKGROUND] = 0
        return alpha


def solve_free(
    job: Job, window: Rect, pixels: BoolArray, palette: Palette, progress: Progress | None = None
) -> tuple[FloatArray, SolveReport]:
    """Solve the free pixels of a window, at the size at which the photo is solved.

    Parameters
    ----------
    job : Job
    window : Rect
        As `widened` gives it for the size at which the photo is solved.
    pixels : (H, W) bool ndarray
        Those that may move, if they belong to the band; others are held at the present matte.
    palette : callable
    progress : callable, optional
        Called with the share done.

    Returns
    -------
    (H, W) float32 ndarray
        The matte of the window.
    SolveReport
    """
    zones = job.zones.read(window)
    pixels = pixels & (zones != BACKGROUND) & (zones != FOREGROUND)
    step = step_for(job, window, pixels)
    asked = _Asked(job, window, step, zones, pixels)
    separated = separate(job, window, partial(encoded, job))
    colours = asked.colours
    alpha, report = _solve_asked(asked, colours, palette, averaged_terms(separated, step), progress)
    found = asked.known
    if step > 1:
        SmallMatte(window, step, line_coefficients(colours, alpha)).enlarge(job, window, pixels, found)
    else:
        found[pixels] = alpha[pixels]
    return (found if separated is None else _toned(separated, found, pixels)), report


def solve_small(job: Job, window: Rect, pixels: BoolArray, step: int) -> SmallMatte:
    """Solve the free pixels of a window roughly: at a size of choice, without evidence and separations.

    Parameters are those of `solve_free`.
    """
    asked = _Asked(job, window, step, job.zones.read(window), pixels)
    colours, small = asked.colours, smaller_trimap(asked.zones, step)
    held = np.where(any_in_squares(pixels, step), np.float32(np.nan), averaged(asked.known, step))
    given = Given(
        rim=held,
        evidence=Evidence.none(small.shape),
        own_colours=encoded(job, own_colours(job)),
        maps=maps_at(job, window, step),
    )
    settings = settings_at(job, step)
    settings = replace(settings, terms=replace(settings.terms, steps=0.0), tolerance=_ROUGH_TOLERANCE)
    alpha, _ = solve_matte(colours, small, given, settings=settings)
    return SmallMatte(window, step, line_coefficients(colours, alpha))


def _solve_asked(
    asked: _Asked, colours: FloatArray, palette: Palette, separated: Separated | None, progress: Progress | None
) -> tuple[FloatArray, SolveReport]:
    """Solve a window; colours and separations are at the size of the solve, as is the answer.

    It starts from one half like a whole solve, not from the old matte: the priors follow from the preliminary
    solutions, which must be those of a whole solve if the result is to agree with one.
    """
    job, window, step = asked.job, asked.window, asked.step
    small = smaller_trimap(asked.zones, step)
    band = (small != BACKGROUND) & (small != FOREGROUND)
    free = any_in_squares(asked.pixels, step) & band
    held = None
    if (band & ~free).any():
        held = np.where(band & ~free, averaged(asked.known, step), np.float32(np.nan))
    if separated is not None:
        held, free = _held_by_tone(separated, held, free)
    if not free.any():
        return np.where(small == FOREGROUND, np.float32(1), np.float32(0)), NOTHING_TO_DO
    evidence = evidence_for(job, window, free, step)
    if separated is not None:
        evidence = evidence.pulled(separated.weight, separated.pull)
    evidence = with_frame(evidence, job, window, free, step, palette)
    prior = prior_for(job, window, free, step, palette())
    checkpoint()
    given = Given(
        rim=held,
        guide=None if separated is None else separated.guide,
        prior=prior,
        evidence=evidence,
        noise=noise_at(job, step),
        own_colours=encoded(job, own_colours(job)),
        photo_shape=shape_at(job.photo, step),
        maps=maps_at(job, window, step),
    )
    return solve_matte(colours, small, given, settings=settings_at(job, step), progress=progress)


def with_frame(evidence: Evidence, job: Job, window: Rect, free: BoolArray, step: int, palette: Palette) -> Evidence:
    """Add what the second frame tells, if there is one; a pull weighs by the pixels that it stands for."""
    frame = frame_of(job)
    if frame is None:
        return evidence
    around, wanted, zones = seen_around(job, window, free, step, CONTEXT_PX)
    told = told_by(frame, job, around, zones, wanted, step, palette())
    inner = small_slices(window, around, step)
    return evidence.pulled(told.weight[inner] * np.float32(step**2), told.pull[inner] * np.float32(step**2))


def averaged_terms(separated: Separated | None, step: int) -> Separated | None:
    """Return what separations say at a smaller size; a pull weighs by the pixels that it stands for."""
    if separated is None or step == 1:
        return separated
    found = {field.name: getattr(separated, field.name) for field in fields(Separated)}
    found = {name: None if value is None else averaged(value, step) for name, value in found.items()}
    found["weight"], found["pull"] = found["weight"] * np.float32(step**2), found["pull"] * np.float32(step**2)
    return Separated(**found)


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
    photo = job.photo
    thinner = max(1.0, sqrt(photo.height * photo.width) / THINNED_PX)
    height, width = round(photo.height / thinner), round(photo.width / thinner)
    return encoded(job, subject_palette(sampled(photo.pixels, height, width), job.zones.sampled(height, width)))


def seen_around(job: Job, window: Rect, free: BoolArray, step: int, reach: int) -> tuple[Rect, BoolArray, ByteArray]:
    """Widen a window to what is read around it: returns it, where answers are wanted, and the zones; at the size."""
    around = widened(window, reach - COLOUR_MARGIN, step).intersection(job.photo.bounds)
    zones = smaller_trimap(job.zones.read(around), step)
    wanted = np.zeros(zones.shape, bool)
    wanted[small_slices(window, around, step)] = free
    return around, wanted, zones


def small_slices(inner: Rect, outer: Rect, step: int) -> tuple[slice, slice]:
    """Index the part of an array at a smaller size that holds `inner`, in one that holds `outer`."""
    rows, columns = inner.within(outer)
    return slice(rows.start // step, -(-rows.stop // step)), slice(columns.start // step, -(-columns.stop // step))


def prior_for(job: Job, window: Rect, free: BoolArray, step: int, palette: FloatArray) -> ColourPrior:
    """Compute the sampled-colour prior of the free pixels, with samples from a wider neighbourhood."""
    around, wanted, zones = seen_around(job, window, free, step, CONTEXT_PX)
    checkpoint()
    colours = colours_at(job, around, step)
    checkpoint()
    prior = colour_prior(
        colours,
        zones,
        noise=noise_at(job, step),
        wanted=wanted,
        photo_shape=shape_at(job.photo, step),
        palette=palette,
    )
    return prior.part(small_slices(window, around, step))


def evidence_for(job: Job, window: Rect, free: BoolArray, step: int) -> Evidence:
    """Gather the kinds' evidence for the free pixels, from as far around as similar patches may lie."""
    around, wanted, zones = seen_around(job, window, free, step, REACH_PX)
    pixels = job.photo.pixels[around.slices]
    evidence = gather_evidence(
        averaged(pixels, step),
        zones,
        wanted,
        settings_at(job, step).terms,
        maps_at(job, around, step),
        is_linear=job.settings.photo.is_linear,
        own_colours=own_colours(job),
        photo_shape=shape_at(job.photo, step),
        scale=step,
    )
    return evidence.part(small_slices(window, around, step))


def widened(rect: Rect, margin: int, step: int) -> Rect:
    """Widen a window by a margin, and to where blocks of pixels begin at a size smaller by a step."""
    wide, unit = rect.grown(margin), ALIGNMENT * step
    return Rect(wide.top // unit * unit, wide.left // unit * unit, wide.bottom, wide.right)
