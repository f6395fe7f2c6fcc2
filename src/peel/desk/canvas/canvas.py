"""The hand on the picture: panning, the wipe line, and the tool that is held."""

import time
from collections.abc import Callable, Sequence
from typing import Any, Final

from PySide6.QtCore import QEvent, QPointF, QRect, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QTabletEvent,
)
from PySide6.QtWidgets import QWidget

from peel.desk.asking import Task
from peel.desk.canvas.painted import GRIP_PX, PaintedView
from peel.desk.desk_state import DeskState
from peel.desk.display.frame import Frame
from peel.desk.display.tiles import DisplayTiles
from peel.desk.tools.host import BrushShape, Press
from peel.desk.tools.tool import Tool
from peel.job.settings import Point
from peel.work.session.session import Session

__all__ = ["Canvas"]

_PEN_S: Final = 0.1  # after which an event is no longer the pen's
_BUTTONS: Final = (Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton)


class Canvas(PaintedView):
    """Shows the desk's view of the job and hands presses to its tool; the host of tools.

    Signals
    -------
    cursor_moved : (QPointF,)
        The point under the cursor, in the photo's space.
    pressed : (bool,)
        A press began, and whether it does the other way round; False when it ends.
    """

    cursor_moved = Signal(QPointF)
    pressed = Signal(bool)

    def __init__(self, desk: DeskState, tiles: DisplayTiles, parent: QWidget | None = None) -> None:
        super().__init__(desk, tiles, parent)
        self.setObjectName("canvas")
        self.setAccessibleName("Picture")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(320, 240)
        self._panning: QPointF | None = None
        self._working: Qt.MouseButton | None = None
        self._held: Tool | None = None
        self._wiping = False
        self._space = False
        self._eraser = False
        self._pen = (1.0, -1.0)
        self._asker = desk.asker(self)  # for the tool in the hand
        desk.session_changed.connect(self._on_session)
        desk.tool_changed.connect(self._on_tool)

    # the host of tools

    @property
    def session(self) -> Session | None:
        """The open session."""
        return self._desk.bridge.session if self._desk.bridge is not None else None

    @property
    def brush_shape(self) -> BrushShape:
        """How touch-up brushes are shaped."""
        return self._desk.brush_shape

    @property
    def brush_px(self) -> float:
        """The brush's diameter in photo pixels."""
        return self._desk.brush_px

    def ask(
        self,
        task: Task,
        work: Callable[[], Any],
        then: Callable[[Any], object],
        ended: Callable[[], object] | None = None,
    ) -> None:
        """Ask a worker; the answer is wanted as long as the photo is open."""
        bridge = self._desk.bridge
        self._asker.ask(task, work, then, wanted=lambda: self._desk.bridge is bridge, ended=ended)

    def hue(self, *, taken: bool) -> QColor:
        """Return the hue of what is added or taken away."""
        return self._desk.taken_hue if taken else self._desk.added_hue

    def redraw(self, area: QRect | None = None) -> None:
        """Paint again, all or a part."""
        if area is None:
            self.update()
        else:
            self.update(area)

    def when_settled(self, call: Callable[[], None]) -> None:
        """Call a function each time the picture is up to date again."""
        self.settled.connect(call)

    def show_area(self, area: tuple[Point, ...]) -> None:
        """Show an outline over the picture."""
        self._desk.show_area(area)

    def announce_stroke(self, points: Sequence[Point], reach_px: float) -> None:
        """Announce where the stroke that is being applied may change anything."""
        self._desk.stroke_made.emit(tuple(points), reach_px)

    def ask_versions(self) -> None:
        """Ask which version of the matte is to be brushed from."""
        self._desk.ask.versions.emit()

    def announce_ways(self) -> None:
        """Announce that the tool works in another way now."""
        self._desk.ways_changed.emit()

    def _on_session(self) -> None:
        self._preview, self._working, self._panning, self._wiping = None, None, None, False
        job = self.job
        if job is not None:
            self.frame = Frame(job.photo.space)
            self.fit()
        self._on_tool()

    def _on_tool(self) -> None:
        """Put the tool before down, and the new one in the hand."""
        if self._held is not None:
            self._held.put_down()
            self._held.host = None
        tool = self._held = self._desk.tool
        if tool is not None:
            tool.host = self
            tool.take_up()
        self._working = None
        self._show_cursor()
        self.update()

    # the hand

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Begin to pan, wipe, or work."""
        position, button = event.position(), event.button()
        if button == Qt.MouseButton.MiddleButton or (self._space and button == Qt.MouseButton.LeftButton):
            self._panning = position
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
        elif button in _BUTTONS and self._working is None:
            if self._desk.wipes and abs(position.x() - self.wipe * self.width()) <= GRIP_PX:
                self._wiping = True
            elif self._desk.tool is not None and self.job is not None:
                self._working = button
                press = self._press(event)
                self.pressed.emit(press.reverse)
                self._desk.tool.press(press)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Pan, wipe, or work on."""
        position = event.position()
        if self._panning is not None:
            self.pan(position - self._panning)
            self._panning = position
        elif self._wiping:
            self.wipe = min(max(position.x() / max(self.width(), 1), 0.02), 0.98)
            self.update()
        elif self._desk.tool is not None and self.job is not None:
            self._desk.tool.move(self._press(event))
        self._desk.spot = self.frame.to_space(position)
        self.cursor_moved.emit(self._desk.spot)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """End panning, wiping, or a stroke."""
        if self._panning is not None:
            self._panning = None
            self._show_cursor()
        elif self._wiping:
            self._wiping = False
        elif event.button() == self._working:
            press = self._press(event)
            self._working = None
            if self._desk.tool is not None and self.job is not None:
                self._desk.tool.release(press)
            self.pressed.emit(False)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Treat a double click as two presses."""
        self.mousePressEvent(event)

    def tabletEvent(self, event: QTabletEvent) -> None:
        """Note the eraser end and the pressure; Qt then sends mouse events for the same strokes."""
        self._eraser = event.pointerType() == event.pointingDevice().PointerType.Eraser
        self._pen = (event.pressure(), time.monotonic())
        event.ignore()

    def leaveEvent(self, _event: QEvent) -> None:
        """Take the tool's cursor away."""
        if self._desk.tool is not None:
            self._desk.tool.leave()

    def _press(self, event: QMouseEvent) -> Press:
        """Describe a press; two reasons for the other way round cancel each other."""
        held = event.modifiers()
        reasons = (
            self._working == Qt.MouseButton.RightButton,
            bool(held & Qt.KeyboardModifier.AltModifier),
            self._eraser,
            self._desk.is_reversed,
        )
        return Press(
            event.position(),
            self.frame.to_space(event.position()),
            reverse=sum(reasons) % 2 == 1,
            straight=bool(held & Qt.KeyboardModifier.ShiftModifier),
            alternate=bool(held & Qt.KeyboardModifier.ControlModifier),
            pressure=self._pressure(),
        )

    def _pressure(self) -> float:
        """Return the pressure of a pen whose event this was; what is no pressure, and a mouse, press fully."""
        pressure, at = self._pen
        return pressure if time.monotonic() - at < _PEN_S and 0 <= pressure <= 1 else 1.0

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Pan while Space is held, walk with the arrows, or let the tool have the key."""
        step = {
            Qt.Key.Key_Left: QPointF(60, 0),
            Qt.Key.Key_Right: QPointF(-60, 0),
            Qt.Key.Key_Up: QPointF(0, 60),
            Qt.Key.Key_Down: QPointF(0, -60),
        }.get(Qt.Key(event.key()))
        tool = self._desk.tool
        if event.key() == Qt.Key.Key_Space:
            self._space = True
            self.setCursor(Qt.CursorShape.OpenHandCursor)
        elif tool is not None and tool.key(event):
            return
        elif step is not None:
            self.pan(step)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        """Stop panning when Space comes up."""
        if event.key() == Qt.Key.Key_Space and not event.isAutoRepeat():
            self._space = False
            self._show_cursor()
        else:
            super().keyReleaseEvent(event)

    def _show_cursor(self) -> None:
        tool = self._desk.tool
        self.setCursor(tool.cursor if tool is not None else Qt.CursorShape.ArrowCursor)
