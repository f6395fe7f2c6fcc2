"""What a job file says of itself without being opened for work: its photo, and which state it is in."""

import hashlib
import sqlite3
from dataclasses import dataclass

from peel.files.names import clean_name

__all__ = ["Fingerprint", "StoredPhoto", "fingerprint_in", "photo_in"]


@dataclass(frozen=True)
class StoredPhoto:
    """Which photo a job file is about: its name, the digest of its file, and that file's size in bytes."""

    name: str
    digest: str
    size_bytes: int


@dataclass(frozen=True)
class Fingerprint:
    """What tells one state of a job from every other, and its settings as JSON."""

    digest: str
    settings: str


def fingerprint_in(sql: sqlite3.Connection) -> Fingerprint:
    """Read what tells the current state of a job from every other."""
    query = (
        "SELECT settings, planes FROM state WHERE number = coalesce((SELECT CAST(value AS INTEGER) FROM note "
        "WHERE key = 'cursor'), (SELECT max(number) FROM state))"
    )
    row = sql.execute(query).fetchone() or ("", "")
    photo = sql.execute("SELECT digest FROM photo").fetchone() or ("",)
    digest = hashlib.blake2b(f"{row[0]} {row[1]} {photo[0]}".encode(), digest_size=16).hexdigest()
    return Fingerprint(digest, str(row[0]))


def photo_in(sql: sqlite3.Connection) -> tuple[str, str, int]:
    """Read name, digest and size of the photo that a job is about; empty where it holds none."""
    row = sql.execute("SELECT substr(name, 1, 300), digest, length(content) FROM photo WHERE id = 1").fetchone()
    return (clean_name(str(row[0])), str(row[1]), int(row[2])) if row else ("", "", 0)
