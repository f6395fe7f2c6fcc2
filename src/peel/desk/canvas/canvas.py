"""The picture on its mat: panning, zooming, the wipe line, and the tool under the hand."""

import time
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any, Final

from PySide6.QtCore import QEvent, QPointF, QRect, QRectF, QSizeF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QTabletEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from peel.desk.asking import Task
from peel.desk.canvas.picture import paint_area, paint_tiles, paint_wipe, tiles_in_sight
from peel.desk.desk_state import DeskState
from peel.desk.display.frame import Frame
from peel.desk.display.places import paint_place
from peel.desk.display.tiles import DisplayTiles, TileKey, tile_rect
from peel.desk.theme import current
from peel.desk.tools.host import BrushShape, Press
from peel.desk.tools.tool import Tool
from peel.job.job import Job
from peel.job.placing.sheet import sheet_of
from peel.job.settings import Point
from peel.job.space import Space
from peel.work.session.session import Session
from peel.work.views import View

__all__ = ["Canvas"]

_GRIP_PX: Final = 9
_PEN_S: Final = 0.1  # after which an event is no longer the pen's
_BUTTONS: Final = (Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton)


class Canvas(QWidget):
    """Shows the desk's view of the job and hands presses to its tool; the host of tools.

    Attributes
    ----------
    frame : Frame
        Where the photo lies. A view of the sheet lies around it, see `frame_of`.

    Signals
    -------
    cursor_moved : (QPointF,)
        The point under the cursor, in the photo's space.
    zoomed : (float,)
        Screen pixels for a pixel of the photo.
    settled : ()
        Every visible tile is up to date.
    pressed : (bool,)
        A press began, and whether it does the other way round; False when it ends.
    """

    cursor_moved = Signal(QPointF)
    zoomed = Signal(float)
    settled = Signal()
    pressed = Signal(bool)

    def __init__(self, desk: DeskState, tiles: DisplayTiles, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("canvas")
        self.setAccessibleName("Picture")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(320, 240)
        self.frame = Frame()
        self.wipe: float = 0.5
        self._desk, self._tiles = desk, tiles
        self._preview: QImage | None = None
        self._panning: QPointF | None = None
        self._working: Qt.MouseButton | None = None
        self._held: Tool | None = None
        self._wiping = False
        self._space = False
        self._eraser = False
        self._pen = (1.0, -1.0)
        self._asker = desk.asker(self)  # for the tool in the hand
        self._fits = True
        self._is_stale = False
        desk.session_changed.connect(self._on_session)
        desk.job_changed.connect(self._on_changed)
        desk.tool_changed.connect(self._on_tool)
        desk.view_changed.connect(self._on_changed)
        for changed in (desk.view_changed, desk.look_changed, desk.wipe_changed, desk.overlay_changed):
            changed.connect(self._on_shown)
        desk.brush_changed.connect(self.update)
        desk.ask.fit.connect(self.fit)
        desk.ask.full_size.connect(lambda: self.zoom_to(1.0 / self.devicePixelRatioF()))
        desk.ask.look_at.connect(self.look_around)
        desk.ask.zoom.connect(lambda factor: self.zoom_to(self.frame.scale * factor))
        tiles.ready.connect(self._on_tile)

    # the host of tools

    @property
    def job(self) -> Job | None:
        """The open job."""
        return self._desk.job

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

    def announce_ways(self) -> None:
        """Announce that the tool works in another way now."""
        self._desk.ways_changed.emit()

    # what is shown

    def show_preview(self, image: QImage, space: Space) -> None:
        """Show a first, coarse look at a photo that is still being read."""
        self._preview = image
        self.frame = Frame(space)
        self.fit()

    def end_preview(self) -> None:
        """Show no first look any more: the photo could not be opened."""
        self._preview = None
        self.update()

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

    def _on_shown(self) -> None:
        self._drop_unseen()
        self.update()

    def _on_changed(self) -> None:
        self._is_stale = True
        self.update()

    # where it is shown

    def frame_of(self, view: View) -> Frame:
        """Return where a view's space lies: the photo's own frame, or that of the sheet around it."""
        job = self.job
        if job is None or not view.shows_sheet:
            return self.frame
        sheet = sheet_of(job)
        around = Frame(sheet.space)
        around.scale = self.frame.scale
        around.origin = self.frame.to_widget(QPointF(*sheet.to_photo(0.0, 0.0)))
        return around

    def fit(self) -> None:
        """Show the whole of the view's space."""
        self._fits = True
        around = self.frame_of(self._desk.view)
        around.fit(QSizeF(self.size()))
        if around is not self.frame and self.job is not None:
            self.frame.scale = around.scale
            self.frame.origin = around.to_widget(QPointF(*sheet_of(self.job).from_photo(0.0, 0.0)))
        self._frame_changed()

    def zoom_to(self, scale: float, about: QPointF | None = None) -> None:
        """Set the screen pixels for a pixel of the photo, keeping a widget point in place."""
        self._fits = False
        self.frame.zoom_to(scale, about or QPointF(self.rect().center()))
        self._frame_changed()

    def look_at(self, centre: QPointF, scale: float) -> None:
        """Put a photo point in the middle at a scale."""
        self._fits = False
        self.frame.look_at(centre, scale, QSizeF(self.size()))
        self._frame_changed()

    def look_around(self, centre: QPointF, reach_px: float) -> None:
        """Show a point, and so many pixels of the space around it, at 200 % at most."""
        room = min(self.width(), self.height()) / 2
        self.look_at(centre, min(2.0, room / max(reach_px, 1.0)) / self.devicePixelRatioF())

    @property
    def is_fitted(self) -> bool:
        """Whether the whole picture is kept in sight."""
        return self._fits

    def centre(self) -> QPointF:
        """Return the photo point in the middle."""
        return self.frame.to_space(QPointF(self.width() / 2, self.height() / 2))

    def _frame_changed(self) -> None:
        # zoomed in, the hatch is drawn finer, so that it stays about as wide on the screen
        fine = max(4, round(9 / max(self.frame.scale * self.devicePixelRatioF(), 1.0)))
        self._desk.set_look(lambda look: replace(look, hatch_px=fine))
        self.zoomed.emit(self.frame.scale)
        self._drop_unseen()
        self.update()

    # painting

    @property
    def is_fresh(self) -> bool:
        """Whether what was last painted is the job as it stands, and none of it is coarse."""
        return not self._is_stale

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint mat, tiles, wipe line and tool."""
        painter = QPainter(self)
        painter.fillRect(event.rect(), current().colour("mat"))
        if self._preview is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(self.frame.space_rect(), self._preview)
        elif self.job is not None:
            self._paint_job(painter, event.rect())
        painter.end()

    def _paint_job(self, painter: QPainter, dirty: QRect) -> None:
        job = self._desk.compared or self.job
        assert job is not None
        fresh = self._paint_view(painter, job, self._desk.view, dirty)
        if self._desk.wipes:
            edge = round(self.wipe * self.width())
            left = QRect(0, 0, edge, self.height()).intersected(dirty)
            painter.save()
            painter.setClipRect(left)
            painter.fillRect(left, current().colour("mat"))
            fresh = self._paint_view(painter, job, View.PHOTO, left) and fresh
            painter.restore()
            paint_wipe(painter, edge, self.height(), _GRIP_PX)
        overlay = self._desk.overlay
        if overlay.image is not None:
            painter.drawImage(self.frame.space_rect(), overlay.image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for place in overlay.places:
            paint_place(painter, self.frame.to_widget(QPointF(*place.at)), place.doubt)
        if overlay.area:
            paint_area(painter, [self.frame.to_widget(QPointF(*point)) for point in overlay.area])
        if self._desk.tool is not None:
            self._desk.tool.paint(painter)
        if fresh and self._is_stale and dirty.contains(self.rect()):
            self._is_stale = False
            self.settled.emit()
        self._is_stale = self._is_stale or not fresh

    def _paint_view(self, painter: QPainter, job: Job, view: View, dirty: QRect) -> bool:
        if dirty.isEmpty():
            return True
        frame, ratio = self.frame_of(view), self.devicePixelRatioF()
        return paint_tiles(painter, self._tiles, job, view, frame, ratio, self._desk.look, dirty)

    def _drop_unseen(self) -> None:
        """Cancel the drawing of tiles that are no longer in sight."""
        if self.job is not None:
            self._tiles.drop_unwanted(self._in_sight())

    def _in_sight(self) -> set[TileKey]:
        visible: set[TileKey] = set()
        for view in {self._desk.view, View.PHOTO} if self._desk.wipes else {self._desk.view}:
            frame = self.frame_of(view)
            visible.update(tiles_in_sight(view, frame, frame.level(self.devicePixelRatioF()), QRectF(self.rect())))
        return visible

    def _on_tile(self, key: TileKey) -> None:
        view, level, row, column = key
        frame = self.frame_of(view)
        if all(self._tiles.is_fresh(own) for own in self._in_sight()):
            self.update()  # the whole, which is how it is known to be fresh
        elif level == frame.level(self.devicePixelRatioF()):
            self.update(frame.tile_target(tile_rect(frame.space, level, row, column), level))

    # the hand

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep the picture fitted, or its middle in place."""
        if self._fits:
            self.fit()
        else:
            grown = event.size() - event.oldSize()
            self.frame.pan(QPointF(grown.width() / 2, grown.height() / 2))
            self._frame_changed()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom at the cursor; with Shift, pan sideways."""
        turn = event.angleDelta()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.pan(QPointF(turn.y() or turn.x(), 0))
        else:
            self.zoom_to(self.frame.scale * 1.25 ** (turn.y() / 120), event.position())
        event.accept()

    def pan(self, by: QPointF) -> None:
        """Move the picture by widget pixels."""
        self._fits = False
        self.frame.pan(by)
        self._frame_changed()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Begin to pan, wipe, or work."""
        position, button = event.position(), event.button()
        if button == Qt.MouseButton.MiddleButton or (self._space and button == Qt.MouseButton.LeftButton):
            self._panning = position
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
        elif button in _BUTTONS and self._working is None:
            if self._desk.wipes and abs(position.x() - self.wipe * self.width()) <= _GRIP_PX:
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
        self.cursor_moved.emit(self.frame.to_space(position))

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
