"""Keys that change what is shown while they are held: numbers peek at a view, Alt shows what a press does with it."""

import time
from typing import Final

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent

from peel.desk.desk_state import DeskState
from peel.desk.steps import Step
from peel.work.views import View

__all__ = ["HeldKeys"]

_HELD_S: Final = 0.35


class HeldKeys(QObject):
    """Follows the keys of a window.

    Signals
    -------
    alt_held : (bool,)
    """

    alt_held = Signal(bool)

    def __init__(self, desk: DeskState) -> None:
        super().__init__(desk)
        self._desk = desk
        self._down: tuple[View, float] | None = None

    def pressed(self, event: QKeyEvent) -> bool:
        """Show the view of a number key; return whether it was one."""
        if event.key() == Qt.Key.Key_Alt:
            self.alt_held.emit(True)
        if event.key() == Qt.Key.Key_Period and self._desk.step is Step.MATTE and not event.isAutoRepeat():
            self._desk.ask.show_before.emit(True)
            return True
        number = _number(event)
        if number is None or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            return False
        if not event.isAutoRepeat():
            self._down = (self._desk.view, time.monotonic())
            self._desk.show_view(list(View)[number])
        return True

    def released(self, event: QKeyEvent) -> bool:
        """Go back to the view before if the key was held; return whether it was such a key."""
        if event.key() == Qt.Key.Key_Alt:
            self.alt_held.emit(False)
        if event.key() == Qt.Key.Key_Period and not event.isAutoRepeat():
            self._desk.ask.show_before.emit(False)
        if self._down is None or _number(event) is None or event.isAutoRepeat():
            return False
        before, since = self._down
        self._down = None
        if time.monotonic() - since > _HELD_S:
            self._desk.show_view(before)
        return True


def _number(event: QKeyEvent) -> int | None:
    """Return the place of the view that a number key stands for; 0 comes after 9."""
    place = (event.key() - Qt.Key.Key_0 - 1) % 10 if Qt.Key.Key_0 <= event.key() <= Qt.Key.Key_9 else len(View)
    return place if place < min(len(View), 10) else None
