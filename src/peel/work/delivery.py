"""Make the files that are delivered, through the same stages that the window shows."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.errors import Cancelled, DeliveryError
from peel.files.pictures import write_jpeg, write_png
from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.arrays import FloatArray
from peel.work.stages import Stages

__all__ = ["Delivered", "cutout_pixels", "deliver", "flat_pixels", "matte_pixels", "planned"]

_STRIP: Final = 256  # rows made at a time: the height of a cell, so that no colour is estimated twice
_OUTWARD: Final = 8  # pixels beyond the edge that keep subject colour, for programs that scale the cutout

Progress = Callable[[float], bool]


@dataclass(frozen=True)
class Delivered:
    """A file that was written."""

    path: Path
    what: str
    size_bytes: int


def planned(job: Job, folder: Path) -> list[tuple[Path, str]]:
    """List the files that the job's settings ask for, with what each is."""
    stem = Path(job.photo.name).stem
    settings = job.settings.delivery
    bits = f"{settings.cutout_bits}-bit PNG"
    wanted = (
        (settings.cutout, f"{stem}-cutout.png", f"cutout, transparent, {bits}"),
        (settings.flat, f"{stem}-flat.jpg", f"on {_backing_colour(job)}, JPEG {settings.flat_quality} %"),
        (settings.matte, f"{stem}-matte.png", f"matte, {settings.matte_bits}-bit gray PNG"),
    )
    return [(folder / name, what) for asked, name, what in wanted if asked]


def _backing_colour(job: Job) -> str:
    """Give the colour that the flat file stands on: the chosen backing, or white when there is none."""
    backing = job.settings.backing
    return backing.colour if backing.kind == "colour" else "#ffffff"


def deliver(job: Job, stages: Stages, folder: Path, progress: Progress | None = None) -> list[Delivered]:
    """Write every file that the job's settings ask for.

    Parameters
    ----------
    job : Job
    stages : Stages
    folder : Path
        Made if it is not there.
    progress : callable, optional
        Told the share done; answers False to stop.

    Returns
    -------
    list of Delivered

    Raises
    ------
    DeliveryError
        If a file cannot be written; those before it are whole, and it is not there at all.
    Cancelled
        If `progress` said to stop.
    """
    files = planned(job, folder)
    if not files:
        raise DeliveryError("No file is ticked to be delivered.", "Tick at least one.")
    written = []
    for number, (path, what) in enumerate(files):
        _write(job, stages, path, _part(progress, number, len(files)))
        written.append(Delivered(path, what, path.stat().st_size))
    return written


def _part(progress: Progress | None, number: int, count: int) -> Progress:
    def told(share: float) -> bool:
        return progress is None or progress((number + share) / count)

    return told


def _write(job: Job, stages: Stages, path: Path, progress: Progress) -> None:
    settings = job.settings.delivery
    if path.name.endswith("-flat.jpg"):
        pixels = flat_pixels(job, stages, _backing_colour(job), progress)
        write_jpeg(path, pixels, settings.flat_quality, job.photo.profile)
    elif path.name.endswith("-cutout.png"):
        write_png(path, cutout_pixels(job, stages, settings.cutout_bits, progress), job.photo.profile)
    else:
        write_png(path, matte_pixels(job, settings.matte_bits))


def _integers(values: FloatArray, bits: int) -> NDArray[Any]:
    top = (1 << bits) - 1
    return np.asarray(np.clip(values, 0, 1) * np.float32(top) + np.float32(0.5)).astype(
        np.uint8 if bits == 8 else np.uint16
    )


def _strips(job: Job) -> list[Rect]:
    height, width = job.photo.height, job.photo.width
    return [Rect(top, 0, min(top + _STRIP, height), width) for top in range(0, height, _STRIP)]


def _tell(progress: Progress | None, share: float) -> None:
    if progress is not None and not progress(share):
        raise Cancelled


def matte_pixels(job: Job, bits: int) -> NDArray[Any]:
    """Give the matte as (H, W) uint8 or uint16."""
    matte = job.matte.read()
    if bits == 16:
        return matte
    return np.asarray((matte.astype(np.uint32) * 255 + 32767) // 65535).astype(np.uint8)


def cutout_pixels(job: Job, stages: Stages, bits: int, progress: Progress | None = None) -> NDArray[Any]:
    """Give the cutout as (H, W, 4) with straight alpha; nothing of the old backdrop is left in it.

    Notes
    -----
    Where alpha is 0 the subject's colour is continued a few pixels outward; beyond that the colour is black.
    """
    height, width = job.photo.height, job.photo.width
    out = np.zeros((height, width, 4), np.uint8 if bits == 8 else np.uint16)
    top = (1 << bits) - 1
    for strip in _strips(job):
        _tell(progress, strip.top / height)
        around = strip.grown(_OUTWARD).intersection(job.photo.bounds)
        alpha = stages.alpha(job, around, 0)
        if not alpha.any():
            continue
        near = _near_subject(alpha)[strip.within(around)]
        mine = alpha[strip.within(around)]
        colours = _integers(stages.foreground(job, strip, 0), bits)
        if bits == job.photo.bits:
            # solid pixels are the photo's own numbers, not those numbers to float and back
            solid = mine >= 1
            colours[solid] = job.photo.pixels[strip.slices][solid]
        colours[~near] = 0
        out[strip.slices][..., :3] = colours
        out[strip.slices][..., 3] = np.round(mine * np.float32(top)).astype(out.dtype)
    return out


def _near_subject(alpha: FloatArray) -> NDArray[np.bool_]:
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * _OUTWARD + 1, 2 * _OUTWARD + 1))
    return cv2.dilate((alpha > 0).astype(np.uint8), disc).astype(bool)


def flat_pixels(job: Job, stages: Stages, colour: str, progress: Progress | None = None) -> NDArray[np.uint8]:
    """Give the cutout on a plain backing as (H, W, 3) uint8, in the photo's profile."""
    backing = stages.backing_colour(colour)
    out = np.empty((job.photo.height, job.photo.width, 3), np.uint8)
    for strip in _strips(job):
        _tell(progress, strip.top / job.photo.height)
        out[strip.slices] = _integers(stages.composite(job, strip, 0, backing), 8)
    return out
