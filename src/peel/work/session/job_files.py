"""Where job files lie: those never kept under a name, and those opened lately. Needs nothing heavy."""

import re
import time
from pathlib import Path
from typing import Final

from peel.errors import ProjectError, os_reason
from peel.work.session.memory import is_file, read_state, state_folder, write_state

__all__ = ["changed_at", "forget", "is_unkept", "new_working_path", "note_recent", "recent", "unkept", "unkept_for"]

_MOST_RECENT: Final = 12


def _unkept_folder() -> Path:
    folder = state_folder() / "unkept"
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        message = f"The folder for working files, {folder}, cannot be made: {os_reason(error)}."
        raise ProjectError(message, "Set XDG_STATE_HOME to a folder that you may write to.") from error
    return folder


def _stem(photo_name: str) -> str:
    return re.sub(r"[^\w.-]+", "-", Path(photo_name).stem)[:60] or "photo"


def new_working_path(photo_name: str) -> Path:
    """Make up a fresh name for the working file of a photo."""
    return _unkept_folder() / f"{_stem(photo_name)}-{time.time_ns():x}.peel"


def unkept() -> list[Path]:
    """List the jobs that were never kept under a name, the latest first."""
    return sorted(_unkept_folder().glob("*.peel"), key=changed_at, reverse=True)


def changed_at(path: Path) -> float:
    """Return when a file was written last, in seconds; 0 if it is not there."""
    try:
        return path.stat().st_mtime
    except OSError:  # another window has just removed it
        return 0.0


def unkept_for(photo_name: str) -> Path | None:
    """Return the latest unkept job on a photo of a name."""
    stem = _stem(photo_name)
    return next((path for path in unkept() if path.stem.rpartition("-")[0] == stem), None)


def is_unkept(path: Path) -> bool:
    """Return whether a job file is a working file that was not kept under a name."""
    return path.parent == state_folder() / "unkept"


def forget(path: Path) -> None:
    """Delete an unkept working file."""
    if is_unkept(path):
        path.unlink(missing_ok=True)


def recent() -> list[Path]:
    """List the kept jobs opened lately that are still there."""
    listed = read_state("recent")
    paths = [Path(text) for text in listed if isinstance(text, str)] if isinstance(listed, list) else []
    return [path for path in paths if is_file(path)]


def note_recent(path: Path) -> None:
    """Put a kept job at the top of the recent ones."""
    if not is_unkept(path):
        others = [str(other) for other in recent() if other != path]
        write_state("recent", [str(path), *others][:_MOST_RECENT])
