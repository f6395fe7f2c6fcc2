"""What controllers have in common: each carries out what a panel asks for, with the help of workers."""

from collections.abc import Callable, Hashable
from pathlib import Path
from typing import ClassVar, TypeVar

from PySide6.QtCore import QObject

from peel.desk.asking import Task
from peel.desk.desk_state import DeskState
from peel.desk.steps import Step

__all__ = ["LaneDesk"]

_T = TypeVar("_T")


class LaneDesk(QObject):
    """A part of the window beyond a panel.

    Parameters
    ----------
    desk : DeskState

    Attributes
    ----------
    step : Step or None
        The step that it belongs to: what is asked by a key reaches it there.
    walks_everywhere : bool
        Whether it walks on in every step whose own controllers do not.
    """

    step: Step | None = None
    walks_everywhere: ClassVar[bool] = False

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

    def on_walk(self, by: int) -> bool:
        """Go some places on; return whether there is anything of its own to walk."""
        del by
        return False

    def on_mend(self, *, everything: bool) -> bool:
        """Mend what the walk is at, or everything; return whether that is this part's business."""
        del everything
        return False

    def on_accept(self) -> bool:
        """Take what the walk is at for right; return whether that is this part's business."""
        return False

    def on_file(self, path: Path) -> bool:
        """Take a file that was dropped on the window; return whether that is this part's business."""
        del path
        return False

    def close(self) -> None:
        """Drop what is under way and wait for what runs. Any thread."""
        self._asker.close()

    @property
    def is_idle(self) -> bool:
        """Whether nothing is asked for."""
        return self._asker.is_idle
