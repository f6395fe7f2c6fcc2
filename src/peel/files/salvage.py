"""Bring home what can still be read of a damaged job file."""

import sqlite3
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from peel.errors import PhotoError, ProjectError
from peel.files.connection import check_schema, connect, deadline, is_open_here
from peel.files.project import ProjectFile
from peel.files.project_checks import check_header, explain, in_use
from peel.job.job import Job, Photo, new_job

__all__ = ["Salvage", "salvage"]

_MOST_STATES: Final = 2_000  # the latest ones are looked at
_MOST_S: Final = 8.0


@dataclass(frozen=True)
class Salvage:
    """A new job file with what was left, and a sentence saying what was lost."""

    project: ProjectFile
    lost: str


def salvage(path: Path, copy: Path) -> Salvage:
    """Copy the readable states of a damaged job file to a new one; the damaged file is not touched.

    Raises
    ------
    ProjectError
        If not even the photo can be read.
    """
    if is_open_here(path):
        raise in_use(path)
    check_header(path)
    with explain(path):
        sql = connect(path, read_only=True, immutable=True)
    damaged = ProjectFile(path, sql)
    try:
        with explain(path), deadline(sql, _MOST_S):
            check_schema(sql, path)
            return _copied(damaged, sql, path, copy)
    finally:
        sql.close()


def _copied(damaged: ProjectFile, sql: sqlite3.Connection, path: Path, copy: Path) -> Salvage:
    name, content, photo = _photo(damaged, path)
    project = ProjectFile.create(copy, content, name, damaged.exposure)
    kept, total = 0, 0
    try:
        for number, label in _numbers(sql):
            total += 1
            job = _readable(damaged, number, photo)
            if job is not None:
                project.append(label, job)
                kept += 1
        if kept == 0:
            project.append("Open", new_job(photo))
    except BaseException:
        project.close()
        copy.unlink(missing_ok=True)
        raise
    lost = "nothing that could be found" if total and kept == total else f"{max(total - kept, 0) or 'all'} of its steps"
    return Salvage(project, f"{path.name} is damaged; what could be read was opened as a copy, and {lost} was lost.")


def _photo(damaged: ProjectFile, path: Path) -> tuple[str, bytes, Photo]:
    try:
        name, content = damaged.photo()
        return name, content, damaged.read_photo()
    except (ProjectError, PhotoError) as error:
        message = f"{path} is damaged, and the photo in it cannot be read."
        raise ProjectError(message, "Open the photo itself, or a copy of the job.") from error


def _numbers(sql: sqlite3.Connection) -> list[tuple[int, str]]:
    found: list[tuple[int, str]] = []
    try:
        query = "SELECT number, substr(label, 1, 200) FROM state ORDER BY number DESC LIMIT ?"
        found.extend((int(number), str(label)) for number, label in sql.execute(query, (_MOST_STATES,)))
    except (sqlite3.Error, UnicodeDecodeError, ValueError, TypeError):
        pass
    return found[::-1]


def _readable(damaged: ProjectFile, number: int, photo: Photo) -> Job | None:
    try:
        return damaged.load(number, photo)
    except ProjectError:
        return None
