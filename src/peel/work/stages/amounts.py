"""Amounts of the colour settings that differ from edge to edge, by kind and by area."""

from collections.abc import Hashable

import numpy as np

from peel.job.edits.kinds import kinds_stamp
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import EdgeColour
from peel.job.settings.edges import own_of
from peel.matte.arrays import FloatArray
from peel.work.stages.targets import area_share, kind_shares

__all__ = ["amount_of", "amount_stamp", "deep", "everywhere", "is_all", "is_any"]


def everywhere(job: Job) -> list[EdgeColour]:
    """Return the settings of the whole edge, then those of kinds and areas that have their own."""
    colour = job.settings.recipe.colour
    return [colour, *own_of(colour).values(), *(area.colour for area in job.settings.photo.colour_areas)]


def is_any(job: Job, name: str) -> bool:
    """Return whether an amount is above 0 anywhere."""
    return any(getattr(part, name) > 0 for part in everywhere(job))


def is_all(job: Job, name: str, value: float) -> bool:
    """Return whether an amount has one value everywhere."""
    return all(getattr(part, name) == value for part in everywhere(job))


def amount_stamp(job: Job, rect: Rect, level: int, *names: str) -> Hashable:
    """Return all that some amounts in a window depend on."""
    colour, areas = job.settings.recipe.colour, job.settings.photo.colour_areas
    own = own_of(colour)
    values = tuple(tuple(getattr(part, name) for name in names) for part in everywhere(job))
    kinds = kinds_stamp(job, job.photo.space.covered(rect, level)) if own else None
    return values, tuple(own), kinds, tuple((area.outline, area.fade_px) for area in areas)


def amount_of(job: Job, rect: Rect, level: int, name: str) -> FloatArray | float:
    """Return an amount at each pixel of a window: one number, unless kinds or areas have amounts of their own."""
    colour, areas = job.settings.recipe.colour, job.settings.photo.colour_areas
    base, own = float(getattr(colour, name)), own_of(colour)
    if all(getattr(part, name) == base for part in everywhere(job)):
        return base
    out = np.full((rect.height, rect.width), base, np.float32)
    if own:
        for share, part in zip(kind_shares(job, rect, level, list(own)), own.values(), strict=True):
            out += share * np.float32(getattr(part, name) - base)
    for area in areas:
        out += area_share(area, rect, 1 / (1 << level)) * (np.float32(getattr(area.colour, name)) - out)
    return out


def deep(amount: FloatArray | float) -> FloatArray:
    """Return an amount as something that multiplies colours."""
    values = np.asarray(amount, np.float32)
    return values[..., None] if values.ndim else values
