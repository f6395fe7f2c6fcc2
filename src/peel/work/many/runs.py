"""Runs: many jobs delivered, by one worker or several; one that fails stops no other, done work is skipped.

What was done of a job is noted in a file of its own beside what was delivered, whole or not at all, so that a run goes
on after a crash, and several runs can share a folder.
"""

import contextlib
import hashlib
import json
import logging
import sqlite3
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path
from typing import Any, Final

from peel.errors import Cancelled, DeliveryError, PeelError, SolveError, exit_code
from peel.files.atomic import temporary_folder, write_whole
from peel.files.connection import is_open_here
from peel.files.presets import presets
from peel.files.project import ProjectFile
from peel.files.project_facts import Fingerprint
from peel.files.upload import address_of, is_address, upload
from peel.job.job import Job
from peel.job.preset import Preset
from peel.work.delivering.delivery import deliver_job
from peel.work.delivering.order import DeliveryOrder, FileOrder, all_presets, today
from peel.work.delivering.rows import RunRow
from peel.work.inspecting.inspector import Inspector
from peel.work.many.status import Progress, Status
from peel.work.many.thumbs import job_thumb
from peel.work.many.workers import spread
from peel.work.session.session import Session
from peel.work.solving.solve import check_solvable
from peel.work.stages import Cache, Stages

__all__ = ["Opening", "RunOrder", "count_snags", "file_stems", "opened_alone", "run", "run_one"]

_NOTES: Final = ".peel-delivered"
_INSPECTED: Final = "inspected"  # a note of the job file: a state's digest and how many snags were open in it
_CACHE_BYTES: Final = 150_000_000
_WAIT_S: Final = 24 * 3600

_log = logging.getLogger(__name__)

Opening = Callable[[Path], contextlib.AbstractContextManager[Session]]
"""Gives the session on a job for as long as it is worked on."""

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
    date : for file names; today's unless given.
    """

    to: str
    presets: tuple[Preset, ...] = ()
    resumes: bool = False
    replaces: bool = False
    unseen: bool = False
    date: str = field(default_factory=today)


def run(
    jobs: Sequence[Path], order: RunOrder, *, workers: int = 1, told: Told | None = None
) -> Iterator[tuple[int, RunRow]]:
    """Deliver jobs; gives the number and the report row of each as it is done, whatever became of it.

    Raises
    ------
    Cancelled
        If `told` said to stop; those that were done are whole, and the others are not begun.
    """
    stems = file_stems(jobs)
    if workers <= 1:
        for number, path in enumerate(jobs):
            yield number, run_one(path, order, number=number + 1, stem=stems[number], told=_told_of(told, number))
        return
    tasks = [partial(run_one, path, order, number=number + 1, stem=stems[number]) for number, path in enumerate(jobs)]
    yield from spread(
        tasks,
        workers,
        lambda number, error: _failed(jobs[number], f"its worker ended: {error!r}"),
        lambda number: told is None or told(number, 0.0),
    )


def file_stems(jobs: Sequence[Path]) -> list[str]:
    """Return what the files of each job are named after: its photo, numbered where photos of one run share a name.

    >>> file_stems([])
    []
    """
    names = [_photo_stem(path) for path in jobs]
    taken = set(names)
    seen: set[str] = set()
    stems = []
    for name in names:
        stem, number = name, 2
        while stem in seen:
            stem = f"{name}-{number}"
            number += 1
            if stem in taken:  # another photo's own name
                stem = name
        seen.add(stem)
        stems.append(stem)
    return stems


def _photo_stem(path: Path) -> str:
    try:
        return Path(ProjectFile.photo_of(path).name).stem
    except (PeelError, sqlite3.Error):
        return path.stem  # what is wrong with it is said when its turn comes


def _told_of(told: Told | None, number: int) -> Callable[[float], bool]:
    return lambda share: told is None or told(number, share)


def _failed(path: Path, error: str) -> RunRow:
    return RunRow(path.stem, str(path), error=error)


def _left_out(path: Path, *, carried: bool) -> RunRow:
    what = "it was carried" if carried else "it is a guess of Peel's"
    sentence = f"{path} was left out: {what}, and nobody has looked at it."
    return replace(_failed(path, sentence), code=1, unseen=True)


@contextlib.contextmanager
def opened_alone(path: Path) -> Iterator[Session]:
    """Open a job for a while; nobody else in this process has it open."""
    session = Session.resume(ProjectFile.open(path))
    try:
        yield session
    finally:
        session.close()


def run_one(
    path: Path,
    order: RunOrder,
    *,
    number: int = 1,
    stem: str = "",
    told: Callable[[float], bool] | None = None,
    opening: Opening = opened_alone,
) -> RunRow:
    """Solve what is unsolved of a job, and deliver it; what goes wrong is in the row that is returned.

    Parameters
    ----------
    path : Path
    order : RunOrder
    number : int
        Of the job in the run, for file names.
    stem : str
        What its files are named after; its photo's name unless given.
    told : callable, optional
    opening : callable
        Gives the job's session for as long as it is worked on.

    Raises
    ------
    Cancelled
        If `told` said to stop.
    """
    try:
        return _delivered(path, order, number, stem, told or (lambda _share: True), opening)
    except PeelError as error:
        return replace(_failed(path, str(error)), code=exit_code(error))
    except Cancelled:
        raise
    except Exception as error:  # noqa: BLE001 - one photo stops no other
        _log.exception("a delivery failed")
        return _failed(path, f"Peel met an error it did not expect: {error!r}")


def _delivered(
    path: Path, order: RunOrder, number: int, stem: str, told: Callable[[float], bool], opening: Opening
) -> RunRow:
    if order.resumes and not is_open_here(path):
        known = _noted(path, order, _key(ProjectFile.fingerprint(path), order))
        if known is not None:
            return replace(known, skipped=True)
    with opening(path) as session:
        photo = session.job.settings.photo
        if photo.is_unseen and not order.unseen:
            return _left_out(path, carried=photo.guess is None)
        job = _solved(session, path)
        key = _key(session.project.own_fingerprint(), order)
        known = _noted(path, order, key) if order.resumes else None
        if known is not None:
            return replace(known, skipped=True)
        snags = count_snags(session)
        original = session.project.photo()[1]
        presets = order.presets or tuple(all_presets(job))
        wanted = DeliveryOrder(Path(), presets, number, stem or Path(job.photo.name).stem, order.date, order.replaces)
        row = replace(_written(job, path, key, wanted, order, original, told), job=str(path), snags_open=snags)
        session.note("status", Status(Progress.DELIVERED).as_note())
        session.note("thumb", job_thumb(session.stages, job))
        session.wait_idle()
        key = _key(session.project.own_fingerprint(), order)
    _note(path, order, {"key": key, "row": row.as_json()})
    return row


def count_snags(session: Session) -> int:
    """Inspect a solved job, unless it says of this very state how many snags are open; return how many are. Waits.

    Raises
    ------
    ProjectError
        If the job is not on disk.
    """
    session.check_stored()
    job, state = session.job, session.project.own_fingerprint().digest
    digest, _, count = (session.read_note(_INSPECTED) or "").partition(" ")
    if digest == state and count.isdigit() and len(count) < 7:
        return int(count)
    found = Inspector(session.stages).inspect(job)
    open_snags = len(found.open_snags(job))
    session.note(_INSPECTED, f"{state} {open_snags}")
    return open_snags


def _written(
    job: Job,
    path: Path,
    key: str,
    wanted: DeliveryOrder,
    order: RunOrder,
    original: bytes,
    told: Callable[[float], bool],
) -> RunRow:
    """Write a job's files into the folder, or write them aside and hand them to the drop-off."""
    stages = Stages(job.photo, Cache(_CACHE_BYTES))
    if is_address(order.to):
        with temporary_folder("upload") as folder:
            row = deliver_job(job, stages, replace(wanted, to=folder), told, original=original)
            for item in row.files:
                upload(Path(item.file), order.to, stop=lambda: not told(1.0))
            return replace(
                row, files=tuple(replace(item, file=address_of(order.to, Path(item.file).name)) for item in row.files)
            )

    def note(files: Sequence[FileOrder]) -> None:
        _note(path, order, {"key": key, "begun": [one.path.name for one in files]})

    # A run that was ended while it wrote these files goes on with the same names.
    wanted = replace(wanted, to=Path(order.to), begun=tuple(_begun(path, order, key)))
    return deliver_job(job, stages, wanted, told, original=original, planned_as=note)


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
    from peel.work.session.memory import state_folder

    return state_folder() / "uploads" / hashlib.sha256(order.to.encode()).hexdigest()[:16]


def _note_path(path: Path, order: RunOrder) -> Path:
    return _notes(order) / f"{path.stem}-{hashlib.sha256(str(path.absolute()).encode()).hexdigest()[:8]}.json"


def _key(state: Fingerprint, order: RunOrder) -> str:
    """Return what a delivery depends on: the job as it stands, and the presets, its own as they are here now."""
    wanted = [preset.model_dump_json() for preset in order.presets or _presets_named_in(state.settings)]
    return hashlib.sha256(f"{state.digest} {wanted} {order.to}".encode()).hexdigest()


def _presets_named_in(settings: str) -> list[Preset]:
    """Return the presets of this computer that a job's settings name."""
    try:
        named = json.loads(settings)["recipe"]["delivery"]["presets"]
        known = presets() if named else {}
        return [known[name] for name in named if name in known]
    except (ValueError, KeyError, TypeError):
        return []


def _begun(path: Path, order: RunOrder, key: str) -> list[str]:
    """Return the names of files that a run was writing for this very state of a job when it was ended."""
    try:
        noted = json.loads(_note_path(path, order).read_text("utf-8"))
        names = noted["begun"] if noted["key"] == key else []
        return [name for name in names if isinstance(name, str) and name and Path(name).name == name]
    except (OSError, ValueError, KeyError, TypeError):
        return []


def _noted(path: Path, order: RunOrder, key: str) -> RunRow | None:
    """Return what was delivered of a job before, if nothing has changed and the files are all as they were."""
    try:
        noted = json.loads(_note_path(path, order).read_text("utf-8"))
        row = RunRow.from_json(noted["row"])
        if noted["key"] != key or not row.files:
            return None
        for item in row.files:
            if is_address(item.file):
                continue
            if hashlib.sha256(Path(item.file).read_bytes()).hexdigest() != item.sha256:
                return None
        return row
    except (OSError, ValueError, KeyError, TypeError):
        return None


def _note(path: Path, order: RunOrder, noted: dict[str, Any]) -> None:
    text = json.dumps(noted)
    try:
        write_whole(_note_path(path, order), lambda file: file.write(text.encode()))
    except DeliveryError:
        return  # it is delivered; at worst it is delivered once more
