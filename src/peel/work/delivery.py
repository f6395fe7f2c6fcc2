"""Make the files that are delivered, through the same stages that the window shows.

A product says which pixels, in which space; a format says how they are encoded. Window, ``peel cut`` and
``peel deliver`` all go through `deliver`.
"""

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import Enum
from pathlib import Path
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.errors import Cancelled, DeliveryError
from peel.files.pictures import write_jpeg, write_png
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.sheet import sheet_of
from peel.job.space import Space
from peel.matte.arrays import FloatArray
from peel.matte.composite.lookup import graded_quickly
from peel.work.stages import CELL, Stages
from peel.work.stages.grades import grading_of
from peel.work.wording import backing_words

__all__ = [
    "Delivered",
    "Format",
    "Order",
    "Product",
    "cutout_pixels",
    "deliver",
    "flat_pixels",
    "matte_pixels",
    "orders_of",
]

Progress = Callable[[float], bool]
"""Called with the share done; returns False to stop."""


class Product(Enum):
    """What a file shows: the cutout on nothing, the sheet with its backing, or the matte alone."""

    CUTOUT = "cutout"
    FLAT = "flat"
    MATTE = "matte"


@dataclass(frozen=True)
class Format:
    """How a product is encoded.

    Attributes
    ----------
    kind : "png" or "jpeg"
    bits : int
        8 or 16 a channel; JPEG has 8.
    quality : int
        Of JPEG, 40 to 100.
    """

    kind: str
    bits: int = 8
    quality: int = 92


@dataclass(frozen=True)
class Order:
    """One file to be delivered."""

    path: Path
    product: Product
    format: Format
    what: str = ""


@dataclass(frozen=True)
class Delivered:
    """A file that was written: what it is, its size, and the seconds for its pixels and for encoding and writing."""

    path: Path
    what: str
    size_bytes: int
    pixels_s: float
    encoding_s: float


def orders_of(job: Job, folder: Path) -> list[Order]:
    """List the files that the job's recipe asks for."""
    stem = Path(job.photo.name).stem
    recipe = job.settings.recipe
    wanted = recipe.delivery
    cutout = Format("png", wanted.cutout_bits)
    flat = Format("jpeg", 8, wanted.flat_quality)
    matte = Format("png", wanted.matte_bits)
    backing = backing_words(recipe.backing, nothing="white")
    transparent, on = f"cutout, transparent, {cutout.bits}-bit PNG", f"on {backing}, JPEG {flat.quality} %"
    orders = (
        (wanted.cutout, Order(folder / f"{stem}-cutout.png", Product.CUTOUT, cutout, transparent)),
        (wanted.flat, Order(folder / f"{stem}-flat.jpg", Product.FLAT, flat, on)),
        (wanted.matte, Order(folder / f"{stem}-matte.png", Product.MATTE, matte, f"matte, {matte.bits}-bit gray PNG")),
    )
    return [order for asked, order in orders if asked]


def deliver(job: Job, stages: Stages, orders: Sequence[Order], progress: Progress | None = None) -> list[Delivered]:
    """Write files.

    Parameters
    ----------
    job : Job
    stages : Stages
    orders : sequence of Order
        Their folders are made if they are not there.
    progress : callable, optional
        Called with the share done; returns False to stop.

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
    if not orders:
        raise DeliveryError("No file is ticked to be delivered.", "Tick at least one.")
    return [_write(job, stages, order, _part(progress, at, len(orders))) for at, order in enumerate(orders)]


def _part(progress: Progress | None, number: int, count: int) -> Progress:
    def report(share: float) -> bool:
        return progress is None or progress((number + share) / count)

    return report


def _write(job: Job, stages: Stages, order: Order, progress: Progress) -> Delivered:
    began = time.perf_counter()
    pixels = _PIXELS[order.product](job, stages, order.format.bits, progress)
    made = time.perf_counter()
    profile = None if order.product is Product.MATTE else _space_of(order.product, job).profile
    if order.format.kind == "jpeg":
        write_jpeg(order.path, pixels, order.format.quality, profile)
    else:
        write_png(order.path, pixels, profile)
    written = time.perf_counter()
    return Delivered(order.path, order.what, order.path.stat().st_size, made - began, written - made)


def _integers(values: FloatArray, bits: int) -> NDArray[Any]:
    top = (1 << bits) - 1
    return np.asarray(np.clip(values, 0, 1) * np.float32(top) + np.float32(0.5)).astype(
        np.uint8 if bits == 8 else np.uint16
    )


def _space_of(product: Product, job: Job) -> Space:
    """Return the space whose strips a product is made of."""
    return sheet_of(job).space if product is Product.FLAT else job.photo.space


def _strips(space: Space) -> list[Rect]:
    """Split a space into strips as high as the stages' cells, so that no colour is estimated twice."""
    return [Rect(top, 0, min(top + CELL, space.height), space.width) for top in range(0, space.height, CELL)]


def _report(progress: Progress | None, share: float) -> None:
    if progress is not None and not progress(share):
        raise Cancelled


def matte_pixels(job: Job, stages: Stages, bits: int, progress: Progress | None = None) -> NDArray[Any]:
    """Make the finished matte as (H, W) uint8 or uint16."""
    space = _space_of(Product.MATTE, job)
    out = np.empty((space.height, space.width), np.uint8 if bits == 8 else np.uint16)
    for strip in _strips(space):
        _report(progress, strip.top / space.height)
        out[strip.slices] = _integers(stages.alpha(job, strip, 0), bits)
    return out


def cutout_pixels(job: Job, stages: Stages, bits: int, progress: Progress | None = None) -> NDArray[Any]:
    """Make the cutout as (H, W, 4) with straight alpha; nothing of the old backdrop is left in it.

    Notes
    -----
    Where alpha is 0 the subject's colour is continued a few pixels outward; beyond that the colour is black. The
    subject is graded as it is on its backing.
    """
    space = _space_of(Product.CUTOUT, job)
    outward, grading = job.settings.recipe.colour.outward_px, grading_of(job.settings.recipe.subject)
    out = np.zeros((space.height, space.width, 4), np.uint8 if bits == 8 else np.uint16)
    for strip in _strips(space):
        _report(progress, strip.top / space.height)
        around = strip.grown(outward).intersection(space.bounds())
        alpha = stages.alpha(job, around, 0)
        if not alpha.any():
            continue
        near = _near_subject(alpha, outward)[strip.within(around)]
        mine = alpha[strip.within(around)]
        colours = _integers(graded_quickly(stages.foreground(job, strip, 0), grading), bits)
        colours[~near] = 0
        out[strip.slices][..., :3] = colours
        out[strip.slices][..., 3] = _integers(mine, bits)
    return out


def _near_subject(alpha: FloatArray, outward: int) -> NDArray[np.bool_]:
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * outward + 1, 2 * outward + 1))
    return cv2.dilate((alpha > 0).astype(np.uint8), disc).astype(bool)


def flat_pixels(job: Job, stages: Stages, bits: int = 8, progress: Progress | None = None) -> NDArray[Any]:
    """Make the sheet as (H, W, 3), in its own profile; white where it has no backing."""
    sheet = sheet_of(job)
    white = np.array(stages.backing_colour("#ffffff"), np.float32)
    out = np.empty((sheet.space.height, sheet.space.width, 3), np.uint8 if bits == 8 else np.uint16)
    for strip in _strips(sheet.space):
        _report(progress, strip.top / sheet.space.height)
        out[strip.slices] = _integers(stages.sheet(sheet, strip, 0, lambda rect: _plain(white, rect)), bits)
    return out


def _plain(colour: FloatArray, rect: Rect) -> FloatArray:
    return np.broadcast_to(colour, (rect.height, rect.width, 3))


_PIXELS: Final[dict[Product, Callable[[Job, Stages, int, Progress | None], NDArray[Any]]]] = {
    Product.CUTOUT: cutout_pixels,
    Product.FLAT: flat_pixels,
    Product.MATTE: matte_pixels,
}
