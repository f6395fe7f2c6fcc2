"""What Peel remembers between two starts, and where; needs nothing else of Peel, so that starting can ask for it."""

import contextlib
import json
from pathlib import Path

import platformdirs

__all__ = [
    "log_file",
    "read_open_job",
    "read_preference",
    "read_state",
    "state_folder",
    "write_open_job",
    "write_preference",
    "write_state",
]


def state_folder() -> Path:
    """Return the folder for working files and what Peel remembers between starts."""
    return Path(platformdirs.user_state_dir("peel", appauthor=False, ensure_exists=True))


def log_file() -> Path:
    """Return the file that unexpected errors are written to."""
    return state_folder() / "peel.log"


def _path() -> Path:
    return state_folder() / "memory.json"


def _everything() -> dict[str, object]:
    try:
        found = json.loads(_path().read_text("utf-8"))
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}


def read_state(key: str) -> object:
    """Return what was remembered, or None."""
    return _everything().get(key)


def write_state(key: str, value: object) -> None:
    """Remember a plain value."""
    memory = _everything() | {key: value}
    temporary = _path().with_suffix(".part")
    with contextlib.suppress(OSError):  # forgetting which files were recent is no reason to bother anyone
        temporary.write_text(json.dumps(memory), "utf-8")
        temporary.replace(_path())


def write_open_job(path: Path | None) -> None:
    """Remember which job is open, so that the next start goes on there."""
    write_state("open", str(path) if path else "")


def read_open_job() -> Path | None:
    """Return the job that was open when Peel was last closed or ended, if it is still there."""
    text = read_state("open")
    path = Path(text) if isinstance(text, str) and text else None
    return path if path is not None and path.is_file() else None


def read_preference(key: str) -> object:
    """Return a remembered preference, or None."""
    return read_state(f"preference {key}")


def write_preference(key: str, value: object) -> None:
    """Remember a preference."""
    write_state(f"preference {key}", value)
