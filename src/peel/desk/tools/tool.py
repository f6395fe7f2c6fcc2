"""What every tool has in common."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QKeyEvent, QPainter

if TYPE_CHECKING:
    from collections.abc import Callable

    from peel.desk.canvas.canvas import Canvas
    from peel.job.job import Job

__all__ = ["Choice", "Press", "Tool"]


@dataclass(frozen=True)
class Press:
    """Where the hand is, and which of its keys are held."""

    widget_point: QPointF
    photo_point: QPointF
    reverse: bool = False
    straight: bool = False
    other: bool = False

    @property
    def xy(self) -> tuple[float, float]:
        """The photo point as numbers."""
        return self.photo_point.x(), self.photo_point.y()


@dataclass
class Choice:
    """One of a few ways in which a tool works, shown beside what its press will do.

    Attributes
    ----------
    name : str
        For people who cannot see it.
    labels : tuple of str
    chosen : int
    tip : str
        What it does to the picture.
    key_name : str
        The key that goes on to the next way.
    """

    name: str
    labels: tuple[str, ...]
    tip: str
    key_name: str = ""
    chosen: int = 0

    @property
    def label(self) -> str:
        """The chosen way."""
        return self.labels[self.chosen]

    def next(self) -> None:
        """Go on to the next way."""
        self.chosen = (self.chosen + 1) % len(self.labels)


class Tool:
    """A tool: override what it does; the canvas calls it on the main thread.

    Attributes
    ----------
    name : str
        The word on its button.
    key_name : str
        The key that takes it up.
    sized : bool
        Whether it has a size.
    choices : list of Choice
        The ways in which it works.
    """

    name = ""
    key_name = ""
    sized = False
    cursor = Qt.CursorShape.CrossCursor

    def __init__(self) -> None:
        self.canvas: Canvas | None = None
        self.choices: list[Choice] = []

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do, with Alt held or not."""
        raise NotImplementedError

    def press(self, press: Press) -> None:
        """Answer the button going down."""

    def move(self, press: Press) -> None:
        """Answer the cursor moving, button down or not."""

    def release(self, press: Press) -> None:
        """Answer the button coming up."""

    def leave(self) -> None:
        """Answer the cursor leaving the canvas."""

    def key(self, event: QKeyEvent) -> bool:
        """Take a key, or answer False."""
        return self._choose_by_key(event)

    def paint(self, painter: QPainter) -> None:
        """Paint over the picture, in widget pixels."""

    def take_up(self) -> None:
        """Get ready: the tool is in the hand, on a photo."""

    def put_down(self) -> None:
        """Another tool is taken up, or the photo is closed."""

    def close(self) -> None:
        """End what the tool runs beside the window."""

    @property
    def job(self) -> Job | None:
        """The open job."""
        return self.canvas.job if self.canvas is not None else None

    def apply(self, label: str, edit: Callable[[Job], Job]) -> None:
        """Make an edit of the open job."""
        if self.canvas is not None and self.canvas.bridge is not None:
            self.canvas.bridge.session.apply(label, edit)

    def redraw(self) -> None:
        """Paint the canvas anew."""
        if self.canvas is not None:
            self.canvas.update()

    def _choose_by_key(self, event: QKeyEvent) -> bool:
        if event.modifiers() & ~Qt.KeyboardModifier.ShiftModifier:
            return False
        for choice in self.choices:
            if choice.key_name and event.text().upper() == choice.key_name:
                choice.next()
                if self.canvas is not None:
                    self.canvas.ways_changed.emit()
                return True
        return False
