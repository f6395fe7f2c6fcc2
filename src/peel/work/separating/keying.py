"""Key of a backdrop colour by one press: its hue, and, if nothing is marked yet, subject, band and matte as well."""

from typing import Final

import cv2
import numpy as np

from peel.errors import MarkError
from peel.job.edits.marking import Zone, mark_region
from peel.job.edits.working import working_photo
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import Point, Separation, hex_from_rgb, rgb_from_hex
from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.laying import unit_of, working_step
from peel.matte.marking.alike import lab_of
from peel.matte.marking.contact_shadow import find_contact_shadow
from peel.matte.pixels import to_bytes
from peel.matte.separation.key import LEAST_HUE, fit_plate, key_tone, relative_chroma
from peel.work.marking.tone_start import at_full_size
from peel.work.separating.choosing import put_separation

__all__ = ["hue_at", "key_photo"]

_SPOT: Final = 4  # pixels to either side of the spot whose median is taken
_HALF: Final = 0.5  # of the hue left, from which a pixel is backdrop
_LIKE: Final = 6.0  # CIE76 difference from a plain backdrop's carried light that still is backdrop
_CARRIED: Final = ((61, 1.0), (243, 1e-3))  # working pixels across in which that light is carried, and their weights
_STEP: Final = 2  # 8-bit values between neighbouring pixels of a plain backdrop


def hue_at(job: Job, spot: Point) -> str:
    """Return the colour of the backdrop at a spot, as ``#rrggbb``.

    Raises
    ------
    MarkError
        If it has no hue to key.
    """
    colour = _colour_at(job, spot)
    if relative_chroma(colour) < LEAST_HUE:
        message = "The backdrop has hardly any hue at that spot."
        raise MarkError(message, "Press where it shows its colour, or choose another rendering than a key.")
    return hex_from_rgb(colour)


def _colour_at(job: Job, spot: Point) -> FloatArray:
    x, y = int(np.floor(spot[0])), int(np.floor(spot[1]))
    around = Rect(y - _SPOT, x - _SPOT, y + _SPOT + 1, x + _SPOT + 1).intersection(job.photo.bounds)
    if around.is_empty:
        message = "That spot lies outside the photo."
        raise MarkError(message, "Press on the backdrop.")
    return np.median(job.photo.colours(around), axis=(0, 1)).astype(np.float32)


def _has_hue(job: Job, spot: Point) -> bool:
    return bool(relative_chroma(_colour_at(job, spot)) >= LEAST_HUE)


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
        Where nothing was marked, with all that is not of that hue marked as subject, and the key as the matte. A white
        or grey backdrop has no hue: then all that differs from it is marked, and no key is put.

    Raises
    ------
    MarkError
        If there is no hue, or it leaves nothing or nearly everything as subject.
    """
    if not job.has_subject and not _has_hue(job, spot):
        return mark_region(job, _unlike_plain(job, spot), Zone.SUBJECT)
    hue = hue_at(job, spot)
    changes = {"rendering": "key", "hue": hue, "low": None, "high": None, "strength": None, "middle": 0.5}
    if not job.has_subject:
        job = mark_region(job, _subject(job, hue, separation.gain), Zone.SUBJECT)
        changes["use"] = "matte"
    return put_separation(job, number, separation.model_copy(update=changes))


def _subject(job: Job, hue: str, gain: float) -> BoolArray:
    """Return what is not of a hue, at the photo's size."""
    picture = working_photo(job.photo)
    plate = fit_plate(picture, np.array(rgb_from_hex(hue), np.float32))
    if plate is None:
        message = "Hardly anything in the photo has that hue."
        raise MarkError(message, "Press on a larger part of the backdrop.")
    height, width = picture.shape[:2]
    return at_full_size(job, key_tone(picture, plate.window((0, 0, height, width), (height, width)), gain) > _HALF)


def _unlike_plain(job: Job, spot: Point) -> BoolArray:
    """Return what differs from a white or grey backdrop, its light carried along it and its shadows left out."""
    picture = working_photo(job.photo)
    step = working_step(job.photo.height, job.photo.width)
    codes = to_bytes(picture)
    lab = lab_of(codes)
    column, row = min(int(spot[0] / step), lab.shape[1] - 1), min(int(spot[1] / step), len(lab) - 1)
    backdrop = _reached(cv2.blur(codes, (5, 5)), column, row)
    weight, carried = np.zeros(lab.shape[:2], np.float32), np.zeros_like(lab)
    for side, trust in _CARRIED:
        weight += trust * cv2.blur(backdrop.astype(np.float32), (side, side))
        carried += trust * cv2.blur(lab * backdrop[..., None].astype(np.float32), (side, side))
    # What is like the backdrop's light carried to it is backdrop too: gaps in the subject.
    away = np.linalg.norm(lab - carried / np.maximum(weight, 1e-9)[..., None], axis=2)
    region = ~(backdrop | (cv2.blur(away, (3, 3)) < _LIKE))
    unit = unit_of(job.photo.height, job.photo.width)
    return at_full_size(job, region & ~find_contact_shadow(picture, region, unit, inside=True))


def _reached(picture: ByteArray, column: int, row: int) -> BoolArray:
    """Return what is reached from a pixel by steps too small for an edge: a backdrop whose light falls off slowly."""
    mask = np.zeros((picture.shape[0] + 2, picture.shape[1] + 2), np.uint8)
    flags = 4 | cv2.FLOODFILL_MASK_ONLY | (1 << 8)
    cv2.floodFill(picture.copy(), mask, (column, row), 0, (_STEP,) * 3, (_STEP,) * 3, flags)
    return mask[1:-1, 1:-1] > 0
