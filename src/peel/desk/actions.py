"""The window's commands and their keys."""

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QWidget

__all__ = ["add_action"]


def add_action(
    window: QWidget,
    name: str,
    keys: str | list[str],
    triggered: Callable[[], object],
    *,
    repeat: bool = False,
) -> QAction:
    """Add a command with its keys to a window; found by its name in tests and by assistive programs."""
    action = QAction(name, window)
    action.setObjectName(name)
    action.setShortcuts([QKeySequence(key) for key in ([keys] if isinstance(keys, str) else keys)])
    action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
    action.setAutoRepeat(repeat)
    action.triggered.connect(lambda _checked=False: triggered())
    window.addAction(action)
    return action
