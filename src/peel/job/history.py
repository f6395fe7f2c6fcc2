"""The states of a job and where one stands among them."""

from dataclasses import dataclass, replace
from typing import Final

from peel.job.job import Job

__all__ = ["KEPT_AT_HAND", "UNSTORED", "History", "State"]

KEPT_AT_HAND: Final = 40
"""States whose planes stay in memory; older ones are read back from the job file when they are needed."""

UNSTORED: Final = -1
"""Number of a state that is not on disk yet."""


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
        """Go on from the current state; undone states are dropped.

        Old states keep their planes in memory only as long as they are not on disk.
        """
        states = [*self.states[: self.cursor + 1], state]
        for at in range(len(states) - KEPT_AT_HAND - 1, -1, -1):
            if states[at].job is None:
                break
            if states[at].number != UNSTORED:
                states[at] = replace(states[at], job=None)
        return History(tuple(states), self.cursor + 1)

    def moved(self, by: int) -> "History":
        """Step back (negative) or forward, as far as there are states."""
        return replace(self, cursor=min(max(self.cursor + by, 0), len(self.states) - 1))

    def amended(self, job: Job) -> "History":
        """Put a job in the place of the current one, without a step of undo."""
        state = replace(self.current, job=job)
        return replace(self, states=(*self.states[: self.cursor], state, *self.states[self.cursor + 1 :]))
