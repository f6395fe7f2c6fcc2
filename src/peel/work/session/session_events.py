"""What a session reports to its listeners. Always sent from a worker thread."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:  # importing it would bring the kernels along, and the empty window needs only Trouble
    from peel.job.job import Job

__all__ = ["Changed", "Listener", "SessionEvent", "SolveShare", "Stored", "Trouble"]


@dataclass(frozen=True)
class Changed:
    """The job is another: after an edit, undo, redo, or a solve."""

    job: Job
    previous: Job


@dataclass(frozen=True)
class SolveShare:
    """The matte is being computed; `share` done in [0, 1], or None when nothing is left to do."""

    share: float | None


@dataclass(frozen=True)
class Stored:
    """Whether every change is on disk."""

    is_complete: bool


@dataclass(frozen=True)
class Trouble:
    """Something went wrong that a person should read; an unexpected error also has its traceback.

    `offer` names a way out that the person can take by one press.
    """

    message: str
    hint: str = ""
    trace: str = ""
    offer: str = ""


SessionEvent = Changed | SolveShare | Stored | Trouble
Listener = Callable[[SessionEvent], None]
