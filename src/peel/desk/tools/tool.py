"""What every tool has in common."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QKeyEvent, QPainter

if TYPE_CHECKING:
    from peel.desk.canvas import Canvas

__all__ = ["Press", "Tool"]


@dataclass(frozen=True)
class Press:
    """Where the hand is, and which of its keys are held."""

    widget_point: QPointF
    photo_point: QPointF
    reverse: bool = False
    straight: bool = False

    @property
    def xy(self) -> tuple[float, float]:
        """The photo point as numbers."""
        return self.photo_point.x(), self.photo_point.y()


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
    """

    name = ""
    key_name = ""
    sized = False
    cursor = Qt.CursorShape.CrossCursor

    def __init__(self) -> None:
        self.canvas: Canvas | None = None

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
        del event
        return False

    def paint(self, painter: QPainter) -> None:
        """Paint over the picture, in widget pixels."""

    def put_down(self) -> None:
        """Another tool is taken up."""
