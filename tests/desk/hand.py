"""A hand that works the window."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
from PySide6.QtCore import QCoreApplication, QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QAction, QContextMenuEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QComboBox, QLabel, QLineEdit, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from peel.desk.asking import Asker
from peel.desk.bench import Bench
from peel.desk.desk_state import DeskState
from peel.desk.steps import Step
from peel.desk.window import Window
from peel.job.edits.values import with_matte
from peel.job.job import Job
from peel.work.session.session import Session

_ROUNDS = 3  # what an event brings about may bring about another
_SOON_MS = 100  # longer ones wait for the hand to rest, or take away what is shown
LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton


class Hand:
    """Works a window as a person would: presses, drags and keys, at points of the photo."""

    def __init__(self, window: Window, qtbot: QtBot) -> None:
        self.window, self.qtbot = window, qtbot
        self.wait(lambda: window.bench is not None)

    @property
    def bench(self) -> Bench:
        assert self.window.bench is not None
        return self.window.bench

    @property
    def desk(self) -> DeskState:
        return self.bench.desk

    @property
    def job(self) -> Job:
        assert self.desk.job is not None
        return self.desk.job

    @property
    def session(self) -> Session:
        assert self.desk.bridge is not None
        return self.desk.bridge.session

    def panel(self, step: Step) -> Any:
        return self.bench.panels[step]

    def wait(self, condition: Callable[[], bool], timeout_s: float = 120) -> None:
        self.qtbot.waitUntil(condition, timeout=int(timeout_s * 1000))

    def rest(self) -> None:
        """Wait until nothing is under way: no edit, no answer of a worker, no timer that fires once, no event."""
        self.wait(self._is_at_rest)

    def _is_at_rest(self) -> bool:
        """Return whether the window stayed idle while all that waited for it was handled, several times over."""
        for _ in range(_ROUNDS):
            _handle_events()
            timers = (timer for timer in self.window.findChildren(QTimer) if timer.isSingleShot() and timer.isActive())
            if any(timer.interval() <= _SOON_MS for timer in timers):
                return False
            if not all(asker.is_idle for asker in self.window.findChildren(Asker)):
                return False
            if self.desk.bridge is not None and not self.session.is_idle:
                return False
        return True

    def settle(self) -> None:
        """Wait until all is solved, stored and drawn."""
        self.session.wait_idle(180)
        # An edit may still be on its way when the session is first idle, and its news when the window is.
        self.wait(self._is_settled)

    def _is_settled(self) -> bool:
        for _ in range(_ROUNDS):
            _handle_events()
            if not (self.session.is_idle and self.desk.solving is None and self.bench.is_drawn):
                return False
        return True

    def at(self, x: float, y: float) -> QPoint:
        return self.bench.canvas.frame.to_widget(QPointF(x, y)).toPoint()

    def click(
        self, x: float, y: float, held: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier, *, right: bool = False
    ) -> None:
        QTest.mouseClick(self.bench.canvas, RIGHT if right else LEFT, held, self.at(x, y))

    def drag(
        self,
        points: list[tuple[float, float]],
        held: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
        *,
        right: bool = False,
    ) -> None:
        canvas, button = self.bench.canvas, RIGHT if right else LEFT
        QTest.mousePress(canvas, button, held, self.at(*points[0]))
        for point in points[1:]:
            QTest.mouseMove(canvas, self.at(*point))
        QTest.mouseRelease(canvas, button, held, self.at(*points[-1]))

    def hover(self, x: float, y: float) -> None:
        """Move the cursor over a point, without a press; where it already is, no move would be noticed."""
        QTest.mouseMove(self.bench.canvas, self.at(x, y) + QPoint(3, 3))
        QTest.mouseMove(self.bench.canvas, self.at(x, y))

    def key(self, key: Qt.Key, held: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        QTest.keyClick(self.bench.canvas, key, held)

    def command(self, name: str) -> None:
        """Carry out a command by its name."""
        action = self.window.findChild(QAction, name)
        assert action is not None, name
        action.trigger()

    def step(self, name: str) -> None:
        self.press(f"step {name}")

    def press(self, name: str) -> None:
        """Press the control of a name."""
        button = self.window.findChild(QAbstractButton, name)
        assert button is not None, name
        assert button.isEnabled(), name
        QTest.mouseClick(button, LEFT)

    def press_text(self, place: QWidget, text: str) -> None:
        """Press the button that says something, in a part of the window."""
        (button,) = [own for own in place.findChildren(QAbstractButton) if own.text() == text]
        assert button.isEnabled(), text
        QTest.mouseClick(button, LEFT)

    def sees(self, place: QWidget, text: str) -> bool:
        """Return whether a text can be read in a part of the window."""
        shown = [*place.findChildren(QLabel), *place.findChildren(QAbstractButton)]
        return any(text in own.text() for own in shown if own.isVisible())

    def choose(self, box: QComboBox, number: int) -> None:
        """Choose an entry of a list that drops down, with the keys."""
        assert box.isEnabled()
        QTest.keyClick(box, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
        assert box.view().isVisible()
        box.view().setCurrentIndex(box.model().index(number, box.modelColumn()))
        QTest.keyClick(box.view(), Qt.Key.Key_Return)
        assert box.currentIndex() == number

    def choose_in_menu(self, button: QPushButton, text: str) -> None:
        """Choose an entry of the menu that a button opens."""
        assert button.isEnabled()
        (action,) = [own for own in button.menu().actions() if own.text() == text]
        action.trigger()

    def enter(self, line: QLineEdit, text: str) -> None:
        """Type a text in place of what stands in a field."""
        assert line.isVisible()
        line.setFocus()
        line.selectAll()
        QTest.keyClick(line, Qt.Key.Key_Delete)
        QTest.keyClicks(line, text)
        QTest.keyClick(line, Qt.Key.Key_Return)

    def press_right(self, name: str) -> None:
        """Press the control of a name with the right button."""
        control = self.window.findChild(QWidget, name)
        assert control is not None, name
        at = control.rect().center()
        event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, control.mapToGlobal(at))
        QCoreApplication.sendEvent(control, event)

    def open(self, path: Path) -> None:
        self.window.open_path(path)
        self.wait(lambda: self.desk.bridge is not None)
        self.rest()


def _handle_events() -> None:
    QCoreApplication.sendPostedEvents()
    QCoreApplication.processEvents()


def spoiled_matte(job: Job) -> Job:
    """Put a hole into a disc, and two specks beside it, as a solve might leave them."""
    alpha = job.alpha(job.photo.bounds)
    for (x, y), radius, value in (((210, 150), 4, 0), ((30, 30), 3, 1), ((390, 270), 3, 1)):
        cv2.circle(alpha, (x, y), radius, value, -1, cv2.LINE_AA)
    return with_matte(job, job.photo.bounds, alpha)
