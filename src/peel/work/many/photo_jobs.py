"""Which job belongs to a photo: the one beside it, one kept elsewhere, or one that was never kept under a name.

A photo is known by the digest of its file, and by where it was. Window, board and command line ask here. Needs nothing
heavy but the job files themselves.
"""

import sqlite3
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from peel.errors import PeelError
from peel.files.names import clean_name
from peel.files.photo import SUFFIXES
from peel.files.project import ProjectFile
from peel.files.project_facts import StoredPhoto
from peel.work.session.job_files import is_unkept, unkept
from peel.work.session.memory import is_file, read_state, update_state

__all__ = ["FoundJob", "free_path_for", "job_of", "job_path_for", "note_job", "noted_jobs"]

_KEY: Final = "jobs of photos"
_MOST: Final = 1000


@dataclass(frozen=True)
class FoundJob:
    """The job of a photo, and whether the photo was replaced by another one since the job was begun."""

    path: Path
    is_changed: bool = False


def job_path_for(photo: Path, folder: Path, *, has_twin: bool | None = None) -> Path:
    """Return where the job on a photo lies, or will lie, in a folder of jobs.

    It is called after the photo; where photos of one folder differ only in their suffixes, after the photo's whole
    name, unless it is that photo's already.

    Parameters
    ----------
    photo, folder : Path
    has_twin : bool, optional
        Whether another photo in its folder differs in the suffix only, if that is known.
    """
    plain = folder / f"{clean_name(photo.stem)}.peel"
    if not (_has_twin(photo) if has_twin is None else has_twin):
        return plain
    whole = folder / f"{clean_name(photo.name)}.peel"
    stored = None if whole.exists() else _stored(plain)
    return plain if stored is not None and stored.name == clean_name(photo.name) else whole


def _has_twin(photo: Path) -> bool:
    twins = (photo.stem + suffix for own in SUFFIXES for suffix in (own, own.upper()))
    return any(twin != photo.name and is_file(photo.with_name(twin)) for twin in twins)


def free_path_for(job: Path) -> Path:
    """Return a name beside a job's that no file has yet."""
    number = 2
    while (free := job.with_name(f"{job.stem}-{number}.peel")).exists():
        number += 1
    return free


def _stored(job: Path) -> StoredPhoto | None:
    try:
        return ProjectFile.photo_of(job) if is_file(job) else None
    except (PeelError, sqlite3.Error):
        return None


def job_of(photo: Path, digest: str, folder: Path | None = None) -> FoundJob | None:
    """Find the job of a photo.

    Parameters
    ----------
    photo : Path
    digest : str
        Of its bytes, from `peel.files.project_checks.photo_digest`.
    folder : Path, optional
        Where jobs lie; beside the photo unless given.

    Returns
    -------
    FoundJob or None
        The one in the folder first, then those noted elsewhere, then those never kept; only jobs that are still there
        and hold this very photo, or, in the folder, another one.
    """
    photo = photo.absolute()
    beside = job_path_for(photo, folder or photo.parent)
    stored = _stored(beside)
    if stored is not None and stored.digest == digest:
        return FoundJob(beside)
    for path in [*_noted(str(photo), digest), *unkept()]:
        own = _stored(path)
        if own is not None and own.digest == digest:
            return FoundJob(path)
    return FoundJob(beside, is_changed=True) if stored is not None else None


def noted_jobs(folder: Path | None = None) -> dict[Path, Path]:
    """Return the jobs that were last worked on, by the places of their photos; those that are still there.

    Parameters
    ----------
    folder : Path, optional
        Only of photos in this one.
    """
    found: dict[Path, Path] = {}
    for at, _, job in _entries():
        photo = Path(at)
        if at and photo not in found and (folder is None or photo.parent == folder) and is_file(Path(job)):
            found[photo] = Path(job)
    return found


def note_job(photo: Path | None, digest: str, job: Path) -> None:
    """Note which job is worked on for a photo, and where the photo was if that is known."""

    def noted(listed: object) -> object:
        known = _entries_of(listed)
        at = str(photo.absolute()) if photo is not None else ""
        at = at or next((other[0] for other in known if other[2] == str(job)), "")
        return [[at, digest, str(job)], *(list(other) for other in known if other[2] != str(job))][:_MOST]

    update_state(_KEY, noted)


def _entries() -> list[tuple[str, str, str]]:
    """List place, digest and job of the photos worked on lately, the latest first."""
    return _entries_of(read_state(_KEY))


def _entries_of(listed: object) -> list[tuple[str, str, str]]:
    found = listed if isinstance(listed, list) else []
    return [
        (entry[0], entry[1], entry[2])
        for entry in found
        if isinstance(entry, list) and len(entry) == 3 and all(isinstance(part, str) for part in entry)
    ]


def _noted(photo: str, digest: str) -> list[Path]:
    """List noted jobs of a digest: those begun at the very place first, kept ones before unkept ones."""
    found = [(at != photo, is_unkept(Path(job)), job) for at, own, job in _entries() if own == digest]
    return [Path(job) for _, _, job in sorted(found, key=lambda entry: entry[:2])]
