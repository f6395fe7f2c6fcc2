"""What programs that were killed left behind, and working files that nobody came back to."""

import contextlib
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from peel.errors import ProjectError
from peel.files.atomic import remove_leftovers
from peel.work.session.job_files import changed_at, unkept
from peel.work.session.memory import pasted_folder, read_open_job, state_folder

__all__ = ["OldJobs", "clear", "old_jobs", "tidy_up"]

_OLD_S: Final = 30 * 24 * 3600


def tidy_up() -> None:
    """Remove half-written files of programs that were killed, and pictures that were pasted more than a month ago.

    A job holds the picture that it was begun on, so nothing is lost with the file that was pasted.
    """
    with contextlib.suppress(ProjectError, OSError):
        remove_leftovers(state_folder() / "writing")
        for path in pasted_folder().iterdir():
            if time.time() - changed_at(path) > _OLD_S:
                path.unlink(missing_ok=True)


@dataclass(frozen=True)
class OldJobs:
    """Jobs never kept under a name and not changed for a month, and the bytes they take."""

    paths: tuple[Path, ...]
    size_bytes: int


def old_jobs() -> OldJobs:
    """List the jobs that were never kept and not changed for a month; that of the last session is spared."""
    paths, size, now, spared = [], 0, time.time(), read_open_job()
    for path in unkept():
        with contextlib.suppress(OSError):
            found = path.stat()
            if now - found.st_mtime > _OLD_S and path != spared:
                paths.append(path)
                size += found.st_size
    return OldJobs(tuple(paths), size)


def clear(jobs: OldJobs) -> None:
    """Delete old jobs, but none that has been opened since or is open in another window."""
    for path in jobs.paths:
        with contextlib.suppress(OSError):
            if time.time() - path.stat().st_mtime > _OLD_S and not path.with_name(path.name + "-journal").exists():
                path.unlink()
