"""What a solve reads of a job, at the size at which it is solved.

Strands of a photo of many megapixels are several pixels wide: it is solved at half its size, where a pixel costs the
same and there are four times fewer of them, and the matte is enlarged along the photo's own colours. The matte of a
photo of few megapixels is solved at its own size.
"""

from dataclasses import replace
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from peel.job.edits.kinds import is_said, kinds_in
from peel.job.job import Job, Photo
from peel.job.question import solve_settings
from peel.job.rect import Rect
from peel.job.settings import rgb_from_hex
from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.edge.kind import KINDS
from peel.matte.pixels import unit_floats
from peel.matte.smaller import averaged
from peel.matte.solve.kind_terms import term_maps
from peel.matte.solve.noise import NoiseCurve, measure_noise
from peel.matte.solve.settings import SolveSettings
from peel.matte.solve.term_maps import TermMaps
from peel.matte.srgb import to_linear
from peel.work.solving.noise import noise_of

__all__ = [
    "as_solved",
    "colours_at",
    "encoded",
    "maps_at",
    "noise_at",
    "own_colours",
    "settings_at",
    "shape_at",
    "solve_step",
    "step_for",
]

_LARGE: Final = (4_000_000, 36_000_000)  # pixels of a photo up to which it is solved at its own size, and at half of it
_LOOSER: Final = 2.5  # times the tolerance, at a smaller size: what is left hardly shows in an enlarged matte
_OF_PATCHES: Final = 0.8  # of the weight of patches, at a smaller size: each looks at more of the photo
_FINE: Final = tuple(kind for kind, spec in KINDS.items() if spec.is_fine)
_PREVAILS: Final = 0.4  # share of the pixels from which they do
_MOST_FINE: Final = 1_500_000  # pixels of such kinds that are solved at the full size
_ONLY_SAID: Final = tuple(kind for kind, spec in KINDS.items() if not spec.suggests)


def solve_step(photo: Photo) -> int:
    """Return by how much smaller than itself a photo is solved."""
    return 1 + int(np.searchsorted(_LARGE, photo.height * photo.width))


def step_for(job: Job, window: Rect, pixels: BoolArray) -> int:
    """Return by how much smaller than the photo some pixels of a window are solved.

    Those of kinds that need every pixel are solved at the full size where they prevail and are not too many: in a
    photo whose band is that large the smallest gaps are several pixels wide, too.
    """
    step, count = solve_step(job.photo), np.count_nonzero(pixels)
    if step == 1 or not 0 < count <= _MOST_FINE:
        return step
    kinds = kinds_in(job, window)[pixels]
    return 1 if np.isin(kinds, _FINE).mean() > _PREVAILS else step


def shape_at(photo: Photo, step: int) -> tuple[int, int]:
    """Return the height and width of a photo at a smaller size."""
    return -(-photo.height // step), -(-photo.width // step)


def colours_at(job: Job, rect: Rect, step: int) -> FloatArray:
    """Return the colours of a window in the solve's encoding, averaged over squares; (h, w, 3).

    The window begins at multiples of `step`.
    """
    return as_solved(job, job.photo.pixels[rect.slices], step)


def as_solved(job: Job, pixels: NDArray[Any], step: int) -> FloatArray:
    """Return pixels of a job's photo, or of another picture in its profile, as `colours_at` does."""
    if step == 1:
        return encoded(job, unit_floats(pixels))
    if job.settings.photo.is_linear:  # mixtures stay mixtures only if they are averaged as they mix
        return averaged(to_linear(unit_floats(pixels)), step)
    return averaged(pixels, step)


def maps_at(job: Job, rect: Rect, step: int) -> TermMaps | None:
    """Return how the kinds in a window weigh the terms.

    A mere suggestion of sheer cloth is not solved by unless a colour was picked for it: taken for sheer, a hard edge
    would come out half-clear.
    """
    kinds, are_said = kinds_in(job, rect), is_said(job, rect)
    if not job.settings.photo.sheer_colours:
        kinds[np.isin(kinds, _ONLY_SAID) & ~are_said] = 0
    return term_maps(np.ascontiguousarray(kinds[::step, ::step]), np.ascontiguousarray(are_said[::step, ::step]))


def settings_at(job: Job, step: int) -> SolveSettings:
    """Return the solver's settings at a smaller size.

    What is known of single pixels weighs as much as at the full size: more by their number, since the Laplacian of a
    smooth matte weighs the same at any size.
    """
    settings = solve_settings(job.settings.recipe.solving)
    if step == 1:
        return settings
    own, more = settings.terms, step * step
    terms = replace(
        own,
        sampled_colour=own.sampled_colour * more,
        local_colour=own.local_colour * more,
        sparsity=own.sparsity * more,
        lines=own.lines * more * step,
        patches=own.patches * _OF_PATCHES,
    )
    return replace(settings, terms=terms, tolerance=_LOOSER * settings.tolerance)


def noise_at(job: Job, step: int) -> NoiseCurve:
    """Return the noise of the photo at a smaller size, in the solve's encoding."""
    noise = noise_of(job.photo) if step == 1 else job.photo.derived(_measured, step)
    return noise.in_linear_light() if job.settings.photo.is_linear else noise


def _measured(photo: Photo, step: int) -> NoiseCurve:
    return measure_noise(averaged(photo.pixels, step))


def own_colours(job: Job) -> FloatArray:
    """Return the encoded colours of sheer material that were picked; (K, 3)."""
    own = [rgb_from_hex(colour) for colour in job.settings.photo.sheer_colours]
    return np.array(own, np.float32).reshape(-1, 3)


def encoded(job: Job, colours: FloatArray) -> FloatArray:
    """Return colours in the solve's encoding: linear light where the photo mixes so.

    Colours are (..., 3) float32 in [0, 1].
    """
    return to_linear(colours) if job.settings.photo.is_linear else colours
