"""What Peel keeps between two starts, and where. Needs nothing heavy, so that starting can read it."""

import contextlib
import fcntl
import json
import os
import threading
from collections.abc import Callable
from pathlib import Path

import platformdirs

from peel.errors import ProjectError, os_reason

__all__ = [
    "is_file",
    "log_file",
    "pasted_folder",
    "read_open_job",
    "read_preference",
    "read_state",
    "state_folder",
    "update_state",
    "write_open_job",
    "write_preference",
    "write_state",
]

_turn = threading.Lock()


def state_folder() -> Path:
    """Return the folder for working files and what Peel remembers between starts.

    Raises
    ------
    ProjectError
        If it is not there and cannot be made.
    """
    folder = Path(platformdirs.user_state_dir("peel", appauthor=False))
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        message = f"The folder for working files, {folder}, cannot be made: {os_reason(error)}."
        raise ProjectError(message, "Set XDG_STATE_HOME to a folder that you may write to.") from error
    return folder


def pasted_folder() -> Path:
    """Return the folder for pictures that were pasted; it may not be there yet."""
    return state_folder() / "pasted"


def log_file() -> Path:
    """Return the file that unexpected errors are written to."""
    return state_folder() / "peel.log"


def _path() -> Path:
    return state_folder() / "memory.json"


def _everything() -> dict[str, object]:
    try:
        found = json.loads(_path().read_text("utf-8"))
    except (OSError, ValueError, RecursionError, ProjectError):
        return {}
    return found if isinstance(found, dict) else {}


def read_state(key: str) -> object:
    """Return what was written under a key, or None."""
    return _everything().get(key)


def write_state(key: str, value: object) -> None:
    """Keep a plain value."""
    update_state(key, lambda _old: value)


def update_state(key: str, change: Callable[[object], object]) -> None:
    """Change a plain value; other threads and processes that do the same wait."""
    # forgetting what was recent is no reason to bother anyone
    with contextlib.suppress(OSError, ProjectError), _turn, _path().with_suffix(".lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        memory = _everything()
        memory[key] = change(memory.get(key))
        temporary = _path().with_suffix(f".{os.getpid()}.part")
        temporary.write_text(json.dumps(memory), "utf-8")
        temporary.replace(_path())


def write_open_job(path: Path | None) -> None:
    """Remember which job is open, so that the next start goes on there."""
    write_state("open", str(path) if path else "")


def read_open_job() -> Path | None:
    """Return the job that was open when Peel was last closed or ended, if it is still there."""
    text = read_state("open")
    path = Path(text) if isinstance(text, str) and text else None
    return path if path is not None and is_file(path) else None


def read_preference(key: str) -> object:
    """Return a remembered preference, or None."""
    return read_state(f"preference {key}")


def write_preference(key: str, value: object) -> None:
    """Remember a preference."""
    write_state(f"preference {key}", value)


def is_file(path: Path) -> bool:
    """Return whether a path is a file; False for a name that no file can have."""
    try:
        return path.is_file()
    except (OSError, ValueError):
        return False
