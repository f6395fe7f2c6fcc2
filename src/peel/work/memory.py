"""What Peel remembers between two starts, and where; needs nothing else of Peel, so that starting can ask for it."""

import contextlib
import json
from pathlib import Path

import platformdirs

__all__ = ["last_open", "log_file", "prefer", "recall", "remember", "remember_open", "remembered", "state_folder"]


def state_folder() -> Path:
    """Give the folder for working files and what Peel remembers between starts."""
    return Path(platformdirs.user_state_dir("peel", appauthor=False, ensure_exists=True))


def log_file() -> Path:
    """Give the file that unexpected errors are written to."""
    return state_folder() / "peel.log"


def _path() -> Path:
    return state_folder() / "memory.json"


def _everything() -> dict[str, object]:
    try:
        found = json.loads(_path().read_text("utf-8"))
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}


def remembered(key: str) -> object:
    """Give what was remembered, or None."""
    return _everything().get(key)


def remember(key: str, value: object) -> None:
    """Remember a plain value."""
    memory = _everything() | {key: value}
    temporary = _path().with_suffix(".part")
    with contextlib.suppress(OSError):  # forgetting which files were recent is no reason to bother anyone
        temporary.write_text(json.dumps(memory), "utf-8")
        temporary.replace(_path())


def remember_open(path: Path | None) -> None:
    """Remember which job is open, so that the next start goes on there."""
    remember("open", str(path) if path else "")


def last_open() -> Path | None:
    """Give the job that was open when Peel was last closed or ended, if it is still there."""
    text = remembered("open")
    path = Path(text) if isinstance(text, str) and text else None
    return path if path is not None and path.is_file() else None


def recall(key: str) -> object:
    """Give a remembered preference, or None."""
    return remembered(f"preference {key}")


def prefer(key: str, value: object) -> None:
    """Remember a preference."""
    remember(f"preference {key}", value)
