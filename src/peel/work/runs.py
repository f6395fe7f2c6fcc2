"""Runs: many jobs delivered, by one worker or several; one that fails stops no other, done work is skipped.

What was done of a job is noted in a file of its own beside what was delivered, whole or not at all, so that a run goes
on after a crash, and several runs can share a folder.
"""

import hashlib
import json
import tempfile
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any, Final

from peel.errors import Cancelled, DeliveryError, PeelError, SolveError, exit_code
from peel.files.atomic import write_whole
from peel.files.project import ProjectFile
from peel.files.upload import is_address, upload
from peel.job.job import Job
from peel.job.preset import Preset
from peel.job.settings import Delivery
from peel.work.delivery import Order, deliver, orders_of, planned, wanted_presets
from peel.work.delivery_report import report_row
from peel.work.inspecting import Inspector, remember
from peel.work.session import Session
from peel.work.solving import check_solvable
from peel.work.stages import Cache, Stages
from peel.work.status import Progress, Status
from peel.work.thumbs import job_thumb
from peel.work.workers import spread

__all__ = ["RunOrder", "run", "run_one"]

_NOTES: Final = ".peel-delivered"
_CACHE_BYTES: Final = 150_000_000
_WAIT_S: Final = 24 * 3600

Told = Callable[[int, float], bool]
"""Called with a job's number and the share done of it; returns False to stop."""


@dataclass(frozen=True)
class RunOrder:
    """What a run delivers.

    Attributes
    ----------
    to : a folder, or the address of a drop-off.
    presets : in place of what each job asks for, if there are any.
    resumes : whether what was delivered before, and is still there, is skipped.
    replaces : whether files are replaced where a preset says to ask.
    unseen : whether guesses of Peel's that nobody has looked at are delivered too.
    inspects : whether each job is inspected first, for the report.
    date : for file names; today's unless given.
    """

    to: str
    presets: tuple[Preset, ...] = ()
    resumes: bool = False
    replaces: bool = False
    unseen: bool = False
    inspects: bool = False
    date: str = field(default_factory=lambda: time.strftime("%Y-%m-%d"))


def run(
    jobs: Sequence[Path], order: RunOrder, *, workers: int = 1, told: Told | None = None
) -> Iterator[tuple[int, dict[str, Any]]]:
    """Deliver jobs; gives the number and the report row of each as it is done, whatever became of it.

    Raises
    ------
    Cancelled
        If `told` said to stop; those that were done are whole, and the others are not begun.
    """
    if workers <= 1:
        for number, path in enumerate(jobs):
            yield number, run_one(path, order, number=number + 1, told=_told_of(told, number))
        return
    tasks = [partial(run_one, path, order, number=number + 1) for number, path in enumerate(jobs)]
    yield from spread(
        tasks,
        workers,
        lambda number, error: _failed(jobs[number], f"its worker ended: {error!r}"),
        lambda number: told is None or told(number, 0.0),
    )


def _told_of(told: Told | None, number: int) -> Callable[[float], bool]:
    return lambda share: told is None or told(number, share)


def _failed(path: Path, error: str) -> dict[str, Any]:
    return {"photo": path.stem, "job": str(path), "files": [], "snags_open": None, "snags_accepted": [], "seconds": 0.0,
            "error": error}  # fmt: skip


def _left_out(path: Path) -> dict[str, Any]:
    sentence = f"{path} was left out: it is a guess of Peel's that nobody has looked at."
    return {**_failed(path, sentence), "code": 1, "unseen": True}


def run_one(
    path: Path, order: RunOrder, *, number: int = 1, told: Callable[[float], bool] | None = None
) -> dict[str, Any]:
    """Solve what is unsolved of a job, and deliver it; what goes wrong is in the row that is returned.

    Raises
    ------
    Cancelled
        If `told` said to stop.
    """
    try:
        return _delivered(path, order, number, told or (lambda _share: True))
    except PeelError as error:
        return {**_failed(path, str(error)), "code": exit_code(error)}
    except Cancelled:
        raise
    except Exception as error:  # noqa: BLE001 - one photo stops no other
        return _failed(path, f"Peel met an error it did not expect: {error!r}")


def _delivered(path: Path, order: RunOrder, number: int, told: Callable[[float], bool]) -> dict[str, Any]:
    key = _key(path, order)
    if order.resumes:
        known = _noted(path, order, key)
        if known is not None:
            return {**known, "skipped": True}
    session = Session.resume(ProjectFile.open(path))
    try:
        if session.job.settings.photo.guess is not None and not order.unseen:
            return _left_out(path)
        job = _solved(session, path)
        if order.inspects:
            remember(job, Inspector(session.stages).inspect(job))
        original = session.project.photo()[1]
        own = job.with_recipe(delivery=Delivery(cutout=False, flat=False, matte=False)) if order.presets else job
        row = _written(own, path, order, number, original, told)
        row["date"] = order.date
        session.note("status", Status(Progress.DELIVERED).as_note())
        session.note("thumb", job_thumb(session.stages, job))
        session.wait_idle()
    finally:
        session.close()
    _note(path, order, _key(path, order), row)
    return row


def _written(
    job: Job, path: Path, order: RunOrder, number: int, original: bytes, told: Callable[[float], bool]
) -> dict[str, Any]:
    """Write a job's files into the folder, or write them aside and hand them to the drop-off."""
    stages = Stages(job.photo, Cache(_CACHE_BYTES))
    presets = order.presets or tuple(wanted_presets(job))

    def write(folder: Path) -> tuple[list[Order], dict[str, Any]]:
        orders = planned(orders_of(job, folder, presets, number=number, date=order.date), replaces=order.replaces)
        return orders, report_row(job, deliver(job, stages, orders, told, original=original), source=str(path))

    if not is_address(order.to):
        return write(Path(order.to))[1]
    with tempfile.TemporaryDirectory(prefix="peel-upload-") as folder:
        orders, row = write(Path(folder))
        for own, item in zip(orders, row["files"], strict=True):
            upload(own.path, order.to)
            item["file"] = f"{order.to.rstrip('/')}/{own.path.name}"
        return row


def _solved(session: Session, path: Path) -> Job:
    if not session.job.has_subject:
        raise SolveError(f"{path} has no subject marked yet.", "Open it in the window and mark one.")
    check_solvable(session.job)
    session.wait_idle(_WAIT_S)
    if not session.job.is_solved:
        raise SolveError(f"The matte of {path} could not be solved.", "Open it in the window to see why.")
    return session.job


# what was done


def _notes(order: RunOrder) -> Path:
    if not is_address(order.to):
        return Path(order.to) / _NOTES
    from peel.work.memory import state_folder

    return state_folder() / "uploads" / hashlib.sha256(order.to.encode()).hexdigest()[:16]


def _note_path(path: Path, order: RunOrder) -> Path:
    return _notes(order) / f"{path.stem}-{hashlib.sha256(str(path.absolute()).encode()).hexdigest()[:8]}.json"


def _key(path: Path, order: RunOrder) -> str:
    """Return what a delivery depends on: the job as it stands, and the presets."""
    presets = [preset.model_dump_json() for preset in order.presets]
    return hashlib.sha256(f"{ProjectFile.fingerprint(path)} {presets} {order.to}".encode()).hexdigest()


def _noted(path: Path, order: RunOrder, key: str) -> dict[str, Any] | None:
    """Return what was delivered of a job before, if nothing has changed and the files are all as they were."""
    try:
        noted = json.loads(_note_path(path, order).read_text("utf-8"))
        row: dict[str, Any] = noted["row"]
        if noted["key"] != key or not row["files"]:
            return None
        for item in row["files"]:
            if is_address(item["file"]):
                continue
            if hashlib.sha256(Path(item["file"]).read_bytes()).hexdigest() != item["sha256"]:
                return None
        return row
    except (OSError, ValueError, KeyError, TypeError):
        return None


def _note(path: Path, order: RunOrder, key: str, row: dict[str, Any]) -> None:
    text = json.dumps({"key": key, "row": row})
    try:
        write_whole(_note_path(path, order), lambda file: file.write(text.encode()))
    except DeliveryError:
        return  # it is delivered; at worst it is delivered once more
