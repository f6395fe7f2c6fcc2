"""Write files whole or not at all."""

import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

from peel.errors import DeliveryError, os_reason

__all__ = ["current_umask", "write_whole"]


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
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        descriptor, name = tempfile.mkstemp(prefix=f".{path.name[:40]}.", suffix=".part", dir=path.parent)
        temporary = Path(name)
        with os.fdopen(descriptor, "wb") as file:
            write(file)
            file.flush()
            os.fsync(file.fileno())
        temporary.chmod(0o666 & ~current_umask())
        temporary.replace(path)
    except OSError as error:
        if temporary is not None:
            temporary.unlink(missing_ok=True)
        message = f"{path} could not be written: {os_reason(error)}."
        raise DeliveryError(message, "Choose another folder or make room, then try again.") from error
    except BaseException:
        if temporary is not None:
            temporary.unlink(missing_ok=True)
        raise


def current_umask() -> int:
    """Read the process's umask, which the system only tells while setting it."""
    mask = os.umask(0o022)
    os.umask(mask)
    return mask
