"""How far the work on a photo has come, as it is noted in its job file and read without loading the job."""

import json
import sqlite3
from dataclasses import asdict, dataclass
from enum import Enum
from pathlib import Path
from typing import Any

from peel.errors import InUseError, PeelError
from peel.files.connection import looking_into
from peel.job.job import Job
from peel.work.inspecting.inspector import Findings

__all__ = ["UNSEEN", "Progress", "Status", "missing_words", "read_status", "status_of"]

_NOTE = "status"
_MOST_BYTES = 4000


class Progress(Enum):
    """How far the work on a photo has come."""

    UNTOUCHED = "not begun"
    MARKED = "marked"
    GUESS = "a guess, to be looked at"
    CARRIED = "carried, to be looked at"
    SOLVED = "solved"
    SNAGS = "snags"
    READY = "ready"
    CHANGED = "the photo was replaced"
    DELIVERED = "delivered"
    BROKEN = "cannot be read"


UNSEEN = frozenset({Progress.GUESS, Progress.CARRIED})
"""What nobody has looked at yet."""


@dataclass(frozen=True)
class Status:
    """What a card of the board says of a photo.

    Attributes
    ----------
    progress : Progress
    snags : how many are open.
    backing : the colour it stands on, or "" for none of one colour.
    says : a sentence, if there is something to be said.
    """

    progress: Progress = Progress.UNTOUCHED
    snags: int = 0
    backing: str = ""
    says: str = ""

    def as_note(self) -> str:
        """Write it as a note of the job file."""
        return json.dumps({**asdict(self), "progress": self.progress.name})

    @classmethod
    def from_note(cls, text: str | None) -> "Status":
        """Read it from a note; what makes no sense is a photo not begun."""
        try:
            found: dict[str, Any] = json.loads(text or "{}")
            return cls(
                Progress[str(found.get("progress", "UNTOUCHED"))],
                min(max(int(found.get("snags", 0)), 0), 100_000),
                str(found.get("backing", ""))[:20],
                str(found.get("says", ""))[:300],
            )
        except (ValueError, KeyError, TypeError, AttributeError):
            return cls()


def missing_words(status: Status) -> str:
    """Say what is still to be done on a photo."""
    if status.progress is Progress.SNAGS:
        return f"{status.snags} snag{'' if status.snags == 1 else 's'} left"
    return {
        Progress.UNTOUCHED: "nothing marked yet",
        Progress.MARKED: "to be solved",
        Progress.SOLVED: "solved",
        Progress.READY: "ready to deliver",
    }.get(status.progress, status.progress.value)


def status_of(job: Job, found: Findings | None = None, *, was_delivered: bool = False) -> Status:
    """Return the status of a job at hand, and of what was found if it was inspected."""
    backing = job.settings.recipe.backing
    colour = backing.colour if backing.kind == "colour" else ""
    if not job.has_subject:
        return Status(backing=colour)
    if not job.is_solved:
        return Status(Progress.MARKED, backing=colour)
    if job.settings.photo.is_unseen:
        return Status(Progress.GUESS if job.settings.photo.guess is not None else Progress.CARRIED, backing=colour)
    if was_delivered:
        return Status(Progress.DELIVERED, backing=colour)
    if found is None:
        return Status(Progress.SOLVED, backing=colour)
    count = len(found.open_snags(job))
    return Status(Progress.SNAGS if count else Progress.READY, count, colour)


def read_status(path: Path) -> Status:
    """Read the status noted in a job file, without opening it for work."""
    try:
        with looking_into(path) as sql:
            query = "SELECT value FROM note WHERE key = ? AND length(value) < ?"
            row = sql.execute(query, (_NOTE, _MOST_BYTES)).fetchone()
        return Status.from_note(str(row[0]) if row else None)
    except InUseError as error:
        return Status(Progress.SOLVED, says=str(error))
    except (PeelError, sqlite3.Error) as error:
        return Status(Progress.BROKEN, says=str(error))
