"""The job file: one SQLite database that holds the photo, every state, and where one stands among them.

The format is described in `docs/project-file.md`. Each edit is one transaction, on disk before the next begins.
"""

import contextlib
import json
import os
import sqlite3
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from peel.errors import ProjectError
from peel.files.atomic import current_umask
from peel.files.migrations import APPLICATION_ID, SCHEMA, VERSION, migrate
from peel.files.project_checks import check_header, explain, photo_digest
from peel.files.tile_store import TileStore
from peel.job.history import History, State
from peel.job.job import Job, Photo
from peel.job.plane import Plane
from peel.job.planes import PLANES
from peel.job.settings import JobSettings

__all__ = ["ProjectFile"]

_MAX_STATES = 200_000


class ProjectFile:
    """An open job file. Any thread may call it; calls wait for each other.

    Parameters
    ----------
    path : Path
    connection : sqlite3.Connection
        Use `create` or `open` instead.
    """

    def __init__(self, path: Path, connection: sqlite3.Connection) -> None:
        self.path = path
        self._sql = connection
        self._turn = threading.RLock()
        self._tiles = TileStore(connection)

    @classmethod
    def create(cls, path: Path, photo_bytes: bytes, photo_name: str) -> "ProjectFile":
        """Begin a job file with a photo in it and no state yet.

        Raises
        ------
        ProjectError
            If the file is there already or cannot be written.
        """
        with explain(path):
            path.parent.mkdir(parents=True, exist_ok=True)
            with path.open("xb"):
                pass
            sql = _connected(path)
            sql.execute("PRAGMA auto_vacuum = INCREMENTAL")
            sql.execute(f"PRAGMA application_id = {APPLICATION_ID:d}")
            sql.execute(f"PRAGMA user_version = {VERSION:d}")
            sql.execute("BEGIN EXCLUSIVE")
            for statement in SCHEMA:
                sql.execute(statement)
            sql.execute(
                "INSERT INTO photo (id, name, digest, content) VALUES (1, ?, ?, ?)",
                (photo_name, photo_digest(photo_bytes), photo_bytes),
            )
            sql.execute("COMMIT")
        return cls(path, sql)

    @classmethod
    def open(cls, path: Path) -> "ProjectFile":
        """Open a job file for work, treating it as hostile.

        Raises
        ------
        ProjectError
            If it is not a job file, is damaged, newer than this Peel, in use, or cannot be read.
        """
        check_header(path)
        with explain(path):
            sql = _connected(path)
            try:
                sql.execute("BEGIN EXCLUSIVE")
                sql.execute("COMMIT")
                migrate(sql)
                if sql.execute("PRAGMA quick_check(1)").fetchone()[0] != "ok":
                    raise sqlite3.DatabaseError("malformed")  # noqa: TRY301 - said in one place, by explain
            except BaseException:
                sql.close()
                raise
        return cls(path, sql)

    @contextlib.contextmanager
    def _atomic(self) -> Iterator[sqlite3.Connection]:
        """Do everything inside, or nothing."""
        with self._turn, explain(self.path):
            self._sql.execute("BEGIN IMMEDIATE")
            try:
                yield self._sql
            except BaseException:
                self._tiles.forget_saved()
                self._sql.execute("ROLLBACK")
                raise
            self._sql.execute("COMMIT")

    def photo(self) -> tuple[str, bytes]:
        """Return the photo's name and the bytes of its file."""
        with self._turn, explain(self.path):
            row = self._sql.execute("SELECT name, digest, content FROM photo WHERE id = 1").fetchone()
            if row is None or photo_digest(row[2]) != row[1]:
                raise sqlite3.DatabaseError("malformed")
            return str(row[0]), bytes(row[2])

    def append(self, label: str, job: Job) -> int:
        """Store a state after the current one, dropping the undone ones; return its number."""
        with self._atomic() as sql:
            cursor = self._cursor()
            if cursor is not None:
                sql.execute("DELETE FROM state WHERE number > ?", (cursor,))
            row = self._row(job)
            answer = sql.execute(
                "INSERT INTO state (label, time, settings, planes) VALUES (?, ?, ?, ?)",
                (label, time.time(), *row),
            )
            number = int(answer.lastrowid or 0)
            self._put("cursor", str(number))
            return number

    def replace(self, number: int, job: Job) -> None:
        """Store a state's job again, now that the solve that belongs to its edit is done."""
        with self._atomic() as sql:
            row = self._row(job)
            sql.execute("UPDATE state SET settings = ?, planes = ? WHERE number = ?", (*row, number))

    def stand_at(self, number: int) -> None:
        """Store which state is the current one."""
        with self._atomic():
            self._put("cursor", str(number))

    def history(self) -> History:
        """Return every state by number and label, none of them loaded."""
        with self._turn, explain(self.path):
            rows = self._sql.execute(
                "SELECT number, label FROM state ORDER BY number LIMIT ?", (_MAX_STATES,)
            ).fetchall()
            if not rows:
                raise sqlite3.DatabaseError("malformed")
            states = tuple(State(int(number), str(label), None) for number, label in rows)
            cursor = self._cursor()
            numbers = [state.number for state in states]
            return History(states, numbers.index(cursor) if cursor in numbers else len(states) - 1)

    def load(self, number: int, photo: Photo) -> Job:
        """Read a state.

        Raises
        ------
        ProjectError
            If parts of it are missing or do not fit the photo.
        """
        with self._turn, explain(self.path):
            row = self._sql.execute("SELECT settings, planes FROM state WHERE number = ?", (number,)).fetchone()
            try:
                planes = self._planes(json.loads(row[1]), photo)
                settings = JobSettings.model_validate_json(row[0])
            except (TypeError, KeyError, ValueError) as error:
                raise sqlite3.DatabaseError("malformed") from error
            return Job(photo, planes, settings)

    def _planes(self, digests: dict[str, str], photo: Photo) -> dict[str, Plane]:
        """Load the planes that a state names; those it does not name hold their default."""
        return {
            name: self._tiles.load_plane(str(digests[name]), spec, photo.height, photo.width)
            for name, spec in PLANES.items()
            if name in digests
        }

    def write_note(self, key: str, value: str) -> None:
        """Store a remark about the job, such as the view it was left in."""
        with self._atomic():
            self._put(key, value)

    def read_note(self, key: str) -> str | None:
        """Return a stored remark, or None."""
        with self._turn, explain(self.path):
            row = self._sql.execute("SELECT value FROM note WHERE key = ?", (key,)).fetchone()
            return str(row[0]) if row else None

    def copied_to(self, path: Path) -> "ProjectFile":
        """Write a copy of the whole file under a name, and open it.

        What was there is replaced by the finished copy in one step, together with its journal: a journal that an
        interrupted program left behind must never be applied to the new file.

        Raises
        ------
        ProjectError
            If it cannot be written, or another window has a job of that name open; this file is as it was.
        """
        with self._turn, explain(path):
            descriptor, name = tempfile.mkstemp(prefix=f".{path.name[:40]}.", suffix=".part", dir=path.parent)
            os.close(descriptor)
            temporary = Path(name)
            try:
                with contextlib.closing(sqlite3.connect(temporary)) as copy:
                    self._sql.backup(copy)
                temporary.chmod(0o666 & ~current_umask())
                _replace_job(path, temporary)
            except BaseException:
                temporary.unlink(missing_ok=True)
                raise
        return ProjectFile.open(path)

    def close(self) -> None:
        """Sweep what no state refers to any more, and close."""
        with self._turn:
            with contextlib.suppress(ProjectError, sqlite3.Error):
                with self._atomic():
                    self._tiles.sweep()
                self._sql.execute("PRAGMA incremental_vacuum").fetchall()
            self._sql.close()

    def _row(self, job: Job) -> tuple[str, str]:
        planes = {name: self._tiles.save_plane(name, plane) for name, plane in job.planes.items()}
        return job.settings.model_dump_json(), json.dumps(planes)

    def _cursor(self) -> int | None:
        row = self._sql.execute("SELECT value FROM note WHERE key = 'cursor'").fetchone()
        return int(row[0]) if row and str(row[0]).isdigit() else None

    def _put(self, key: str, value: str) -> None:
        self._sql.execute("INSERT OR REPLACE INTO note (key, value) VALUES (?, ?)", (key, value))


def _connected(path: Path) -> sqlite3.Connection:
    """Connect with every caution that SQLite offers, and hold the file for ourselves."""
    sql = sqlite3.connect(path, timeout=0.4, isolation_level=None, check_same_thread=False)
    pragmas: dict[str, Any] = {
        "trusted_schema": "OFF",
        "locking_mode": "EXCLUSIVE",
        "journal_mode": "DELETE",
        "synchronous": "FULL",
        "cell_size_check": "ON",
        "temp_store": "MEMORY",
    }
    for name, value in pragmas.items():
        sql.execute(f"PRAGMA {name} = {value}")
    return sql


def _replace_job(path: Path, finished: Path) -> None:
    """Give a finished file its name, over another one if need be; refuse if that is in use."""
    held = None
    try:
        if path.exists():
            held = _held(path)
        for suffix in ("-journal", "-wal", "-shm"):
            path.with_name(path.name + suffix).unlink(missing_ok=True)
        with finished.open("rb") as file:
            os.fsync(file.fileno())
        finished.replace(path)
    finally:
        if held is not None:
            held.close()


def _held(path: Path) -> sqlite3.Connection | None:
    """Lock the file that is to be replaced, which also settles its journal; None if it is no database."""
    sql = sqlite3.connect(path, timeout=0.4, isolation_level=None)
    try:
        sql.execute("PRAGMA locking_mode = EXCLUSIVE")
        sql.execute("BEGIN EXCLUSIVE")
        sql.execute("COMMIT")
    except sqlite3.DatabaseError as error:
        sql.close()
        if getattr(error, "sqlite_errorcode", 0) & 0xFF in {sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED}:
            raise
        return None
    return sql
