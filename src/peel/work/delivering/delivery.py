"""Deliver: the files that presets ask for, made in one pass, encoded side by side, written whole or not at all.

Window, ``peel cut`` and ``peel deliver`` all go through `deliver`.
"""

import hashlib
import time
from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Final

from peel.errors import Cancelled, DeliveryError, UsageError
from peel.files.atomic import write_whole
from peel.files.metadata import Metadata, read_metadata
from peel.files.presets import presets
from peel.job.job import Job
from peel.job.placing.sheet import sheet_of
from peel.job.preset import Preset, file_name
from peel.job.settings import Delivery
from peel.matte.parallel import run_all
from peel.work.delivering.product_files import content_of, wants_of
from peel.work.delivering.products import Progress, Want, bytes_of, cutout_pixels, flat_pixels, matte_pixels, products
from peel.work.stages import Stages
from peel.work.wording import backing_words

__all__ = [
    "Delivered",
    "Order",
    "all_presets",
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

_MOST_NUMBERED: Final = 10_000
_MOST_BYTES: Final = 360_000_000  # of pixels that are made in one pass, unless a single file needs more


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
    """Return the presets that a job's recipe names: as they are here, or as the job remembers them.

    Raises
    ------
    UsageError
        If one is neither here nor remembered.
    """
    own = job.settings.recipe.delivery
    known = {preset.name: preset for preset in own.copies} | (presets() if own.presets else {})
    missing = [name for name in own.presets if name not in known]
    if missing:
        message = f"The job is to be delivered by the preset {missing[0]}, which is not here."
        raise UsageError(message, "Add it from its file, or take its tick away.")
    return [known[name] for name in own.presets]


def all_presets(job: Job) -> list[Preset]:
    """Return the plain files of a job's recipe as presets, and the presets that it names; see `wanted_presets`."""
    return [*presets_of(job.settings.recipe.delivery), *wanted_presets(job)]


def orders_of(
    job: Job, folder: Path, presets: Sequence[Preset] = (), *, number: int = 1, date: str = "", stem: str = ""
) -> list[Order]:
    """List the files that the job's recipe ticks, and those of further presets, by the names they ask for.

    They are named after the photo; after `stem`, if that is given, where the job's number is no part of their names.
    """
    own = Path(job.photo.name).stem
    out = []
    for preset in (*presets_of(job.settings.recipe.delivery), *presets):
        size = size_of_file(job, preset)
        name = own if "{number" in preset.file_name else stem or own
        named = file_name(preset, name, size=size, number=number, date=date or time.strftime("%Y-%m-%d"))
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
    groups = [(own, part) for own, numbers in _groups(job, orders) for part in _passes(own, orders, numbers)]
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


def _passes(job: Job, orders: Sequence[Order], numbers: Sequence[int]) -> list[list[int]]:
    """Split a group so that the pixels of each part fit into memory beside the photo."""
    parts: list[list[int]] = []
    wanted: set[Want] = set()
    for number in numbers:
        own = set(wants_of(orders[number].preset))
        if not parts or sum(bytes_of(job, want) for want in wanted | own) > _MOST_BYTES:
            parts.append([])
            wanted = set()
        parts[-1].append(number)
        wanted |= own
    return parts


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
    wants = list(dict.fromkeys(want for order in orders.values() for want in wants_of(order.preset)))
    made = dict(zip(wants, products(job, stages, wants, lambda share: progress(0.5 * share)), strict=True))
    pixels_s = time.perf_counter() - began
    done: list[int] = []

    def write(number: int, order: Order) -> None:
        if not progress(0.5 + 0.5 * len(done) / len(orders)):
            raise Cancelled
        since = time.perf_counter()
        content, size = content_of(job, order.preset, made, metadata)
        write_whole(order.path, lambda file: file.write(content))
        digest = hashlib.sha256(content).hexdigest()
        took = time.perf_counter() - since
        found[number] = Delivered(order.path, order.what, len(content), digest, size, pixels_s, took)
        done.append(number)

    run_all([partial(write, number, order) for number, order in orders.items()])
