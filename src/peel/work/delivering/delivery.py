"""Deliver: the files that presets ask for, made in one pass, encoded side by side, written whole or not at all.

Window and ``peel deliver`` go through `deliver_job`, ``peel cut`` through `deliver` itself.
"""

import hashlib
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Final

from peel.errors import Cancelled, DeliveryError
from peel.files.atomic import write_whole
from peel.files.metadata import Metadata, read_metadata
from peel.job.job import Job
from peel.matte.parallel import run_all
from peel.work.delivering.order import DeliveryOrder, FileOrder, job_for, planned
from peel.work.delivering.product_files import content_of, wants_of
from peel.work.delivering.products import Progress, Want, bytes_of, products
from peel.work.delivering.rows import AcceptedSnag, FileRow, RunRow
from peel.work.stages import Stages

__all__ = [
    "Delivered",
    "deliver",
    "deliver_job",
]

_MOST_BYTES: Final = 360_000_000  # of pixels that are made in one pass, unless a single file needs more


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


def deliver(
    job: Job,
    stages: Stages,
    orders: Sequence[FileOrder],
    progress: Progress | None = None,
    *,
    original: bytes = b"",
) -> list[Delivered]:
    """Write files.

    Parameters
    ----------
    job : Job
    stages : Stages
    orders : sequence of FileOrder
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


def deliver_job(
    job: Job,
    stages: Stages,
    order: DeliveryOrder,
    progress: Progress | None = None,
    *,
    original: bytes = b"",
    planned_as: Callable[[Sequence[FileOrder]], object] = lambda _files: None,
) -> RunRow:
    """Deliver one job and say what became of it; window and runs both come through here.

    Parameters
    ----------
    job : Job
    stages : Stages
    order : DeliveryOrder
    progress, original
        As in `deliver`, which also says what is raised.
    planned_as : callable
        Told of the files before the first is written.
    """
    files = order.files(job)
    planned_as(files)
    made = deliver(job, stages, files, progress, original=original)
    took = sum(item.encoding_s for item in made) + max((item.pixels_s for item in made), default=0.0)
    accepted = [own for own in job.settings.photo.settled_snags if own.is_accepted]
    return RunRow(
        photo=job.photo.name,
        files=tuple(
            FileRow(str(item.path), item.what, item.size[1], item.size[0], item.size_bytes, item.digest)
            for item in made
        ),
        snags_accepted=tuple(AcceptedSnag(own.sort, own.at, own.reason) for own in accepted),
        seconds=round(took, 2),
        date=order.date,
    )


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


def _groups(job: Job, orders: Sequence[FileOrder]) -> list[tuple[Job, list[int]]]:
    """Put orders together whose pixels can be made in one pass."""
    found: dict[object, tuple[Job, list[int]]] = {}
    for number, order in enumerate(orders):
        key = order.preset.backing, order.preset.frame
        if key not in found:
            found[key] = job_for(job, order.preset), []
        found[key][1].append(number)
    return list(found.values())


def _passes(job: Job, orders: Sequence[FileOrder], numbers: Sequence[int]) -> list[list[int]]:
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
    orders: dict[int, FileOrder],
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

    def write(number: int, order: FileOrder) -> None:
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
