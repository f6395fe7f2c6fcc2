"""Keys that change what is shown while they are held: numbers peek at a view, Alt tells what a press does with it."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, Final

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent

from peel.work.views import View

if TYPE_CHECKING:
    from peel.desk.window import Window

__all__ = ["HeldKeys"]

_HELD_S: Final = 0.35


class HeldKeys:
    """Follows the keys of a window."""

    def __init__(self, window: Window) -> None:
        self._window = window
        self._down: tuple[View, float] | None = None

    def pressed(self, event: QKeyEvent) -> bool:
        """Show the view of a number key; report whether it was one."""
        self._follow_alt(event, down=True)
        number = event.key() - Qt.Key.Key_1
        if not 0 <= number < len(View) or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            return False
        if not event.isAutoRepeat():
            self._down = (self._window.canvas.view, time.monotonic())
            self._window.show_view(list(View)[number])
        return True

    def released(self, event: QKeyEvent) -> bool:
        """Go back to the view before if the key was held; report whether it was one of a view."""
        self._follow_alt(event, down=False)
        if self._down is None or not 0 <= event.key() - Qt.Key.Key_1 < len(View) or event.isAutoRepeat():
            return False
        before, since = self._down
        self._down = None
        if time.monotonic() - since > _HELD_S:
            self._window.show_view(before)
        return True

    def _follow_alt(self, event: QKeyEvent, *, down: bool) -> None:
        if event.key() == Qt.Key.Key_Alt:
            self._window.say_what_a_press_does(reverse=down)
