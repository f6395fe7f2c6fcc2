"""The set in the light of a photo, at any level."""

import cv2
import numpy as np

from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.arrays import FloatArray
from peel.matte.edge.zones import BACKGROUND
from peel.matte.pixels import unit_floats
from peel.matte.plate.known_backdrop import lit_like
from peel.matte.smaller import averaged
from peel.work.framing.frames import Frame

__all__ = ["lit_backdrop"]


def lit_backdrop(
    frame: Frame, job: Job, photo: FloatArray, rect: Rect, level: int
) -> tuple[FloatArray, FloatArray]:
    """Return the set in the photo's light, and the variance of what is left between both; infinite beyond the frame.

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
    step = 1 << level
    covered = job.photo.space.covered(rect, level)
    pixels = frame.pixels[covered.slices]
    plate = unit_floats(pixels) if level == 0 else averaged(pixels, step)
    clear = job.zones.read(covered)[::step, ::step] == BACKGROUND
    inside = frame.inside[covered.slices][::step, ::step]
    height, width = photo.shape[:2]
    if plate.shape[:2] != (height, width):
        plate = cv2.resize(plate, (width, height), interpolation=cv2.INTER_LINEAR)
        clear, inside = (
            cv2.resize(mask.astype(np.uint8), (width, height), interpolation=cv2.INTER_NEAREST) > 0
            for mask in (clear, inside)
        )
    lit, variance = lit_like(photo, plate, (clear & inside).astype(np.float32), step)
    return lit, np.where(inside, variance, np.float32(np.inf))
