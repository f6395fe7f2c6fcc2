"""The states of a job and where one stands among them."""

from dataclasses import dataclass, replace
from typing import Final

from peel.job.job import Job

__all__ = ["KEPT_AT_HAND", "History", "State"]

KEPT_AT_HAND: Final = 40
"""States whose pixels stay in memory; older ones are read back from the job file when they are wanted."""


@dataclass(frozen=True)
class State:
    """One state: its number in the job file, the label that undo shows, and the job if it is at hand."""

    number: int
    label: str
    job: Job | None


@dataclass(frozen=True)
class History:
    """Every state since the photo was opened, and a cursor. Immutable.

    Examples
    --------
    >>> h = History((State(1, "Open", None),)).pushed(State(2, "Brush", None))
    >>> h.undo_label, h.moved(-1).redo_label
    ('Brush', 'Brush')
    """

    states: tuple[State, ...]
    cursor: int = 0

    @property
    def current(self) -> State:
        """The state the work stands at."""
        return self.states[self.cursor]

    @property
    def undo_label(self) -> str | None:
        """What undo would take back."""
        return self.current.label if self.cursor > 0 else None

    @property
    def redo_label(self) -> str | None:
        """What redo would do again."""
        return self.states[self.cursor + 1].label if self.cursor + 1 < len(self.states) else None

    def pushed(self, state: State) -> "History":
        """Go on from the current state; what had been undone is forgotten."""
        states = (*self.states[: self.cursor + 1], state)
        old = len(states) - KEPT_AT_HAND
        if old > 0 and states[old - 1].job is not None:
            states = (*states[: old - 1], replace(states[old - 1], job=None), *states[old:])
        return History(states, self.cursor + 1)

    def moved(self, by: int) -> "History":
        """Step back (negative) or forward, as far as there are states."""
        return replace(self, cursor=min(max(self.cursor + by, 0), len(self.states) - 1))

    def amended(self, job: Job) -> "History":
        """Put a job in the place of the current one, without a step of undo."""
        state = replace(self.current, job=job)
        return replace(self, states=(*self.states[: self.cursor], state, *self.states[self.cursor + 1 :]))
