"""What controllers have in common: each carries out what a panel asks for, with the help of workers."""

from collections.abc import Callable, Hashable
from typing import TypeVar

from PySide6.QtCore import QObject

from peel.desk.asking import Task
from peel.desk.desk_state import DeskState

__all__ = ["LaneDesk"]

_T = TypeVar("_T")


class LaneDesk(QObject):
    """A part of the window beyond a panel.

    Parameters
    ----------
    desk : DeskState
    """

    def __init__(self, desk: DeskState) -> None:
        super().__init__(desk)
        self._desk = desk
        self._asker = desk.asker(self)

    def ask(
        self,
        task: Task,
        work: Callable[[], _T],
        then: Callable[[_T], object],
        *,
        key: Hashable = "",
        ended: Callable[[], object] | None = None,
        failed: Callable[[BaseException], object] | None = None,
        outlives_photo: bool = False,
    ) -> None:
        """Ask a worker; the answer is wanted as long as the same photo is open. See `Asker.ask`.

        Parameters
        ----------
        outlives_photo : bool
            True if the answer is wanted whatever is open when it comes.
        """
        bridge = self._desk.bridge

        def wanted() -> bool:
            return outlives_photo or self._desk.bridge is bridge

        self._asker.ask(task, work, then, key=key, wanted=wanted, ended=ended, failed=failed)

    def close(self) -> None:
        """Drop what is under way and wait for what runs. Any thread."""
        self._asker.close()

    @property
    def is_idle(self) -> bool:
        """Whether nothing is asked for."""
        return self._asker.is_idle
