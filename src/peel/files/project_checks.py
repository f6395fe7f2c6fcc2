"""What can be wrong with a job file, and how to say it."""

import contextlib
import hashlib
import sqlite3
import stat
import struct
from collections.abc import Iterator
from pathlib import Path
from typing import Final

from peel.errors import InUseError, ProjectError, os_reason
from peel.files.migrations import APPLICATION_ID, VERSION

__all__ = ["DamagedProjectError", "LostProjectError", "check_header", "explain", "in_use", "photo_digest"]

_MAGIC: Final = b"SQLite format 3\0"
_REASONS: Final = {
    sqlite3.SQLITE_FULL: (
        "could not be written: the disk is full.",
        "Make room; the last change is not on disk yet.",
    ),
    sqlite3.SQLITE_READONLY: ("cannot be changed: it is read-only.", "Keep the job under another name."),
    sqlite3.SQLITE_CANTOPEN: (
        "could not be opened.",
        "Check that it is there and that you may read and change it.",
    ),
    sqlite3.SQLITE_IOERR: (
        "could not be read or written: the disk reported a fault.",
        "Keep the job on another disk.",
    ),
}


class DamagedProjectError(ProjectError):
    """The file is a job file, but parts of it cannot be read."""


class LostProjectError(ProjectError):
    """The file that is open was deleted or replaced by another one: what is written there is lost when it is closed."""


def photo_digest(content: bytes) -> str:
    """Name a photo by its contents."""
    return hashlib.blake2b(content, digest_size=16).hexdigest()


def check_header(path: Path) -> None:
    """Make sure that a file is a job file of a version this Peel knows, before SQLite touches it.

    Raises
    ------
    ProjectError
    """
    with explain(path):
        # A pipe or a device could keep whoever opens it for ever.
        is_regular = stat.S_ISREG(path.stat().st_mode)
    if not is_regular:
        message = f"{path} is no file but a folder, a pipe or a device."
        raise ProjectError(message, "Open a photo, or a file that Peel wrote.")
    with explain(path), path.open("rb") as file:
        head = file.read(100)
    if len(head) < 100 or not head.startswith(_MAGIC):
        message = f"{path} is not a Peel job."
        raise ProjectError(message, "Open a photo, or a file that Peel wrote.")
    version, application = struct.unpack(">I", head[60:64])[0], struct.unpack(">I", head[68:72])[0]
    if application != APPLICATION_ID:
        message = f"{path} is a database of another program, not a Peel job."
        raise ProjectError(message, "Open a photo, or a file that Peel wrote.")
    if version > VERSION:
        message = f"{path} was made by a newer Peel (format {version}, this one knows {VERSION})."
        raise ProjectError(message, "Update Peel, then open it again.")
    if version < 1:
        message = f"{path} was never finished being written."
        raise ProjectError(message, "Open the photo anew.")


def in_use(path: Path, hint: str = "Use that window, or close it first.") -> InUseError:
    """Return the error that a job file is open elsewhere."""
    return InUseError(f"{path} is already open in another Peel window.", hint)


@contextlib.contextmanager
def explain(path: Path) -> Iterator[None]:
    """Turn what SQLite and the system say into a sentence about the file."""
    try:
        yield
    except FileNotFoundError as error:
        message = f"{path} is not there (any more)."
        raise ProjectError(message, "Check the name, or whether the disk it is on is connected.") from error
    except FileExistsError as error:
        message = f"{path} is there already."
        raise ProjectError(message, "Choose another name.") from error
    except OSError as error:
        message = f"{path} could not be opened: {os_reason(error)}."
        raise ProjectError(message, "Check that you may read and change it.") from error
    except (sqlite3.Error, UnicodeDecodeError) as error:  # SQLite's own words can be damaged ones
        code = getattr(error, "sqlite_errorcode", None)
        if code is not None and code & 0xFF in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED):
            raise in_use(path) from error
        if code is not None and code & 0xFF in _REASONS:
            what, hint = _REASONS[code & 0xFF]
            message = f"{path} {what}"
            raise ProjectError(message, hint) from error
        message = f"{path} is damaged."
        raise DamagedProjectError(message, "Peel can open what is left of it as a copy.") from error
