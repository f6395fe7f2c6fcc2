"""Process many photos independently: one that fails stops no other, and any number of processes share the work."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache, partial
from pathlib import Path
from typing import Any

from peel.errors import PeelError, exit_code
from peel.files.recipes import RecipeFile
from peel.job.job import Job
from peel.work.many.batches import carry_job, jobs_in, load_job, photos_in, propose_job, was_carried
from peel.work.many.carrying import What
from peel.work.many.photo_jobs import job_path_for
from peel.work.many.workers import spread

__all__ = ["Work", "WorkRow", "carry_row", "in_turn", "propose_row", "source_job", "works_in"]


@dataclass(frozen=True)
class WorkRow:
    """What became of a photo: what was done to its job, or the error, with the exit code that it asks for."""

    photo: str
    job: str
    says: str = ""
    error: str = ""
    code: int | None = None

    def as_json(self) -> dict[str, Any]:
        """Return plain values; what does not apply is left out."""
        return {name: value for name, value in vars(self).items() if value}


Work = Callable[[Path, Path], WorkRow]
"""Does the work on a photo, or on a job, with the place of its job; says what became of it, whatever it was."""


def works_in(folder: Path) -> list[Path]:
    """List what can be carried to in a folder: its jobs, and photos that have no job there."""
    return jobs_in(folder) + [photo for photo in photos_in(folder) if not job_path_for(photo, folder).exists()]


def in_turn(work: Work, photos: Sequence[Path], to: Path, workers: int) -> Iterator[tuple[int, WorkRow]]:
    """Work on photos whose jobs lie in a folder; gives the number and the row of each as it is done.

    `work` can be pickled if there are several workers.
    """
    if workers <= 1:
        for number, photo in enumerate(photos):
            yield number, work(photo, job_path_for(photo, to))
        return
    tasks = [partial(work, photo, job_path_for(photo, to)) for photo in photos]
    yield from spread(tasks, workers, lambda number, error: _ended(photos[number], to, error))


def propose_row(recipe: RecipeFile | None, resumes: bool, photo: Path, path: Path) -> WorkRow:
    """Propose the subject of a photo, in a new job; going on passes over photos that have one."""
    return _row(photo, path, lambda: resumes and path.exists(), lambda: propose_job(photo, path, recipe))


def carry_row(source: Path, what: What, resumes: bool, photo: Path, path: Path) -> WorkRow:
    """Carry from a job file to a photo, or to a job on one; going on passes over those carried to before."""
    there = photo if photo.suffix.lower() == ".peel" else path

    def is_done() -> bool:
        return resumes and there.exists() and was_carried(source_job(source), there)

    return _row(photo, there, is_done, lambda: carry_job(source_job(source), photo, path, what))


def source_job(path: Path) -> Job:
    """Return the job that is carried from, read once for as long as its file stays as it is.

    Raises
    ------
    PhotoError, ProjectError
    """
    return _loaded(path, path.stat().st_mtime_ns if path.exists() else 0)


@lru_cache(maxsize=1)
def _loaded(path: Path, _changed_ns: int) -> Job:
    return load_job(path)


def _row(photo: Path, path: Path, is_done: Callable[[], bool], work: Callable[[], str]) -> WorkRow:
    row = WorkRow(str(photo), str(path))
    try:
        return replace(row, says="done before" if is_done() else work())
    except PeelError as error:
        return replace(row, error=str(error), code=exit_code(error))
    except Exception as error:  # noqa: BLE001 - one photo stops no other
        return replace(row, error=f"Peel met an error it did not expect: {error!r}")


def _ended(photo: Path, to: Path, error: BaseException) -> WorkRow:
    return WorkRow(str(photo), str(job_path_for(photo, to)), error=f"Its worker ended: {error!r}")
