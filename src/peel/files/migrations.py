"""The job file's tables, and how older files are brought up to them."""

import sqlite3
from collections.abc import Callable
from typing import Final

__all__ = ["APPLICATION_ID", "SCHEMA", "VERSION", "migrate", "schema_of"]

APPLICATION_ID: Final = 0x5065656C  # "Peel"
VERSION: Final = 8

SCHEMA: Final = (
    "CREATE TABLE photo (id INTEGER PRIMARY KEY CHECK (id = 1), name TEXT NOT NULL, digest TEXT NOT NULL, "
    "content BLOB NOT NULL)",
    "CREATE TABLE state (number INTEGER PRIMARY KEY AUTOINCREMENT, label TEXT NOT NULL, time REAL NOT NULL, "
    "settings TEXT NOT NULL, planes TEXT NOT NULL)",
    "CREATE TABLE plane (digest TEXT PRIMARY KEY, body TEXT NOT NULL) WITHOUT ROWID",
    "CREATE TABLE tile (digest TEXT PRIMARY KEY, content BLOB NOT NULL)",
    "CREATE TABLE note (key TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID",
    "CREATE TABLE asset (digest TEXT PRIMARY KEY, name TEXT NOT NULL, height INTEGER NOT NULL, width INTEGER NOT NULL, "
    "content BLOB NOT NULL)",
)


def schema_of(version: int) -> tuple[str, ...]:
    """Return the tables of a version; before the seventh, a job held no pictures beside its photo."""
    return SCHEMA if version >= 7 else SCHEMA[:-1]


def _to_second(sql: sqlite3.Connection) -> None:
    """Change nothing: contours of plain points are understood, and a missing plane holds its default."""
    del sql


def _to_third(sql: sqlite3.Connection) -> None:
    """Change nothing: settings of the second format, in one piece, are sorted into two halves on reading."""
    del sql


def _to_fourth(sql: sqlite3.Connection) -> None:
    """Call the plane of exact and loose stretches what it has become, a plane of kinds; its codes are the same."""
    sql.execute("""UPDATE state SET planes = replace(planes, '"stretches"', '"kinds"')""")


def _to_fifth(sql: sqlite3.Connection) -> None:
    """Change nothing: a job without separations has none, and their missing plane holds its default."""
    del sql


def _to_sixth(sql: sqlite3.Connection) -> None:
    """Change nothing: nothing was brushed on colours before, and missing planes hold their default."""
    del sql


def _to_seventh(sql: sqlite3.Connection) -> None:
    """Make room for pictures that stand on the sheet."""
    sql.execute(SCHEMA[-1])


def _to_eighth(sql: sqlite3.Connection) -> None:
    """Change nothing: stretches that were exact are understood, and the missing plane of trust holds its default."""
    del sql


_STEPS: Final[dict[int, Callable[[sqlite3.Connection], None]]] = {
    1: _to_second,
    2: _to_third,
    3: _to_fourth,
    4: _to_fifth,
    5: _to_sixth,
    6: _to_seventh,
    7: _to_eighth,
}
"""For each older version, the function that brings a file from it to the next."""


def migrate(sql: sqlite3.Connection) -> None:
    """Bring an open file to the present version, one transaction a step."""
    version = int(sql.execute("PRAGMA user_version").fetchone()[0])
    while version < VERSION:
        sql.execute("BEGIN EXCLUSIVE")
        try:
            _STEPS[version](sql)
            sql.execute(f"PRAGMA user_version = {version + 1:d}")
        except BaseException:
            sql.execute("ROLLBACK")
            raise
        sql.execute("COMMIT")
        version += 1
