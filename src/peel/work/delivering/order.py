"""What is ordered: the files of a job, by presets, with the names they ask for."""

import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Final

from peel.errors import AlreadyThereError, DeliveryError, UsageError
from peel.files.presets import presets
from peel.job.job import Job
from peel.job.placing.sheet import sheet_of
from peel.job.preset import Preset, file_name
from peel.job.settings import Delivery
from peel.work.wording import backing_words

__all__ = [
    "DeliveryOrder",
    "FileOrder",
    "all_presets",
    "job_for",
    "named_presets",
    "orders_of",
    "planned",
    "presets_of",
    "size_of_file",
    "today",
]

_MOST_NUMBERED: Final = 10_000


def today() -> str:
    """Return the date as files are named by it."""
    return time.strftime("%Y-%m-%d")


@dataclass(frozen=True)
class FileOrder:
    """One file to be delivered: where, by which preset, and what it is in words."""

    path: Path
    preset: Preset
    what: str = ""

    def written_over(self, path: Path) -> "FileOrder":
        """Return the order for a file that this very delivery had begun to write."""
        return FileOrder(path, self.preset.model_copy(update={"existing": "replace"}), self.what)


@dataclass(frozen=True)
class DeliveryOrder:
    """What is to be delivered of one job.

    Attributes
    ----------
    to : Path
        The folder.
    presets : tuple of Preset
        One for each file, resolved; see `all_presets`.
    number : int
        Of the job among those that are delivered together, for file names.
    stem : str
        What files are named after; the photo's name unless given.
    date : str
        For file names.
    replaces : bool
        Whether files are replaced where a preset says to ask.
    begun : tuple of str
        Names of the files, if an earlier delivery of this very order was ended while it wrote them.
    """

    to: Path
    presets: tuple[Preset, ...]
    number: int = 1
    stem: str = ""
    date: str = field(default_factory=today)
    replaces: bool = False
    begun: tuple[str, ...] = ()

    def files(self, job: Job) -> list[FileOrder]:
        """List the files of a job, by names that are free or may be taken; see `planned` for what is raised."""
        wanted = orders_of(job, self)
        if len(self.begun) != len(wanted):
            return planned(wanted, replaces=self.replaces)
        return [one.written_over(self.to / name) for name, one in zip(self.begun, wanted, strict=True)]


def presets_of(delivery: Delivery) -> list[Preset]:
    """Return the presets of the three plain files that a recipe ticks."""
    cutout = Preset(name="Cutout", product="cutout", bits=delivery.cutout_bits)
    flat = Preset(name="Flat", product="flat", format="jpeg", quality=delivery.flat_quality)
    matte = Preset(name="Matte", product="matte", bits=delivery.matte_bits)
    ticked = ((delivery.cutout, cutout), (delivery.flat, flat), (delivery.matte, matte))
    return [preset for asked, preset in ticked if asked]


def named_presets(job: Job) -> list[Preset]:
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
    """Return the plain files of a job's recipe as presets, and the presets that it names.

    Raises
    ------
    UsageError
        If one that is named is neither here nor remembered in the job.
    """
    return [*presets_of(job.settings.recipe.delivery), *named_presets(job)]


def orders_of(job: Job, order: DeliveryOrder) -> list[FileOrder]:
    """List the files of a job by the names that presets ask for, whether they are free or not.

    They are named after the photo; after the order's stem, if it has one, where the job's number is no part of a name.
    """
    own = Path(job.photo.name).stem
    out = []
    for preset in order.presets:
        size = size_of_file(job, preset)
        name = own if "{number" in preset.file_name else order.stem or own
        named = file_name(preset, name, size=size, number=order.number, date=order.date)
        out.append(FileOrder(order.to / named, preset, _words(job, preset)))
    return out


def _words(job: Job, preset: Preset) -> str:
    backing = preset.backing or job.settings.recipe.backing
    on = f" on {backing_words(backing, nothing='white')}" if preset.product == "flat" else ""
    first, *rest = preset.words.split(", ")
    return ", ".join([first + on, *rest])


def planned(orders: Sequence[FileOrder], *, replaces: bool = False) -> list[FileOrder]:
    """Give orders names that are free, where their presets number rather than replace.

    Raises
    ------
    AlreadyThereError
        If a file is there already and the preset says to ask, unless `replaces`.
    DeliveryError
        If two files have one name.
    """
    taken: set[Path] = set()
    out = []
    for order in orders:
        path = order.path
        if order.preset.existing == "number":
            path = _free(path, taken)
        elif order.preset.existing == "ask" and not replaces and path.exists():
            raise AlreadyThereError(f"{path} is there already.", "Replace it, or give it another name.")
        if path in taken:
            message = f"Two products would be called {path.name}."
            raise DeliveryError(message, "Put {product} or {preset} into the file name of one of their presets.")
        taken.add(path)
        out.append(FileOrder(path, order.preset, order.what))
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
