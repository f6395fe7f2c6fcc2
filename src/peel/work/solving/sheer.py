"""Sheer material: its own colour, from a spot of the photo where the backdrop shows through."""

from typing import Final

import numpy as np

from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import MOST_SHEER_COLOURS, Point, hex_from_rgb
from peel.matte.arrays import FloatArray
from peel.matte.edge.zones import BACKGROUND
from peel.matte.pixels import unit_floats
from peel.matte.srgb import to_encoded, to_linear

__all__ = ["add_sheer"]

_SPOT: Final = 2  # pixels to either side of the spot; their median, so that grain does not matter
_FIRST_REACH: Final = 32  # pixels around the spot in which the backdrop is looked for at first
_ENOUGH: Final = 400  # pixels of backdrop, those nearest to the spot
_LOOKED_AT: Final = 128  # rows and columns of a wider look


def add_sheer(job: Job, spot: Point, solid: float) -> Job:
    """Take the colour of sheer material from a spot of the photo; the whole matte is to be solved again.

    Parameters
    ----------
    job : Job
    spot : x, y
        In photo pixels; nothing happens outside.
    solid : float
        How much of the backdrop the material covers there, above 0, up to 1.

    Notes
    -----
    ``I = solid F + (1 - solid) B`` is solved for F, with the mean of the nearest certain backdrop for B. One photo
    does not tell how solid cloth is: a bright colour that covers little looks like a dull one that covers much.
    """
    x, y = int(np.floor(spot[0])), int(np.floor(spot[1]))
    around = Rect(y - _SPOT, x - _SPOT, y + _SPOT + 1, x + _SPOT + 1).intersection(job.photo.bounds)
    if around.is_empty:
        return job
    seen = np.median(job.photo.colours(around), axis=(0, 1)).astype(np.float32)
    behind = _backdrop_near(job, x, y)
    if behind is not None:
        into, back = (to_linear, to_encoded) if job.settings.photo.is_linear else (np.asarray, np.asarray)
        seen = back(np.clip(into(behind) + (into(seen) - into(behind)) / np.float32(solid), 0, 1))
    colours = (*job.settings.photo.sheer_colours, hex_from_rgb(seen))
    return set_value(job, "photo.sheer_colours", tuple(dict.fromkeys(colours))[:MOST_SHEER_COLOURS])


def _backdrop_near(job: Job, x: int, y: int) -> FloatArray | None:
    """Return the mean colour of the nearest certain backdrop, or None without any."""
    reach = _FIRST_REACH
    while True:
        rect = Rect(y - reach, x - reach, y + reach + 1, x + reach + 1).intersection(job.photo.bounds)
        step = max(1, 2 * reach // _LOOKED_AT)
        clear = job.zones.read(rect)[::step, ::step] == BACKGROUND
        if clear.sum() >= _ENOUGH or rect == job.photo.bounds:
            break
        reach *= 2
    if not clear.any():
        return None
    ys, xs = (step * part for part in np.nonzero(clear))
    nearest = np.argsort(np.hypot(ys + rect.top - y, xs + rect.left - x), kind="stable")[:_ENOUGH]
    colours = job.photo.pixels[ys[nearest] + rect.top, xs[nearest] + rect.left]
    return np.asarray(unit_floats(colours).mean(axis=0), np.float32)
