"""The job file: one SQLite database that holds the photo, every state, and where one stands among them.

The format is described in `docs/project-file.md`. Each edit is one transaction, on disk before the next begins.
"""

import contextlib
import json
import os
import sqlite3
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Final, TypeVar

from peel.errors import ProjectError
from peel.files.asset_store import AssetStore
from peel.files.atomic import current_umask, temporary_beside
from peel.files.connection import (
    connect,
    held_photo,
    hold,
    is_held_at,
    is_open_here,
    looking_into,
    open_checked,
    release,
)
from peel.files.migrations import APPLICATION_ID, SCHEMA, VERSION, migrate
from peel.files.names import clean_name
from peel.files.photo import decode_photo
from peel.files.project_checks import LostProjectError, explain, in_use, photo_digest
from peel.files.project_facts import Fingerprint, StoredPhoto, fingerprint_in, photo_in
from peel.files.tile_store import TileStore
from peel.job.history import History, State
from peel.job.job import Job, Photo
from peel.job.plane import Plane
from peel.job.planes import PLANES
from peel.job.settings import JobSettings, pictures_of

__all__ = ["ProjectFile"]

_MAX_STATES: Final = 20_000  # the latest ones are offered for undo
_MAX_LABEL: Final = 200
_MAX_SETTINGS_BYTES: Final = 50_000_000
_MAX_NOTE_BYTES: Final = 100_000
_EXPOSURE: Final = "exposure"  # a note: it is part of how the photo is decoded, not of the work on it
_T = TypeVar("_T")


class ProjectFile:
    """An open job file. Any thread may call it; calls wait for each other.

    Parameters
    ----------
    path : Path
    connection : sqlite3.Connection
        Use `create` or `open` instead.
    is_sound : bool
        Whether all of it is known to be as it was written; only sound files are swept on close.
    """

    def __init__(self, path: Path, connection: sqlite3.Connection, *, is_sound: bool = False) -> None:
        self.path = path
        self._sql = connection
        self._turn = threading.RLock()
        self._tiles = TileStore(connection)
        self._assets = AssetStore(connection)
        self._is_sound = is_sound
        self._held: tuple[int, int] | None = None

    @classmethod
    def create(cls, path: Path, photo_bytes: bytes, photo_name: str, exposure: float = 0.0) -> "ProjectFile":
        """Begin a job file with a photo in it and no state yet.

        Raises
        ------
        ProjectError
            If the file is there already or cannot be written; a file begun in vain is removed.
        """
        with explain(path):
            path.parent.mkdir(parents=True, exist_ok=True)
            with path.open("xb"):
                pass
            try:
                sql = _begun(path, photo_bytes, photo_name)
            except BaseException:
                path.unlink(missing_ok=True)
                path.with_name(path.name + "-journal").unlink(missing_ok=True)
                raise
        project = cls(path, sql, is_sound=True)
        project._held = hold(path, photo_in(sql))
        if exposure:
            project.write_note(_EXPOSURE, f"{exposure:g}")
        return project

    @classmethod
    def open(cls, path: Path) -> "ProjectFile":
        """Open a job file for work, treating it as hostile.

        Raises
        ------
        ProjectError
            If it is not a job file, is damaged, newer than this Peel, in use, or cannot be read.
        """
        sql = open_checked(path)
        try:
            with explain(path):
                migrate(sql)
                held = hold(path, photo_in(sql))
        except BaseException:
            sql.close()
            raise
        project = cls(path, sql)
        project._held = held
        return project

    @contextlib.contextmanager
    def _atomic(self) -> Iterator[sqlite3.Connection]:
        """Do everything inside, or nothing."""
        with self._turn, explain(self.path):
            self._sql.execute("BEGIN IMMEDIATE")
            try:
                yield self._sql
                self._sql.execute("COMMIT")
            except BaseException:
                self._tiles.forget_saved()
                if self._sql.in_transaction:  # on a full disk SQLite has rolled back already
                    self._sql.execute("ROLLBACK")
                raise

    def check_place(self) -> None:
        """Make sure that the name still leads to the file that is written to.

        Raises
        ------
        LostProjectError
        """
        if self._held is not None and not is_held_at(self.path, self._held):
            message = f"{self.path} was deleted or replaced by another program while it was open here."
            raise LostProjectError(message, "Keep the job under a name.")

    def _read(self, read: Callable[[sqlite3.Connection], _T]) -> _T:
        """Read something; contents that are not what was written there count as damage."""
        with self._turn, explain(self.path):
            try:
                return read(self._sql)
            except (
                TypeError,
                KeyError,
                ValueError,
                AttributeError,
                IndexError,
                OverflowError,
                RecursionError,
            ) as error:
                raise sqlite3.DatabaseError("malformed") from error

    def photo(self) -> tuple[str, bytes]:
        """Return the photo's name, fit to be part of a file's name, and the bytes of its file."""

        def read(sql: sqlite3.Connection) -> tuple[str, bytes]:
            name, digest, content = sql.execute("SELECT name, digest, content FROM photo WHERE id = 1").fetchone()
            if not isinstance(content, bytes) or photo_digest(content) != digest:
                msg = "the photo is not what was stored"
                raise ValueError(msg)
            return clean_name(str(name)), content

        return self._read(read)

    @staticmethod
    def fingerprint(path: Path) -> Fingerprint:
        """Return what tells a job file's current state from every other, without opening it for work.

        Raises
        ------
        ProjectError
        """
        with looking_into(path) as sql:
            return fingerprint_in(sql)

    def own_fingerprint(self) -> Fingerprint:
        """Return the same of this open file."""
        return self._read(fingerprint_in)

    @staticmethod
    def photo_of(path: Path) -> StoredPhoto:
        """Return which photo a job file is about, without opening it for work.

        Raises
        ------
        ProjectError
        """
        held = held_photo(path)
        if held is not None:
            return StoredPhoto(*held)
        with looking_into(path) as sql:
            return StoredPhoto(*photo_in(sql))

    def read_photo(self) -> Photo:
        """Decode the photo, developed as it was when the work began.

        Raises
        ------
        PhotoError, ProjectError
        """
        name, content = self.photo()
        return decode_photo(content, name, self.exposure)

    @property
    def exposure(self) -> float:
        """Stops by which the photo is developed lighter; 0 for most."""
        try:
            return min(max(float(self.read_note(_EXPOSURE) or 0.0), -4.0), 4.0)
        except ValueError:
            return 0.0

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

        def read(sql: sqlite3.Connection) -> History:
            query = "SELECT number, substr(label, 1, ?) FROM state ORDER BY number DESC LIMIT ?"
            rows = sql.execute(query, (_MAX_LABEL, _MAX_STATES)).fetchall()[::-1]
            states = tuple(State(int(number), str(label), None) for number, label in rows)
            if not states:
                msg = "no state"
                raise ValueError(msg)
            cursor = self._cursor()
            numbers = [state.number for state in states]
            return History(states, numbers.index(cursor) if cursor in numbers else len(states) - 1)

        return self._read(read)

    def load(self, number: int, photo: Photo) -> Job:
        """Read a state.

        Raises
        ------
        ProjectError
            If parts of it are missing or do not fit the photo.
        """

        def read(sql: sqlite3.Connection) -> Job:
            query = (
                "SELECT settings, planes FROM state WHERE number = ? AND length(settings) < ? AND length(planes) < ?"
            )
            row = sql.execute(query, (number, _MAX_SETTINGS_BYTES, _MAX_NOTE_BYTES)).fetchone()
            planes = self._planes(json.loads(row[1]), photo)
            settings = JobSettings.model_validate_json(row[0])
            return Job(photo, planes, settings, self._assets.load(pictures_of(settings)))

        return self._read(read)

    def _planes(self, digests: dict[str, str], photo: Photo) -> dict[str, Plane]:
        """Load the planes that a state names; those it does not name hold their default."""
        return {
            name: self._tiles.load_plane(str(digests[name]), spec, photo.height, photo.width)
            for name, spec in PLANES.items()
            if name in digests
        }

    def trust(self) -> None:
        """Take the file for sound from now on: its photo and its current state have been read."""
        self._is_sound = True

    def write_note(self, key: str, value: str) -> None:
        """Store a remark about the job, such as the view it was left in."""
        with self._atomic():
            self._put(key, value)

    def read_note(self, key: str) -> str | None:
        """Return a stored remark, or None."""

        def read(sql: sqlite3.Connection) -> str | None:
            query = "SELECT value FROM note WHERE key = ? AND length(value) < ?"
            row = sql.execute(query, (key, _MAX_NOTE_BYTES)).fetchone()
            return str(row[0]) if row else None

        return self._read(read)

    def compact(self, number: int) -> None:
        """Forget every state but one, and give back the room that the others took."""
        with self._atomic() as sql:
            sql.execute("DELETE FROM state WHERE number <> ?", (number,))
            self._put("cursor", str(number))
            self._tiles.sweep()
            self._assets.sweep()
        self._tiles.forget_saved()
        with self._turn, explain(self.path):
            self._sql.execute("PRAGMA incremental_vacuum").fetchall()

    def size_bytes(self) -> int:
        """Return the bytes that the file takes."""
        with self._turn, explain(self.path):
            pages = self._sql.execute("PRAGMA page_count").fetchone()[0]
            return int(pages * self._sql.execute("PRAGMA page_size").fetchone()[0])

    def copied_to(self, path: Path) -> "ProjectFile":
        """Write a copy of the whole file under a name, and open it.

        What was there is replaced by the finished copy in one step, together with its journal: a journal that an
        interrupted program left behind must never be applied to the new file.

        Raises
        ------
        ProjectError
            If it cannot be written, or a window has a job of that name open; this file is as it was.
        """
        if is_open_here(path):
            raise in_use(path, "Choose another name, or close that window first.")
        with self._turn, explain(path), temporary_beside(path) as temporary:
            with contextlib.closing(sqlite3.connect(temporary)) as copy:
                self._sql.backup(copy)
            temporary.chmod(0o666 & ~current_umask())
            _replace_job(path, temporary)
        kept = ProjectFile.open(path)
        kept._is_sound = self._is_sound
        return kept

    def close(self) -> None:
        """Sweep what no state refers to any more, if the file is sound, and close. A second call does nothing."""
        with self._turn:
            if self._is_sound:
                self._is_sound = False
                with contextlib.suppress(ProjectError, sqlite3.Error):
                    with self._atomic():
                        self._tiles.sweep()
                        self._assets.sweep()
                    self._sql.execute("PRAGMA incremental_vacuum").fetchall()
            self._sql.close()
            if self._held is not None:
                release(self._held)
                self._held = None

    def _row(self, job: Job) -> tuple[str, str]:
        planes = {name: self._tiles.save_plane(name, plane) for name, plane in job.planes.items()}
        self._assets.save(job.assets[digest] for digest in pictures_of(job.settings) if digest in job.assets)
        return job.settings.model_dump_json(), json.dumps(planes)

    def _cursor(self) -> int | None:
        row = self._sql.execute("SELECT value FROM note WHERE key = 'cursor'").fetchone()
        text = str(row[0])[:20] if row else ""
        return int(text) if text.isascii() and text.isdigit() else None

    def _put(self, key: str, value: str) -> None:
        self._sql.execute("INSERT OR REPLACE INTO note (key, value) VALUES (?, ?)", (key, value))


def _begun(path: Path, photo_bytes: bytes, photo_name: str) -> sqlite3.Connection:
    """Lay out the tables of a new file, with its photo."""
    sql = connect(path)
    try:
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
    except BaseException:
        sql.close()
        raise
    return sql


def _replace_job(path: Path, finished: Path) -> None:
    """Rename a finished file over the place of another one, which must not be in use."""
    held = None
    try:
        if path.exists():
            held = _locked(path)
        for suffix in ("-journal", "-wal", "-shm"):
            path.with_name(path.name + suffix).unlink(missing_ok=True)
        with finished.open("rb") as file:
            os.fsync(file.fileno())
        finished.replace(path)
    finally:
        if held is not None:
            held.close()


def _locked(path: Path) -> sqlite3.Connection | None:
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
