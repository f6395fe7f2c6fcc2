"""A hand that works the window."""

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton
from pytestqt.qtbot import QtBot

from peel.desk.window import Window


class Hand:
    """Works a window as a person would: presses, drags and keys, at points of the photo."""

    def __init__(self, window: Window, qtbot: QtBot) -> None:
        self.window, self.qtbot = window, qtbot

    def wait(self, condition: Callable[[], bool], timeout_s: float = 120) -> None:
        self.qtbot.waitUntil(condition, timeout=int(timeout_s * 1000))

    def settle(self) -> None:
        """Wait until all is solved, stored and drawn."""
        assert self.window.bridge is not None
        self.window.bridge.session.wait_idle(180)
        self.qtbot.wait(30)  # news of it comes in, and the canvas asks for what it needs
        self.wait(lambda: self.window.proofs.is_idle and self.window.is_drawn)

    def at(self, x: float, y: float) -> QPoint:
        return self.window.canvas.frame.to_widget(QPointF(x, y)).toPoint()

    def click(self, x: float, y: float, held: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        QTest.mouseClick(self.window.canvas, Qt.MouseButton.LeftButton, held, self.at(x, y))

    def drag(
        self, points: list[tuple[float, float]], held: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
    ) -> None:
        canvas, button = self.window.canvas, Qt.MouseButton.LeftButton
        QTest.mousePress(canvas, button, held, self.at(*points[0]))
        for point in points[1:]:
            QTest.mouseMove(canvas, self.at(*point))
        QTest.mouseRelease(canvas, button, held, self.at(*points[-1]))

    def key(self, key: Qt.Key, held: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        QTest.keyClick(self.window.canvas, key, held)

    def step(self, name: str) -> None:
        self.press(f"step {name}")

    def press(self, name: str) -> None:
        """Press the control of a name."""
        button = self.window.findChild(QAbstractButton, name)
        assert button is not None, name
        assert button.isEnabled(), name
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)

    def open(self, path: Path) -> None:
        self.window.open_path(path)
        self.wait(lambda: self.window.bridge is not None)
