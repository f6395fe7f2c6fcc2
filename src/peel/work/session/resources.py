"""What the open sessions share: the lane for solving, and one memory budget for derived pictures."""

from typing import Final

from peel.work.scheduler import Lane
from peel.work.stages.cache import Cache

__all__ = ["Resources"]

_BUDGET_BYTES: Final = 400_000_000


class Resources:
    """Shared by the sessions of one process.

    Each session keeps an edits lane of its own: a slow edit of one photo must not hold up a stroke on another.

    Parameters
    ----------
    budget_bytes : int
        Memory for the derived pictures of all sessions together.
    """

    def __init__(self, budget_bytes: int = _BUDGET_BYTES) -> None:
        self.solving = Lane("solve")
        self.cache = Cache(budget_bytes)

    def close(self) -> None:
        """End the threads; the sessions must be closed first."""
        self.solving.close()
