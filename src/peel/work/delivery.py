"""Deliver: the files that presets ask for, made in one pass, encoded side by side, written whole or not at all.

Window, ``peel cut`` and ``peel deliver`` all go through `deliver`.
"""

import hashlib
import time
from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.errors import Cancelled, DeliveryError
from peel.files.atomic import write_whole
from peel.files.delivery_profiles import converted, profile_named
from peel.files.encoding import Encoding, encoded_exr, encoded_picture
from peel.files.metadata import Metadata, read_metadata, rights_only
from peel.files.open_raster import RasterLayer, encoded_open_raster
from peel.files.outlines import path_resource, svg_outline
from peel.files.presets import presets
from peel.job.job import Job
from peel.job.preset import Preset, file_name
from peel.job.settings import Delivery
from peel.job.sheet import sheet_of
from peel.matte.arrays import unit_floats
from peel.matte.edge.half_way import half_way_curves
from peel.matte.parallel import run_all
from peel.matte.srgb import to_linear
from peel.work.products import (
    Progress,
    Want,
    cutout_pixels,
    flat_pixels,
    matte_pixels,
    products,
)
from peel.work.stages import Stages
from peel.work.wording import backing_words

__all__ = [
    "Delivered",
    "Order",
    "cutout_pixels",
    "deliver",
    "flat_pixels",
    "job_for",
    "matte_pixels",
    "orders_of",
    "planned",
    "presets_of",
    "size_of_file",
    "wanted_presets",
]

_CHROMATICITIES: Final = {
    "srgb": (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290),
    "display-p3": (0.68, 0.32, 0.265, 0.69, 0.15, 0.06, 0.3127, 0.3290),
    "oprgb": (0.64, 0.33, 0.21, 0.71, 0.15, 0.06, 0.3127, 0.3290),
}
_OPRGB_GAMMA: Final = 563 / 256
_MOST_NUMBERED: Final = 10_000


@dataclass(frozen=True)
class Order:
    """One file to be delivered: where, by which preset, and what it is in words."""

    path: Path
    preset: Preset
    what: str = ""


@dataclass(frozen=True)
class Delivered:
    """A file that was written.

    Attributes
    ----------
    path : Path
    what : str
    size_bytes : int
    digest : SHA-256 of its bytes, in hexadecimal.
    size : height and width in pixels.
    pixels_s, encoding_s : seconds for the pixels of all that was made with it, and for encoding and writing it.
    """

    path: Path
    what: str
    size_bytes: int
    digest: str
    size: tuple[int, int]
    pixels_s: float
    encoding_s: float


def presets_of(delivery: Delivery) -> list[Preset]:
    """Return the presets of the three plain files that a recipe ticks."""
    cutout = Preset(name="Cutout", product="cutout", bits=delivery.cutout_bits)
    flat = Preset(name="Flat", product="flat", format="jpeg", quality=delivery.flat_quality)
    matte = Preset(name="Matte", product="matte", bits=delivery.matte_bits)
    ticked = ((delivery.cutout, cutout), (delivery.flat, flat), (delivery.matte, matte))
    return [preset for asked, preset in ticked if asked]


def wanted_presets(job: Job) -> list[Preset]:
    """Return the presets that a job's recipe names; those that are not there any more are left out."""
    known = presets() if job.settings.recipe.delivery.presets else {}
    return [known[name] for name in job.settings.recipe.delivery.presets if name in known]


def orders_of(
    job: Job, folder: Path, presets: Sequence[Preset] = (), *, number: int = 1, date: str = ""
) -> list[Order]:
    """List the files that the job's recipe ticks, and those of further presets, by the names they ask for."""
    stem = Path(job.photo.name).stem
    out = []
    for preset in (*presets_of(job.settings.recipe.delivery), *presets):
        size = size_of_file(job, preset)
        named = file_name(preset, stem, size=size, number=number, date=date or time.strftime("%Y-%m-%d"))
        out.append(Order(folder / named, preset, _words(job, preset)))
    return out


def _words(job: Job, preset: Preset) -> str:
    backing = preset.backing or job.settings.recipe.backing
    on = f" on {backing_words(backing, nothing='white')}" if preset.product == "flat" else ""
    first, *rest = preset.words.split(", ")
    return ", ".join([first + on, *rest])


def planned(orders: Sequence[Order], *, replaces: bool = False) -> list[Order]:
    """Give orders names that are free, where their presets number rather than replace.

    Raises
    ------
    DeliveryError
        If a file is there already and the preset says to ask, unless `replaces`; or if two files have one name.
    """
    taken: set[Path] = set()
    out = []
    for order in orders:
        path = order.path
        if order.preset.existing == "number":
            path = _free(path, taken)
        elif order.preset.existing == "ask" and not replaces and path.exists():
            raise DeliveryError(f"{path} is there already.", "Replace it, or give it another name.")
        if path in taken:
            message = f"Two products would be called {path.name}."
            raise DeliveryError(message, "Put {product} or {preset} into the file name of one of their presets.")
        taken.add(path)
        out.append(Order(path, order.preset, order.what))
    return out


def _free(path: Path, taken: set[Path]) -> Path:
    if not path.exists() and path not in taken:
        return path
    for number in range(2, _MOST_NUMBERED):
        numbered = path.with_name(f"{path.stem}-{number}{path.suffix}")
        if not numbered.exists() and numbered not in taken:
            return numbered
    raise DeliveryError(f"There are too many files called {path.name}.", "Deliver into another folder.")


def job_for(job: Job, preset: Preset) -> Job:
    """Return the job as a preset wants it: on its backing, in its frame."""
    changes = {name: part for name, part in (("backing", preset.backing), ("frame", preset.frame)) if part is not None}
    return job.with_recipe(**changes) if changes else job


def size_of_file(job: Job, preset: Preset) -> tuple[int, int]:
    """Return the height and width of the file that a preset makes."""
    own = job_for(job, preset)
    space = sheet_of(own).space if preset.is_framed else own.photo.space
    return preset.size.size_for(space.height, space.width)


def deliver(
    job: Job,
    stages: Stages,
    orders: Sequence[Order],
    progress: Progress | None = None,
    *,
    original: bytes = b"",
) -> list[Delivered]:
    """Write files.

    Parameters
    ----------
    job : Job
    stages : Stages
    orders : sequence of Order
        Their folders are made if they are not there.
    progress : callable, optional
        Called with the share done; returns False to stop.
    original : bytes
        The photo's own file: its metadata is kept where presets say so, and it is never written over.

    Returns
    -------
    list of Delivered
        In the order of `orders`.

    Raises
    ------
    DeliveryError
        If a file cannot be written; those before it are whole, and it is not there at all.
    Cancelled
        If `progress` said to stop.
    """
    if not orders:
        raise DeliveryError("No file is ticked to be delivered.", "Tick at least one.")
    orders = planned(orders, replaces=True)
    for order in orders:
        _check_no_original(order.path, original)
    metadata = read_metadata(original) if original else Metadata()
    groups = _groups(job, orders)
    found: dict[int, Delivered] = {}
    for done, (own, numbers) in enumerate(groups):
        part = _part(progress, done, len(groups))
        _deliver_group(own, stages, {k: orders[k] for k in numbers}, part, metadata, found)
    return [found[k] for k in range(len(orders))]


def _check_no_original(path: Path, original: bytes) -> None:
    """Refuse to write over the photo itself, under whatever name it lies."""
    try:
        is_it = bool(original) and path.is_file() and path.stat().st_size == len(original)
        is_it = is_it and path.read_bytes() == original
    except (OSError, ValueError):
        return
    if is_it:
        raise DeliveryError(
            f"{path} is the photo itself, which is never written over.", "Choose another folder or name."
        )


def _groups(job: Job, orders: Sequence[Order]) -> list[tuple[Job, list[int]]]:
    """Put orders together whose pixels can be made in one pass."""
    found: dict[object, tuple[Job, list[int]]] = {}
    for number, order in enumerate(orders):
        key = order.preset.backing, order.preset.frame
        if key not in found:
            found[key] = job_for(job, order.preset), []
        found[key][1].append(number)
    return list(found.values())


def _part(progress: Progress | None, number: int, count: int) -> Progress:
    def report(share: float) -> bool:
        return progress is None or progress((number + share) / count)

    return report


def _deliver_group(
    job: Job,
    stages: Stages,
    orders: dict[int, Order],
    progress: Progress,
    metadata: Metadata,
    found: dict[int, Delivered],
) -> None:
    """Make what several orders need in one pass, then encode and write each; half of the time is for either."""
    began = time.perf_counter()
    wants = list(dict.fromkeys(want for order in orders.values() for want in _wants(order.preset)))
    made = dict(zip(wants, products(job, stages, wants, lambda share: progress(0.5 * share)), strict=True))
    pixels_s = time.perf_counter() - began
    done: list[int] = []

    def write(number: int, order: Order) -> None:
        if not progress(0.5 + 0.5 * len(done) / len(orders)):
            raise Cancelled
        since = time.perf_counter()
        content, size = _content(job, order.preset, made, metadata)
        write_whole(order.path, lambda file: file.write(content))
        digest = hashlib.sha256(content).hexdigest()
        took = time.perf_counter() - since
        found[number] = Delivered(order.path, order.what, len(content), digest, size, pixels_s, took)
        done.append(number)

    run_all([partial(write, number, order) for number, order in orders.items()])


def _wants(preset: Preset) -> list[Want]:
    """Return the pixels that a preset needs; more than 8 bits wherever they are worked on further."""
    if preset.product == "outline":
        return [Want("matte", 16)]
    if preset.product == "layers":
        return [Want("cutout", framed=True), Want("shadow"), Want("backing"), Want("matte", framed=True), Want("flat")]
    works_on = preset.size.fit != "as it is" or preset.profile != "photo" or preset.format == "exr"
    bits = 16 if works_on or preset.bits > 8 or preset.alpha == "premultiplied" else 8
    framed = preset.is_framed and preset.product in {"cutout", "matte"}
    own = [Want(preset.product, bits, framed, preset.continued)]
    return [*own, Want("matte", 16, framed or preset.product == "flat")] if preset.clipping_path else own


Made = dict[Want, NDArray[Any]]


def _content(job: Job, preset: Preset, made: Made, metadata: Metadata) -> tuple[bytes, tuple[int, int]]:
    """Return a file's bytes, and its height and width."""
    wants = _wants(preset)
    profile = job.photo.profile if preset.profile == "photo" else profile_named(preset.profile)
    said = {"kept": metadata, "rights": rights_only(metadata), "stripped": Metadata()}[preset.metadata]
    if preset.product == "outline":
        alpha = unit_floats(made[wants[0]])
        height, width = preset.size.size_for(*alpha.shape)
        factor = height / alpha.shape[0]
        runs = [[piece * factor for piece in run] for run in half_way_curves(alpha)]
        return svg_outline(runs, height, width), (height, width)
    how = Encoding(preset.quality, preset.lossless, profile, preset.ppi, preset.alpha == "premultiplied", said)
    if preset.product == "layers":
        return _layers(job, made, wants, how)
    pixels = _resized(made[wants[0]], preset)
    size = pixels.shape[0], pixels.shape[1]
    if preset.format == "exr":
        return _exr(job, preset, pixels), size
    if preset.product == "matte":
        how = Encoding(preset.quality, preset.lossless, None, preset.ppi, metadata=said)
    elif preset.profile != "photo":
        pixels = converted(pixels, job.photo.profile, preset.profile, preset.intent)
    pixels = _finished(pixels, preset)
    if preset.clipping_path:
        runs = half_way_curves(unit_floats(made[wants[1]]))
        how = Encoding(how.quality, how.lossless, how.profile, how.ppi, how.premultiplied, said,
                       path_resource(runs, *made[wants[1]].shape))  # fmt: skip
    return encoded_picture(pixels, preset.format, how), size


def _resized(pixels: NDArray[Any], preset: Preset) -> NDArray[Any]:
    """Bring pixels to a preset's size, premultiplied while that is done."""
    height, width = preset.size.size_for(*pixels.shape[:2])
    if (height, width) == pixels.shape[:2]:
        return pixels
    values = unit_floats(pixels)
    if values.ndim == 3 and values.shape[2] == 4:
        values[..., :3] *= values[..., 3:]
    shrinks = height < pixels.shape[0]
    values = cv2.resize(values, (width, height), interpolation=cv2.INTER_AREA if shrinks else cv2.INTER_CUBIC)
    if values.ndim == 3 and values.shape[2] == 4:
        values[..., :3] /= np.maximum(values[..., 3:], np.float32(1e-5))
    return np.asarray(np.round(np.clip(values, 0, 1) * 65535), np.uint16)


def _finished(pixels: NDArray[Any], preset: Preset) -> NDArray[Any]:
    """Premultiply where that is asked for, and round to the preset's depth."""
    if preset.alpha == "premultiplied" and pixels.ndim == 3 and pixels.shape[2] in {2, 4}:
        values = unit_floats(pixels)
        values[..., :-1] *= values[..., -1:]
        pixels = np.asarray(np.round(values * 65535), np.uint16)
    if preset.bits == 8 and pixels.dtype == np.uint16:
        pixels = ((pixels.astype(np.uint32) + 128) // 257).astype(np.uint8)
    return pixels


def _exr(job: Job, preset: Preset, pixels: NDArray[Any]) -> bytes:
    """Encode linear, premultiplied light, in the primaries that are asked for."""
    name = "srgb" if preset.profile == "photo" else preset.profile
    if pixels.ndim == 2:
        return encoded_exr(unit_floats(pixels), half=preset.bits == 16, chromaticities=_CHROMATICITIES[name])
    encoded = unit_floats(converted(pixels, job.photo.profile, name, preset.intent))
    light = encoded[..., :3] ** np.float32(_OPRGB_GAMMA) if name == "oprgb" else to_linear(encoded[..., :3])
    if encoded.shape[2] == 4:
        light = np.dstack([light * encoded[..., 3:], encoded[..., 3]])
    return encoded_exr(np.asarray(light, np.float32), half=preset.bits == 16, chromaticities=_CHROMATICITIES[name])


def _layers(job: Job, made: Made, wants: list[Want], how: Encoding) -> tuple[bytes, tuple[int, int]]:
    """Put photo, backing, shadow, cutout and matte into one file, all of the sheet's size."""
    cutout, shadow, backing, matte, flat = (made[want] for want in wants)
    height, width = flat.shape[:2]
    solid = np.full((height, width), 255, np.uint8)
    layers = [
        RasterLayer("Matte", np.dstack([matte, matte, matte, solid]), is_seen=False),
        RasterLayer("Cutout", cutout),
        RasterLayer("Shadow", shadow),
        RasterLayer("Backing", np.dstack([backing, solid])),
        RasterLayer("Photo", _photo_on_sheet(job, height, width), is_seen=False),
    ]
    return encoded_open_raster(layers, np.dstack([flat, solid]), how), (height, width)


def _photo_on_sheet(job: Job, height: int, width: int) -> NDArray[Any]:
    """Return the photo at its own place on the sheet, clear around it."""
    out = np.zeros((height, width, 4), np.uint8)
    sheet, pixels = sheet_of(job), job.photo.pixels
    top, left = max(sheet.top, 0), max(sheet.left, 0)
    part = pixels[max(-sheet.top, 0) :, max(-sheet.left, 0) :][: max(height - top, 0), : max(width - left, 0)]
    shown = part if part.dtype == np.uint8 else ((part.astype(np.uint32) + 128) // 257).astype(np.uint8)
    out[top : top + part.shape[0], left : left + part.shape[1], :3] = shown
    out[top : top + part.shape[0], left : left + part.shape[1], 3] = 255
    return out
