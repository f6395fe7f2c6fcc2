"""Key of a backdrop colour by one press: its hue, and, if nothing is marked yet, subject, band and matte as well."""

from typing import Final

import cv2
import numpy as np

from peel.errors import MarkError
from peel.job.job import Job
from peel.job.marking import Zone, mark_region
from peel.job.rect import Rect
from peel.job.separations import put_separation
from peel.job.settings import Point, Separation, hex_from_rgb, rgb_from_hex
from peel.matte.arrays import BoolArray
from peel.matte.edge.laying import working_step
from peel.matte.marking.regions import drop_islands, fill_holes
from peel.matte.separation.key import LEAST_HUE, fit_plate, key_tone, relative_chroma

__all__ = ["hue_at", "key_photo"]

_SPOT: Final = 4  # pixels to either side of the spot whose median is taken
_HALF: Final = 0.5  # of the hue left, from which a pixel is backdrop
_SPECKS: Final = 400  # working pixels; smaller pieces of subject, and smaller holes, are noise
_SHARES: Final = (0.002, 0.995)  # of the photo between which a subject makes sense


def hue_at(job: Job, spot: Point) -> str:
    """Return the colour of the backdrop at a spot, as ``#rrggbb``.

    Raises
    ------
    MarkError
        If it has no hue to key.
    """
    x, y = int(np.floor(spot[0])), int(np.floor(spot[1]))
    around = Rect(y - _SPOT, x - _SPOT, y + _SPOT + 1, x + _SPOT + 1).intersection(job.photo.bounds)
    if around.is_empty:
        message = "That spot lies outside the photo."
        raise MarkError(message, "Press on the backdrop.")
    colour = np.median(job.photo.colours(around), axis=(0, 1)).astype(np.float32)
    if relative_chroma(colour) < LEAST_HUE:
        message = "The backdrop has hardly any hue at that spot."
        raise MarkError(message, "Press where it shows its colour, or choose another rendering than a key.")
    return hex_from_rgb(colour)


def key_photo(job: Job, spot: Point, number: int, separation: Separation) -> Job:
    """Key the hue of the backdrop at a spot.

    Parameters
    ----------
    job : Job
    spot : x, y
        In photo pixels.
    number : int
        Place in the recipe's list at which the key is put.
    separation : Separation
        What stood there; where it applies, how it is used and its gain are kept.

    Returns
    -------
    Job
        Where nothing was marked, with all that is not of that hue marked as subject, and the key as the matte.

    Raises
    ------
    MarkError
        If there is no hue, or it leaves nothing or nearly everything as subject.
    """
    hue = hue_at(job, spot)
    changes = {"rendering": "key", "hue": hue, "low": None, "high": None, "strength": None, "middle": 0.5}
    if not job.has_subject:
        job = mark_region(job, _subject(job, hue, separation.gain), Zone.SUBJECT)
        changes["use"] = "matte"
    return put_separation(job, number, separation.model_copy(update=changes))


def _subject(job: Job, hue: str, gain: float) -> BoolArray:
    """Return what is not of a hue, at the photo's size."""
    picture = job.photo.working
    plate = fit_plate(picture, np.array(rgb_from_hex(hue), np.float32))
    if plate is None:
        message = "Hardly anything in the photo has that hue."
        raise MarkError(message, "Press on a larger part of the backdrop.")
    height, width = picture.shape[:2]
    region = key_tone(picture, plate.window((0, 0, height, width), (height, width)), gain) > _HALF
    region = fill_holes(drop_islands(region, _SPECKS), _SPECKS)
    least, most = _SHARES
    if not least < region.mean() < most:
        message = f"By that hue {region.mean() * 100:.0f} % of the photo would be subject."
        raise MarkError(message, "Press on the backdrop, where it shows its own colour.")
    step = working_step(job.photo.height, job.photo.width)
    full = cv2.resize(region.astype(np.uint8) * 255, None, fx=step, fy=step, interpolation=cv2.INTER_LINEAR) >= 128
    return np.asarray(full[: job.photo.height, : job.photo.width], bool)
