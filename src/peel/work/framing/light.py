"""The set in the light of a photo, at any level."""

from typing import Final

import cv2
import numpy as np

from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.edge.zones import BACKGROUND
from peel.matte.pixels import unit_floats
from peel.matte.plate.known_backdrop import lit_like
from peel.matte.plate.two_backdrops import followed
from peel.matte.smaller import averaged
from peel.work.framing.frames import Frame, frame_of

__all__ = ["frame_colours", "known_behind", "lit_backdrop"]

_RELIED: Final = 0.025  # standard deviation of the set's colours up to which they are relied on


def lit_backdrop(frame: Frame, job: Job, photo: FloatArray, rect: Rect, level: int) -> tuple[FloatArray, FloatArray]:
    """Return the backdrop in the photo's light, and the variance of its colours; infinite beyond the frame.

    Of two backdrops neither is seen behind the subject: the photo's is followed from beside it.

    Parameters
    ----------
    frame : Frame
    job : Job
    photo : (h, w, 3) float32 ndarray
        Colours of a window, encoded.
    rect : Rect
        The window, in pixels of the level.
    level : int

    Returns
    -------
    (h, w, 3) and (h, w) float32 ndarray
    """
    step, covered = 1 << level, job.photo.space.covered(rect, level)
    plate, inside = _window(frame, covered, step, photo.shape)
    clear = _fitted(job.zones.read(covered)[::step, ::step] == BACKGROUND, photo.shape)
    known = (clear & inside).astype(np.float32)
    if frame.kind == "again":
        lit, variance = followed(photo, known, step)
    else:
        lit, variance = lit_like(photo, plate, known, step)
    return lit, np.where(inside, variance, np.float32(np.inf))


def known_behind(job: Job, photo: FloatArray, rect: Rect, level: int) -> tuple[FloatArray, BoolArray] | None:
    """Return the backdrop that a set shows, and where it can be relied on; None without a set that is used.

    Parameters are those of `lit_backdrop`.
    """
    frame = frame_of(job)
    if frame is None or frame.kind != "empty":
        return None
    lit, variance = lit_backdrop(frame, job, photo, rect, level)
    return lit, variance < _RELIED**2


def frame_colours(frame: Frame, job: Job, rect: Rect, level: int, *, beyond: FloatArray) -> FloatArray:
    """Return a window of a frame as it lies over the photo; colours of `beyond`, (h, w, 3), where it shows nothing."""
    plate, inside = _window(frame, job.photo.space.covered(rect, level), 1 << level, beyond.shape)
    return np.where(inside[..., None], plate, beyond)


def _window(frame: Frame, covered: Rect, step: int, shape: tuple[int, ...]) -> tuple[FloatArray, BoolArray]:
    pixels = frame.pixels[covered.slices]
    plate = unit_floats(pixels) if step == 1 else averaged(pixels, step)
    if plate.shape[:2] != shape[:2]:
        plate = np.asarray(cv2.resize(plate, shape[1::-1], interpolation=cv2.INTER_LINEAR))
    return plate, _fitted(frame.inside[covered.slices][::step, ::step], shape)


def _fitted(mask: BoolArray, shape: tuple[int, ...]) -> BoolArray:
    """Return a mask at the size of a level, which may differ by a pixel."""
    if mask.shape == shape[:2]:
        return mask
    return np.asarray(cv2.resize(mask.astype(np.uint8), shape[1::-1], interpolation=cv2.INTER_NEAREST) > 0)
