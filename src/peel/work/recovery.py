"""Where unkept jobs lie, which were open lately, and how a job file is opened."""

import os
import re
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from peel.errors import PeelError, ProjectError
from peel.files.project import ProjectFile
from peel.files.project_checks import DamagedProjectError
from peel.files.salvage import salvage
from peel.work.memory import remember, remembered, state_folder
from peel.work.session import Session

__all__ = [
    "Opened",
    "forget",
    "is_unkept",
    "keep_as",
    "new_working_path",
    "note_recent",
    "open_job",
    "recent",
    "unkept",
    "unkept_for",
]

_MOST_RECENT: Final = 12


@dataclass(frozen=True)
class Opened:
    """An opened job, and what the person should be told about how it was opened."""

    session: Session
    notice: str = ""


def _unkept_folder() -> Path:
    folder = state_folder() / "unkept"
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def new_working_path(photo_name: str) -> Path:
    """Give a fresh name for the working file of a photo."""
    stem = re.sub(r"[^\w.-]+", "-", Path(photo_name).stem)[:60] or "photo"
    return _unkept_folder() / f"{stem}-{time.time_ns():x}.peel"


def unkept() -> list[Path]:
    """List the jobs that were never kept under a name, the latest first."""
    return sorted(_unkept_folder().glob("*.peel"), key=lambda path: path.stat().st_mtime, reverse=True)


def unkept_for(photo_name: str) -> Path | None:
    """Give the latest unkept job on a photo of a name."""
    stem = re.sub(r"[^\w.-]+", "-", Path(photo_name).stem)[:60] or "photo"
    matching = (path for path in unkept() if path.stem.rpartition("-")[0] == stem)
    return next(matching, None)


def is_unkept(path: Path) -> bool:
    """Tell whether a job file is a working file that was not kept under a name."""
    return path.parent == _unkept_folder()


def open_job(path: Path) -> Opened:
    """Open a job file; a damaged or read-only one is opened as a copy, with a notice. Waits.

    Raises
    ------
    PeelError
        If it cannot be opened at all.
    """
    path = path.absolute()
    if path.exists() and not os.access(path, os.W_OK):
        return _open_copy(path)
    try:
        return Opened(Session.resume(ProjectFile.open(path)))
    except DamagedProjectError:
        saved = salvage(path, new_working_path(path.name))
        return Opened(Session.resume(saved.project), saved.lost)


def _open_copy(path: Path) -> Opened:
    target = new_working_path(path.name)
    try:
        target.write_bytes(path.read_bytes())
    except OSError as error:
        message = f"{path} cannot be read or copied."
        raise ProjectError(message, "Check that you may read it.") from error
    try:
        opened = open_job(target)
    except PeelError:
        target.unlink(missing_ok=True)
        raise
    return Opened(opened.session, f"{path.name} is read-only, so a copy of it was opened. Keep it under another name.")


def keep_as(session: Session, path: Path) -> Session:
    """Keep the job under a name and go on working in that file; waits.

    Raises
    ------
    ProjectError
        If it cannot be written; the session goes on as it was.
    """
    old = session.project.path
    session.wait_idle()
    session.project.copy_to(path)
    session.close()
    kept = Session.resume(ProjectFile.open(path))
    if is_unkept(old):
        forget(old)
    return kept


def forget(path: Path) -> None:
    """Delete an unkept working file."""
    if is_unkept(path):
        path.unlink(missing_ok=True)


def recent() -> list[Path]:
    """List the kept jobs opened lately that are still there."""
    listed = remembered("recent")
    paths = [Path(text) for text in listed if isinstance(text, str)] if isinstance(listed, list) else []
    return [path for path in paths if path.is_file()]


def note_recent(path: Path) -> None:
    """Put a kept job at the top of the recent ones."""
    if not is_unkept(path):
        others = [str(other) for other in recent() if other != path]
        remember("recent", [str(path), *others][:_MOST_RECENT])
