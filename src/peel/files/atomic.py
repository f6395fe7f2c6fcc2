"""Write files whole or not at all."""

import contextlib
import os
import shutil
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import BinaryIO, Final

from peel.errors import DeliveryError, os_reason
from peel.files.names import clean_name

__all__ = ["current_umask", "remove_leftovers", "temporary_beside", "temporary_folder", "write_whole"]

_SUFFIX: Final = ".part"
_FOLDER: Final = "peel-"
_notes: Path | None = None


def write_whole(path: Path, write: Callable[[BinaryIO], object]) -> None:
    """Write a file under a temporary name beside its place, make sure of it on disk, then give it its name.

    Parameters
    ----------
    path : Path
        Replaced if it is there; untouched if anything fails.
    write : callable
        Writes the contents to the open file it is given.

    Raises
    ------
    DeliveryError
        If the folder cannot be written or the disk is full.
    """
    temporary: Path | None = None
    note: Path | None = None
    try:
        if path.exists() and not path.is_file():
            message = f"{path} is a device or a folder, not a file."
            raise DeliveryError(message, "Choose another name.")
        path.parent.mkdir(parents=True, exist_ok=True)
        descriptor, name = tempfile.mkstemp(prefix=f".{clean_name(path.name)[:20]}.", suffix=_SUFFIX, dir=path.parent)
        temporary = Path(name)
        note = _noted(temporary)
        with os.fdopen(descriptor, "wb") as file:
            write(file)
            file.flush()
            os.fsync(file.fileno())
        temporary.chmod(0o666 & ~current_umask())
        temporary.replace(path)
    except (OSError, ValueError) as error:  # a name with a NUL in it is a ValueError
        message = f"{path} could not be written: {os_reason(error)}."
        raise DeliveryError(message, "Choose another folder or make room, then try again.") from error
    finally:
        for leftover in (temporary, note):
            if leftover is not None:
                leftover.unlink(missing_ok=True)


@contextlib.contextmanager
def temporary_beside(path: Path) -> Iterator[Path]:
    """Give a name beside a file's place that nothing has, and that is removed afterwards, even if Peel is killed.

    Raises
    ------
    OSError
    """
    descriptor, name = tempfile.mkstemp(prefix=f".{clean_name(path.name)[:20]}.", suffix=_SUFFIX, dir=path.parent)
    os.close(descriptor)
    temporary = Path(name)
    temporary.unlink()
    note = _noted(temporary)
    try:
        yield temporary
    finally:
        for leftover in (temporary, _journal(temporary), note):
            if leftover is not None:
                leftover.unlink(missing_ok=True)


@contextlib.contextmanager
def temporary_folder(purpose: str) -> Iterator[Path]:
    """Give a folder for a while, which is removed afterwards, even if Peel is killed."""
    with tempfile.TemporaryDirectory(prefix=f"{_FOLDER}{purpose}-") as name:
        note = _noted(Path(name))
        try:
            yield Path(name)
        finally:
            if note is not None:
                note.unlink(missing_ok=True)


def _journal(path: Path) -> Path:
    return path.with_name(path.name + "-journal")


def _noted(temporary: Path) -> Path | None:
    """Note a temporary file where `remove_leftovers` finds it should the program be killed."""
    if _notes is None:
        return None
    note = _notes / f"{os.getpid()}-{temporary.name[-20:]}"
    with contextlib.suppress(OSError):  # not worth failing a delivery for
        note.write_bytes(os.fsencode(temporary))
    return note


def remove_leftovers(notes: Path) -> None:
    """Remove the temporary files of programs that were killed, and note new ones there from now on.

    Parameters
    ----------
    notes : Path
        A folder of Peel's own; made if it is not there.
    """
    global _notes
    with contextlib.suppress(OSError):
        notes.mkdir(parents=True, exist_ok=True)
        for note in notes.iterdir():
            pid = note.name.partition("-")[0]
            if pid.isdigit() and not Path(f"/proc/{pid}").exists():
                _remove(Path(os.fsdecode(note.read_bytes())))
                note.unlink(missing_ok=True)
        _notes = notes


def _remove(leftover: Path) -> None:
    """Remove what a killed program left, if it is called as only Peel calls such."""
    if leftover.suffix == _SUFFIX and leftover.name.startswith("."):
        for path in (leftover, _journal(leftover)):
            if path.is_file() or path.is_symlink():
                path.unlink(missing_ok=True)
    elif leftover.name.startswith(_FOLDER) and leftover.is_dir() and leftover.parent == Path(tempfile.gettempdir()):
        shutil.rmtree(leftover, ignore_errors=True)


def current_umask() -> int:
    """Read the process's umask, which the system only tells while setting it."""
    mask = os.umask(0o022)
    os.umask(mask)
    return mask
