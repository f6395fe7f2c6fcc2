"""The views of a job, as pictures for the screen."""

from enum import Enum
from typing import Final

import cv2
import numpy as np

from peel.files.profiles import to_screen
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import rgb_from_hex
from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.composite import checker
from peel.matte.trimap import BACKGROUND, FOREGROUND
from peel.work.stages import Stages

__all__ = ["LOUDEST", "View", "loudest_colour", "render"]

LOUDEST: Final = "#ff00c8"
_UNSURE: Final = np.array([0.93, 0.72, 0.10], np.float32)
_HATCH: Final = 9
_CANDIDATES: Final = ("#ff00c8", "#00d0ff", "#00e040", "#ffe000", "#ff3000", "#2040ff", "#b000ff", "#ff8000")


class View(Enum):
    """What the picture shows."""

    PHOTO = "Photo"
    ZONES = "Zones"
    MATTE = "Matte"
    WHITE = "White"
    BLACK = "Black"
    LOUD = "Loud"
    BACKING = "Backing"


def render(stages: Stages, job: Job, view: View, rect: Rect, level: int, loud: str = LOUDEST) -> ByteArray:
    """Draw a window of a view.

    Parameters
    ----------
    stages : Stages
    job : Job
    view : View
    rect : Rect
        Pixels of the level.
    level : int
    loud : str
        The colour of `View.LOUD`.

    Returns
    -------
    (h, w, 3) uint8 ndarray
        sRGB.
    """
    if view is View.MATTE:
        return _bytes(np.repeat(stages.alpha(job, rect, level)[..., None], 3, axis=2))
    if view is View.PHOTO:
        colours = stages.pyramid.colours(rect, level)
    elif view is View.ZONES:
        colours = _zones(stages, job, rect, level)
    elif view is View.BACKING and job.settings.backing.kind == "nothing":
        check = checker(rect.top, rect.left, rect.height, rect.width, 12)
        colours = stages.composite(job, rect, level, check)
    else:
        colours = stages.composite(job, rect, level, stages.backing_colour(_plain_colour(job, view, loud)))
    return to_screen(_bytes(colours), job.photo.profile)


def _plain_colour(job: Job, view: View, loud: str) -> str:
    plain = {View.WHITE: "#ffffff", View.BLACK: "#000000", View.LOUD: loud}
    return plain.get(view, job.settings.backing.colour)


def _bytes(colours: FloatArray) -> ByteArray:
    return np.asarray(np.clip(colours, 0, 1) * np.float32(255) + np.float32(0.5)).astype(np.uint8)


def _zones(stages: Stages, job: Job, rect: Rect, level: int) -> FloatArray:
    """Show the subject as photographed, the backdrop faded and hatched, the band stippled."""
    photo = stages.pyramid.colours(rect, level)
    backdrop, unsure = stages.zone_shares(job, rect, level)
    rows = np.arange(rect.top, rect.bottom, dtype=np.int32)[:, None]
    columns = np.arange(rect.left, rect.right, dtype=np.int32)[None, :]
    gray = photo.mean(axis=2, keepdims=True)
    hatched = ((rows + columns) % _HATCH < 2)[..., None]
    faded = np.where(hatched, np.float32(0.30), np.float32(0.37)) + 0.55 * gray
    dots = (((rows % 6) < 2) & (((columns + 3 * (rows // 6 % 2)) % 6) < 2))[..., None]
    tinted = photo * 0.62 + _UNSURE * 0.38
    stippled = np.where(dots, _UNSURE, tinted)
    out = photo + (faded - photo) * backdrop[..., None]
    return np.asarray(out + (stippled - out) * unsure[..., None], np.float32)


def loudest_colour(stages: Stages, job: Job) -> str:
    """Choose the backing that differs most from this subject's edge.

    Notes
    -----
    Of a few strong colours, the one whose nearest edge colours are farthest away in CIE Lab (10th percentile).
    """
    level = 0
    while max(stages.bounds(level).height, stages.bounds(level).width) > 700:
        level += 1
    rect = stages.bounds(level)
    alpha = stages.alpha(job, rect, level)
    zones: ByteArray = np.where(alpha >= 1, FOREGROUND, np.where(alpha <= 0, BACKGROUND, 128)).astype(np.uint8)
    edge = cv2.dilate((zones == 128).astype(np.uint8), np.ones((5, 5))).astype(bool) & (alpha > 0.3)
    if not edge.any():
        return LOUDEST
    colours = _bytes(stages.foreground(job, rect, level))[edge][None]
    lab = cv2.cvtColor(to_screen(colours, job.photo.profile).astype(np.float32) / 255, cv2.COLOR_RGB2Lab)[0]

    def nearness(candidate: str) -> float:
        pixel = np.array([[rgb_from_hex(candidate)]], np.float32)
        return float(np.percentile(np.linalg.norm(lab - cv2.cvtColor(pixel, cv2.COLOR_RGB2Lab)[0, 0], axis=1), 10))

    return max(_CANDIDATES, key=nearness)
