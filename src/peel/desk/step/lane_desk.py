"""What the desks have in common: each carries out what a panel asks for, on a worker of its own."""

from PySide6.QtCore import QObject

from peel.desk.desk_state import DeskState
from peel.work.scheduler import Lane

__all__ = ["LaneDesk"]


class LaneDesk(QObject):
    """A part of the window beyond a panel.

    Parameters
    ----------
    desk : DeskState
    name : str
        Of its worker, for logs.
    """

    def __init__(self, desk: DeskState, name: str) -> None:
        super().__init__(desk)
        self._desk = desk
        self._lane = Lane(name)

    def close(self) -> None:
        """Drop what is under way and end the worker."""
        self._lane.keep_only(lambda _key: False)
        self._lane.close()

    @property
    def is_idle(self) -> bool:
        """Whether the worker has nothing to do."""
        return self._lane.is_idle
