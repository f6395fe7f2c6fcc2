"""Connections to job files: opened with every caution, since a file may come from a stranger."""

import contextlib
import sqlite3
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Final

from peel.errors import ProjectError
from peel.files.migrations import schema_of
from peel.files.project_checks import check_header, explain, in_use

__all__ = [
    "check_schema",
    "connect",
    "deadline",
    "held_photo",
    "hold",
    "is_held_at",
    "is_open_here",
    "looking_into",
    "open_checked",
    "release",
]

_MAX_VALUE_BYTES: Final = 2**31 - 1  # of a value: the photo's file is one
_CHECK_S: Final = 5.0  # for checking a whole file; each tile is checked again when it is read
_SCHEMA_S: Final = 3.0
_STEPS: Final = 20_000  # of SQLite's machine between two looks at the clock

_Photo = tuple[str, str, int]  # name, digest and size of the photo that a job is about
_open: dict[tuple[int, int], _Photo] = {}
_turn = threading.Lock()


def is_open_here(path: Path) -> bool:
    """Return whether this process has a job file open, under whatever name.

    Opening it once more and closing that again would drop the process's locks on it.
    """
    with contextlib.suppress(OSError), _turn:
        return _identity(path) in _open
    return False


def hold(path: Path, photo: _Photo) -> tuple[int, int]:
    """Note that this process has a job file on a photo open; returns what `release` takes."""
    with _turn:
        held = _identity(path)
        _open[held] = photo
    return held


def held_photo(path: Path) -> _Photo | None:
    """Return the photo of a job file that this process has open."""
    with contextlib.suppress(OSError), _turn:
        return _open.get(_identity(path))
    return None


def is_held_at(path: Path, held: tuple[int, int]) -> bool:
    """Return whether a name still leads to the file that is held."""
    try:
        return _identity(path) == held
    except OSError:
        return False


def release(held: tuple[int, int]) -> None:
    """Note that this process has a job file open no longer."""
    with _turn:
        _open.pop(held, None)


def _identity(path: Path) -> tuple[int, int]:
    found = path.stat()
    return found.st_dev, found.st_ino


def open_checked(path: Path) -> sqlite3.Connection:
    """Open a job file for work, locked against everyone else; nothing is written before all has been checked.

    Raises
    ------
    ProjectError
        If it is not a job file, is damaged, newer than this Peel, in use, or cannot be read.
    """
    _check_free(path)
    check_header(path)
    with explain(path):
        if not _has_journal(path):
            with contextlib.closing(connect(path, read_only=True)) as reader:
                _check(reader, path)
        sql = connect(path)
        try:
            sql.execute("BEGIN EXCLUSIVE")
            sql.execute("COMMIT")
            check_schema(sql, path)
        except BaseException:
            sql.close()
            raise
    return sql


def _check_free(path: Path) -> None:
    """Raise if this process has a job file open: reading its header would drop the locks on it."""
    if is_open_here(path):
        raise in_use(path)


def _has_journal(path: Path) -> bool:
    """Return whether a change to a job file is under way or was interrupted: only a writing connection can read it."""
    return path.with_name(path.name + "-journal").exists()


@contextlib.contextmanager
def looking_into(path: Path) -> Iterator[sqlite3.Connection]:
    """Connect to a job file to read a little of it, without opening it for work.

    A change that was interrupted by a crash is taken back first.

    Raises
    ------
    ProjectError
        If it is not a job file, is damaged, newer than this Peel, in use, or cannot be read.
    """
    _check_free(path)
    check_header(path)
    if _has_journal(path):
        open_checked(path).close()
    with explain(path), contextlib.closing(connect(path, read_only=True)) as sql:
        yield sql


def connect(path: Path, *, read_only: bool = False, immutable: bool = False) -> sqlite3.Connection:
    """Connect with every caution that SQLite offers; for writing, in exclusive mode.

    `immutable` reads a file as it is, without looking for a journal: for one that is damaged.
    """
    if read_only:
        uri = f"{path.resolve().as_uri()}?mode=ro{'&immutable=1' if immutable else ''}"
        sql = sqlite3.connect(uri, uri=True, timeout=0.4, isolation_level=None, check_same_thread=False)
    else:
        sql = sqlite3.connect(path, timeout=0.4, isolation_level=None, check_same_thread=False)
    sql.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, _MAX_VALUE_BYTES)
    sql.setlimit(sqlite3.SQLITE_LIMIT_ATTACHED, 0)
    pragmas: dict[str, Any] = {"trusted_schema": "OFF", "cell_size_check": "ON", "temp_store": "MEMORY"}
    if not read_only:
        pragmas |= {"locking_mode": "EXCLUSIVE", "journal_mode": "DELETE", "synchronous": "FULL"}
    try:
        for name, value in pragmas.items():
            sql.execute(f"PRAGMA {name} = {value}")
    except BaseException:
        sql.close()
        raise
    return sql


def _check(sql: sqlite3.Connection, path: Path) -> None:
    check_schema(sql, path)
    found = "ok"
    with deadline(sql, _CHECK_S), contextlib.suppress(sqlite3.OperationalError):  # a large file on a slow disk
        found = sql.execute("PRAGMA quick_check(1)").fetchone()[0]
    if found != "ok":
        raise sqlite3.DatabaseError("malformed")


def check_schema(sql: sqlite3.Connection, path: Path) -> None:
    """Make sure that the tables are Peel's own: a view or trigger in their place could compute without end.

    Raises
    ------
    ProjectError
    """
    with deadline(sql, _SCHEMA_S):
        rows = sql.execute("SELECT type, sql FROM sqlite_master WHERE name NOT LIKE 'sqlite_%'").fetchmany(50)
        version = int(sql.execute("PRAGMA user_version").fetchone()[0])
    if sorted(rows) != sorted(("table", statement) for statement in schema_of(version)):
        message = f"{path} does not hold the tables of a Peel job: it is damaged, or another program made it."
        raise ProjectError(message, "Open a photo, or a file that Peel wrote.")


@contextlib.contextmanager
def deadline(sql: sqlite3.Connection, seconds: float) -> Iterator[None]:
    """Interrupt whatever SQLite computes within, after a while."""
    end = time.monotonic() + seconds
    sql.set_progress_handler(lambda: int(time.monotonic() > end), _STEPS)
    try:
        yield
    finally:
        sql.set_progress_handler(None, 0)
