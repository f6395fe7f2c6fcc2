"""Edits of a job's separations that find what they leave open: put, pressed, drawn, dropped."""

from typing import Final

import numpy as np

from peel.errors import MarkError
from peel.job.edits.separations import unsolve_separated
from peel.job.job import Job
from peel.job.plane import Plane
from peel.job.rect import Rect
from peel.job.settings import MOST_SEPARATIONS, Point, Separation
from peel.matte.arrays import BoolArray
from peel.work.separating.tones import bounded_tone, found, tone_reach, tone_window
from peel.work.solving.mixing import with_mixing

__all__ = ["add_stretch", "drop_separation", "press_end", "put_separation"]

_SPOT: Final = 2  # pixels to either side of a pressed spot whose median tone is taken


def put_separation(job: Job, number: int, separation: Separation) -> Job:
    """Replace a separation by its place in the list, or add it at the end; what it leaves open is found first."""
    given = job.settings.recipe.separations
    _check_room(number)
    separations = (*given[:number], separation, *given[number + 1 :])
    return _with_separations(job, separations, job.separated, number)


def _check_room(number: int) -> None:
    if number >= MOST_SEPARATIONS:
        message = f"There are {MOST_SEPARATIONS} separations already."
        raise MarkError(message, "Drop one that is no longer needed.")


def press_end(job: Job, number: int, spot: Point, *, subject: bool) -> Job:
    """Take the tone at a spot for an end of a separation: surely subject there, or surely backdrop.

    An end pressed beyond the other one turns the curve over; a spot outside the photo changes nothing.
    """
    x, y = int(np.floor(spot[0])), int(np.floor(spot[1]))
    own = Rect(y - _SPOT, x - _SPOT, y + _SPOT + 1, x + _SPOT + 1).intersection(job.photo.bounds)
    separations = job.settings.recipe.separations
    if own.is_empty or number >= len(separations):
        return job
    separation = found(job, number)
    around = own.grown(tone_reach(separation)).intersection(job.photo.bounds)
    tone = tone_window(job, separation, job.photo.colours(around), around)[own.within(around)]
    end = bounded_tone(round(float(np.median(tone)), 4))
    return put_separation(job, number, separation.model_copy(update={"high" if subject else "low": end}))


def drop_separation(job: Job, number: int) -> Job:
    """Take a separation out of the list, with the stretches drawn for it."""
    given = job.settings.recipe.separations
    separated = _without_number(job.separated, number + 1)
    return _with_separations(job, given[:number] + given[number + 1 :], separated)


def add_stretch(job: Job, region: BoolArray, separation: Separation) -> Job:
    """Draw a stretch on which a separation of its own counts.

    Parameters
    ----------
    job : Job
    region : (H, W) bool ndarray
        Of the whole photo.
    separation : Separation
        What to begin with; an end, mix or hue that it leaves open is found on this stretch.
    """
    number = len(job.settings.recipe.separations)
    _check_room(number)
    values = job.separated.read()
    values[region] = number + 1
    separated = job.separated.write(job.photo.bounds, values)
    own = separation.model_copy(update={"applies": "stretch"})
    return _with_separations(job, (*job.settings.recipe.separations, own), separated, number)


def _with_separations(
    job: Job, separations: tuple[Separation, ...], separated: Plane, number: int | None = None
) -> Job:
    after = with_mixing(job.with_planes(separated=separated).with_recipe(separations=separations))
    if number is not None:
        own = (*separations[:number], found(after, number), *separations[number + 1 :])
        after = after.with_recipe(separations=own)
    return unsolve_separated(job, after)


def _without_number(plane: Plane, number: int) -> Plane:
    """Take a number out of a plane and close the gap in the numbering."""
    values = plane.read()
    if not values.any():
        return plane
    values[values == number] = 0
    values[values > number] -= 1
    return plane.write(Rect(0, 0, plane.height, plane.width), values)
