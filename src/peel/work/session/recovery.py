"""Open job files; damaged and read-only ones as copies."""

import os
from dataclasses import dataclass
from pathlib import Path

from peel.errors import PeelError, ProjectError
from peel.files.project import ProjectFile
from peel.files.project_checks import DamagedProjectError
from peel.files.salvage import salvage
from peel.work.session.job_files import new_working_path
from peel.work.session.resources import Resources
from peel.work.session.session import Session

__all__ = ["Opened", "open_job"]


@dataclass(frozen=True)
class Opened:
    """An opened job, what the person should be told about how it was opened, and a way out of that."""

    session: Session
    notice: str = ""
    offer: str = ""


def open_job(path: Path, resources: Resources | None = None) -> Opened:
    """Open a job file; a damaged or read-only one is opened as a copy, with a notice. Waits.

    Raises
    ------
    PeelError
        If it cannot be opened at all.
    """
    path = path.absolute()
    if path.exists() and not os.access(path, os.W_OK):
        return _open_copy(path, resources)
    try:
        return Opened(Session.resume(ProjectFile.open(path), resources))
    except DamagedProjectError:
        saved = salvage(path, new_working_path(path.name))
        return Opened(Session.resume(saved.project, resources), saved.lost)


def _open_copy(path: Path, resources: Resources | None) -> Opened:
    target = new_working_path(path.name)
    try:
        target.write_bytes(path.read_bytes())
    except OSError as error:
        message = f"{path} cannot be read or copied."
        raise ProjectError(message, "Check that you may read it.") from error
    try:
        opened = open_job(target, resources)
    except PeelError:
        target.unlink(missing_ok=True)
        raise
    return Opened(opened.session, f"{path.name} is read-only, so a copy of it was opened. Keep it under another name.")
