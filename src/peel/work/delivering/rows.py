"""What became of a job that was to be delivered: a record, and the plain values that reports hold."""

from collections.abc import Mapping
from dataclasses import dataclass, fields, replace
from typing import Any, ClassVar

__all__ = ["AcceptedSnag", "FileRow", "RunRow"]


@dataclass(frozen=True)
class FileRow:
    """A file that was written: its path or address, what it is, its size in pixels and bytes, its SHA-256."""

    file: str
    what: str
    width: int
    height: int
    bytes: int
    sha256: str


@dataclass(frozen=True)
class AcceptedSnag:
    """A snag that the person took for right, where it lies in the photo, and why."""

    sort: str
    at: tuple[float, ...]
    reason: str = ""


@dataclass(frozen=True)
class RunRow:
    """What became of one job.

    Attributes
    ----------
    photo, job : str
        The photo's name, and where the job lies.
    files : tuple of FileRow
    snags_open : int or None
        None where the job was not inspected.
    snags_accepted : tuple of AcceptedSnag
    seconds : float
    date : str
        As in the files' names; empty where nothing was written.
    error : str
        Why it was not delivered; empty if it was.
    code : int or None
        The exit code that the error asks for.
    skipped : bool
        Whether everything had been delivered before.
    unseen : bool
        Whether it was left out because nobody has looked at it.
    """

    photo: str
    job: str = ""
    files: tuple[FileRow, ...] = ()
    snags_open: int | None = None
    snags_accepted: tuple[AcceptedSnag, ...] = ()
    seconds: float = 0.0
    date: str = ""
    error: str = ""
    code: int | None = None
    skipped: bool = False
    unseen: bool = False
    _ALWAYS: ClassVar = frozenset({"photo", "job", "files", "snags_open", "snags_accepted", "seconds"})

    def as_json(self) -> dict[str, Any]:
        """Return plain values for a report; what does not apply is left out."""
        values = {own.name: getattr(self, own.name) for own in fields(self)}
        plain = {name: value for name, value in values.items() if value or name in self._ALWAYS}
        plain["files"] = [vars(item) for item in self.files]
        plain["snags_accepted"] = [{**vars(own), "at": list(own.at)} for own in self.snags_accepted]
        return plain

    @classmethod
    def from_json(cls, plain: Mapping[str, Any]) -> "RunRow":
        """Read a row from a note.

        Raises
        ------
        KeyError, TypeError, ValueError
            If it is no row.
        """
        row = cls(**{**plain, "files": (), "snags_accepted": ()})
        accepted = (AcceptedSnag(**{**own, "at": tuple(own["at"])}) for own in plain["snags_accepted"])
        return replace(row, files=tuple(FileRow(**item) for item in plain["files"]), snags_accepted=tuple(accepted))
