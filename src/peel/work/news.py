"""What a session tells those who watch it. Always sent from a worker thread."""

from collections.abc import Callable
from dataclasses import dataclass

from peel.job.job import Job

__all__ = ["Changed", "Listener", "News", "Solving", "Stored", "Trouble"]


@dataclass(frozen=True)
class Changed:
    """The job is another: an edit, undo, redo, or a solve that came in."""

    job: Job
    previous: Job


@dataclass(frozen=True)
class Solving:
    """The matte is being computed; `share` done in [0, 1], or None when there is nothing more to do."""

    share: float | None


@dataclass(frozen=True)
class Stored:
    """Whether every change is on disk."""

    is_complete: bool


@dataclass(frozen=True)
class Trouble:
    """Something went wrong that a person should read; an unexpected error also has its traceback."""

    message: str
    hint: str = ""
    trace: str = ""


News = Changed | Solving | Stored | Trouble
Listener = Callable[[News], None]
