"""Which terms of the solve hold the matte at a place, as they stand at the present solution."""

from dataclasses import dataclass, replace
from functools import partial
from typing import Final

import numpy as np

from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.smaller import averaged, smaller_trimap
from peel.matte.solve.closed_form import COLOUR_MARGIN, Given
from peel.matte.solve.evidence import Evidence, gather_evidence
from peel.matte.solve.explained import Term, explained_pixel
from peel.matte.solve.patches import REACH_PX
from peel.work.framing.frames import frame_of
from peel.work.separating.pulls import Separated, separate
from peel.work.solving.free_pixels import (
    averaged_terms,
    evidence_for,
    palette_of,
    prior_for,
    seen_around,
    small_slices,
    widened,
    with_frame,
)
from peel.work.solving.sized import colours_at, encoded, maps_at, noise_at, own_colours, settings_at, shape_at, step_for

__all__ = ["Explained", "explained_at"]

_ASKED_PX: Final = 54  # around the place, within which evidence is gathered


@dataclass(frozen=True)
class Explained:
    """What holds the matte at a place.

    Attributes
    ----------
    terms : tuple of Term
        That with the most effect first; evidence of several sorts is told apart: "patches", "veils", "lines", "frame",
        "separation".
    toned : float
        Share of the matte that a separation's tone alone is, in [0, 1].
    """

    terms: tuple[Term, ...]
    toned: float = 0.0


def explained_at(job: Job, x: int, y: int) -> Explained:
    """Explain a pixel of the photo; nothing where the zones fix it.

    Parameters
    ----------
    job : Job
        Solved.
    x, y : int
        In photo pixels.
    """
    spot = Rect(y, x, y + 1, x + 1)
    if int(job.zones.read(spot)[0, 0]) in (BACKGROUND, FOREGROUND):
        return Explained(())
    near = Rect(y - 8, x - 8, y + 9, x + 9).intersection(job.photo.bounds)
    step = step_for(job, near, job.zones.read(near) == job.zones.read(spot)[0, 0])
    window = widened(spot, COLOUR_MARGIN * step, step).intersection(job.photo.bounds)
    at = (y - window.top) // step, (x - window.left) // step
    separated = averaged_terms(separate(job, window, partial(encoded, job)), step)
    return _explained(job, window, step, at, separated)


def _explained(job: Job, window: Rect, step: int, at: tuple[int, int], separated: Separated | None) -> Explained:
    zones = smaller_trimap(job.zones.read(window), step)
    free = np.zeros(zones.shape, bool)
    free[tuple(slice(max(place - _ASKED_PX, 0), place + _ASKED_PX + 1) for place in at)] = True
    free &= (zones != BACKGROUND) & (zones != FOREGROUND)
    given = Given(
        guide=None if separated is None else separated.guide,
        prior=prior_for(job, window, free, step, palette_of(job)),
        noise=noise_at(job, step),
        own_colours=encoded(job, own_colours(job)),
        photo_shape=shape_at(job.photo, step),
        maps=maps_at(job, window, step),
    )
    sorts = _parts(job, window, free, step, separated)
    picture = colours_at(job, window, step), zones, averaged(job.alpha(window), step)
    terms = explained_pixel(*picture, given, sorts, at, settings_at(job, step))
    return Explained(terms, 0.0 if separated is None else float(separated.share[at]))


def _parts(
    job: Job, window: Rect, free: BoolArray, step: int, separated: Separated | None
) -> dict[str, tuple[FloatArray, FloatArray]]:
    """Return weight and pull of each sort of evidence that says anything; of lines, weight and alpha."""
    whole = evidence_for(job, window, free, step)
    found: dict[str, tuple[FloatArray, FloatArray]] = {}
    if whole.weight.any():
        veils = _veils(job, window, free, step)
        found["veils"] = veils
        found["patches"] = (
            np.asarray(whole.weight - veils[0], np.float32),
            np.asarray(whole.pull - veils[1], np.float32),
        )
    if whole.line_weight.any():
        found["lines"] = np.asarray(whole.line_weight, np.float32), np.asarray(whole.line_alpha, np.float32)
    if separated is not None and separated.weight.any():
        found["separation"] = separated.weight, separated.pull
    if frame_of(job) is not None:
        told = with_frame(Evidence.none(free.shape), job, window, free, step, partial(palette_of, job))
        found["frame"] = np.asarray(told.weight, np.float32), np.asarray(told.pull, np.float32)
    return found


def _veils(job: Job, window: Rect, free: BoolArray, step: int) -> tuple[FloatArray, FloatArray]:
    """Return the evidence of veils alone."""
    around, wanted, zones = seen_around(job, window, free, step, REACH_PX)
    terms = replace(settings_at(job, step).terms, patches=0.0, lines=0.0)
    found = gather_evidence(
        averaged(job.photo.pixels[around.slices], step),
        zones,
        wanted,
        terms,
        maps_at(job, around, step),
        is_linear=job.settings.photo.is_linear,
        own_colours=own_colours(job),
        photo_shape=shape_at(job.photo, step),
        scale=step,
    ).part(small_slices(window, around, step))
    return np.asarray(found.weight, np.float32), np.asarray(found.pull, np.float32)
