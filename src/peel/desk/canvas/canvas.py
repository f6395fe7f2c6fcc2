"""The picture on its mat: panning, zooming, the wipe line, and the tool under the hand."""

from dataclasses import replace
from typing import Final

from PySide6.QtCore import QEvent, QPointF, QRect, QRectF, QSizeF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QTabletEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from peel.desk.bridge import SessionBridge
from peel.desk.display.frame import Frame
from peel.desk.display.tiles import DisplayTiles, TileKey
from peel.desk.theme import current
from peel.desk.tools.tool import Press, Tool
from peel.job.job import Job
from peel.job.settings import Point
from peel.work.stages import CELL
from peel.work.views import View

__all__ = ["Canvas"]

_GRIP_PX: Final = 9


class Canvas(QWidget):
    """Shows one view of the job and hands presses to the tool.

    Signals
    -------
    cursor_moved : (QPointF,)
        The photo point under the cursor.
    zoomed : (float,)
        Screen pixels for a pixel of the photo.
    settled : ()
        Every visible tile is up to date.
    ways_changed : ()
        The tool works in another way now, or holds something else.
    """

    cursor_moved = Signal(QPointF)
    zoomed = Signal(float)
    settled = Signal()
    ways_changed = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("canvas")
        self.setAccessibleName("Picture")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(320, 240)
        self.frame = Frame()
        self.view = View.PHOTO
        self.wipe: float | None = None
        self._bridge: SessionBridge | None = None
        self._tiles: DisplayTiles | None = None
        self._preview: QImage | None = None
        self._shown_instead: Job | None = None
        self.added_hue, self.taken_hue = QColor(38, 170, 96), QColor(214, 64, 120)
        self._overlay: QImage | None = None
        self._area: tuple[Point, ...] = ()
        self._tool: Tool | None = None
        self._panning: QPointF | None = None
        self._wiping = False
        self._space = False
        self._eraser = False
        self._fits = True
        self._is_stale = False

    # what is shown

    def set_session(self, bridge: SessionBridge | None, tiles: DisplayTiles | None) -> None:
        """Show another session, or none."""
        self._bridge, self._tiles, self._preview, self._shown_instead = bridge, tiles, None, None
        self._overlay, self._area = None, ()
        if bridge is not None and tiles is not None:
            photo = bridge.session.photo
            self.frame = Frame(photo.width, photo.height)
            bridge.changed.connect(self._on_changed)
            tiles.ready.connect(self._on_tile)
            self.fit()
        if self._tool is not None:
            self._tool.put_down()
            self._tool.take_up()
        self.update()

    def show_preview(self, image: QImage, width: int, height: int) -> None:
        """Show a first, coarse look at a photo that is still being read."""
        self._preview = image
        self.frame = Frame(width, height)
        self.fit()

    def show_instead(self, job: Job | None) -> None:
        """Show another job in the place of the open one, for a before/after; None ends it."""
        self._shown_instead = job
        self.update()

    def show_overlay(self, image: QImage | None) -> None:
        """Lay a picture over the whole photo; None takes it away."""
        self._overlay = image
        self.update()

    def show_area(self, area: tuple[Point, ...]) -> None:
        """Show the area that changes are kept to; an empty one means everywhere."""
        self._area = area
        self.update()

    def set_view(self, view: View) -> None:
        """Choose the view."""
        self.view = view
        self.update()

    def set_tool(self, tool: Tool | None) -> None:
        """Put a tool in the hand."""
        if self._tool is not None:
            self._tool.put_down()
        self._tool = tool
        if tool is not None:
            tool.canvas = self
            tool.take_up()
        self._show_cursor()
        self.update()

    def set_wipe(self, on: bool) -> None:
        """Show or hide the wipe line."""
        self.wipe = 0.5 if on else None
        self.update()

    @property
    def tool(self) -> Tool | None:
        """The tool in the hand."""
        return self._tool

    @property
    def job(self) -> Job | None:
        """The open job."""
        return self._bridge.job if self._bridge is not None else None

    @property
    def bridge(self) -> SessionBridge | None:
        """The open session."""
        return self._bridge

    # where it is shown

    def fit(self) -> None:
        """Show the whole photo."""
        self._fits = True
        self.frame.fit(QSizeF(self.size()))
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

    @property
    def is_fitted(self) -> bool:
        """Whether the whole photo is kept in sight."""
        return self._fits

    def centre(self) -> QPointF:
        """Return the photo point in the middle."""
        return self.frame.to_photo(QPointF(self.width() / 2, self.height() / 2))

    def _frame_changed(self) -> None:
        if self._tiles is not None:
            # zoomed in, the hatch is drawn finer, so that it stays about as wide on the screen
            fine = max(4, round(9 / max(self.frame.scale * self.devicePixelRatioF(), 1.0)))
            if fine != self._tiles.look.hatch_px:
                self._tiles.set_look(replace(self._tiles.look, hatch_px=fine))
        self.zoomed.emit(self.frame.scale)
        self._ask_for_fewer()
        self.update()

    # painting

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint mat, tiles, wipe line and tool."""
        painter = QPainter(self)
        painter.fillRect(event.rect(), current().colour("mat"))
        if self.job is not None:
            self._paint_job(painter, event.rect())
        elif self._preview is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(self.frame.photo_rect(), self._preview)
        painter.end()

    def _paint_job(self, painter: QPainter, dirty: QRect) -> None:
        job = self._shown_instead or self.job
        assert job is not None
        fresh = self._paint_view(painter, job, self.view, dirty)
        if self.wipe is not None:
            edge = round(self.wipe * self.width())
            left = QRect(0, 0, edge, self.height()).intersected(dirty)
            painter.save()
            painter.setClipRect(left)
            painter.fillRect(left, current().colour("mat"))
            fresh = self._paint_view(painter, job, View.PHOTO, left) and fresh
            painter.restore()
            self._paint_wipe(painter, edge)
        if self._overlay is not None:
            painter.drawImage(self.frame.photo_rect(), self._overlay)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._area:
            self._paint_area(painter)
        if self._tool is not None:
            self._tool.paint(painter)
        if fresh and self._is_stale and dirty.contains(self.rect()):
            self._is_stale = False
            self.settled.emit()
        self._is_stale = self._is_stale or not fresh

    def _paint_view(self, painter: QPainter, job: Job, view: View, dirty: QRect) -> bool:
        """Paint the tiles that a rectangle of the widget touches; report whether all were up to date."""
        tiles = self._tiles
        if tiles is None or dirty.isEmpty():
            return True
        level = self.frame.level(self.devicePixelRatioF())
        smooth = self.frame.scale * self.devicePixelRatioF() < 3
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, smooth)
        fresh = True
        for key in self._visible(view, level, QRectF(dirty)):
            image = tiles.image(job, key)
            target = self.frame.tile_target(tiles.rect(level, key[2], key[3]), level)
            if image is not None:
                painter.drawImage(target, image)
            else:
                fresh = False
                self._paint_coarser(painter, job, key, target)
        return fresh and tiles.is_idle

    def _paint_coarser(self, painter: QPainter, job: Job, key: TileKey, target: QRect) -> None:
        """Paint what a coarser level already knows of a tile, so that nothing flashes."""
        tiles = self._tiles
        assert tiles is not None
        view, level, row, column = key
        for up in range(1, 5):
            image = tiles.known((view, level + up, row >> up, column >> up))
            if image is None:
                continue
            size = CELL >> up
            left, top = (column - ((column >> up) << up)) * size, (row - ((row >> up) << up)) * size
            shown = tiles.rect(level, row, column)
            source = QRectF(left, top, shown.width / (1 << up), shown.height / (1 << up))
            painter.drawImage(QRectF(target), image, source)
            return

    def _visible(self, view: View, level: int, area: QRectF) -> list[TileKey]:
        left, top, right, bottom = self.frame.tiles_under(area, level)
        return [(view, level, row, column) for row in range(top, bottom) for column in range(left, right)]

    def _ask_for_fewer(self) -> None:
        if self._tiles is None:
            return
        level = self.frame.level(self.devicePixelRatioF())
        area = QRectF(self.rect())
        visible = set(self._visible(self.view, level, area))
        if self.wipe is not None:
            visible.update(self._visible(View.PHOTO, level, area))
        self._tiles.drop_unwanted(visible)

    def _paint_area(self, painter: QPainter) -> None:
        outline = QPolygonF([self.frame.to_widget(QPointF(*point)) for point in self._area])
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, style in (
            (QColor(0, 0, 0, 170), Qt.PenStyle.SolidLine),
            (QColor(255, 255, 255), Qt.PenStyle.DotLine),
        ):
            painter.setPen(QPen(colour, 2.4, style))
            painter.drawPolygon(outline)

    def _paint_wipe(self, painter: QPainter, edge: int) -> None:
        painter.fillRect(QRect(edge - 1, 0, 3, self.height()), QColor(0, 0, 0, 150))
        painter.fillRect(QRect(edge, 0, 1, self.height()), QColor(255, 255, 255))
        grip = QRect(edge - _GRIP_PX, self.height() // 2 - 22, 2 * _GRIP_PX + 1, 44)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(0, 0, 0, 150), 1))
        painter.setBrush(QColor(255, 255, 255))
        painter.drawRoundedRect(grip, 6, 6)
        painter.setPen(QPen(QColor(90, 90, 90), 1.5))
        for offset in (-3, 3):
            painter.drawLine(edge + offset, grip.top() + 14, edge + offset, grip.bottom() - 14)

    def _on_changed(self, _job: Job, _before: Job) -> None:
        self._is_stale = True
        self.update()

    def _on_tile(self, drawn: object, _rect: object) -> None:
        key = drawn[0]  # type: ignore[index]
        level = self.frame.level(self.devicePixelRatioF())
        if self._tiles is None or key[1] != level:
            return
        if self._tiles.is_idle:
            self.update()
        else:
            self.update(self.frame.tile_target(self._tiles.rect(level, key[2], key[3]), level))

    # the hand

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep the photo fitted, or its middle in place."""
        if self._fits:
            self.frame.fit(QSizeF(event.size()))
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
        position = event.position()
        middle = event.button() == Qt.MouseButton.MiddleButton
        if middle or (self._space and event.button() == Qt.MouseButton.LeftButton):
            self._panning = position
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
        elif event.button() == Qt.MouseButton.LeftButton:
            if self.wipe is not None and abs(position.x() - self.wipe * self.width()) <= _GRIP_PX:
                self._wiping = True
            elif self._tool is not None and self.job is not None:
                self._tool.press(self._press(event))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Pan, wipe, or work on."""
        position = event.position()
        if self._panning is not None:
            self.pan(position - self._panning)
            self._panning = position
        elif self._wiping:
            self.wipe = min(max(position.x() / max(self.width(), 1), 0.02), 0.98)
            self.update()
        elif self._tool is not None and self.job is not None:
            self._tool.move(self._press(event))
        self.cursor_moved.emit(self.frame.to_photo(position))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """End panning, wiping, or a stroke."""
        if self._panning is not None:
            self._panning = None
            self._show_cursor()
        elif self._wiping:
            self._wiping = False
        elif event.button() == Qt.MouseButton.LeftButton and self._tool is not None and self.job is not None:
            self._tool.release(self._press(event))

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Take the second press as one more press."""
        self.mousePressEvent(event)

    def tabletEvent(self, event: QTabletEvent) -> None:
        """Remember the eraser end; Qt then sends mouse events for the same strokes."""
        self._eraser = event.pointerType() == event.pointingDevice().PointerType.Eraser
        event.ignore()

    def leaveEvent(self, _event: QEvent) -> None:
        """Take the tool's cursor away."""
        if self._tool is not None:
            self._tool.leave()

    def _press(self, event: QMouseEvent) -> Press:
        held = event.modifiers()
        return Press(
            event.position(),
            self.frame.to_photo(event.position()),
            reverse=bool(held & Qt.KeyboardModifier.AltModifier) or self._eraser,
            straight=bool(held & Qt.KeyboardModifier.ShiftModifier),
            other=bool(held & Qt.KeyboardModifier.ControlModifier),
        )

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Pan while Space is held, walk with the arrows, or let the tool have the key."""
        step = {
            Qt.Key.Key_Left: QPointF(60, 0),
            Qt.Key.Key_Right: QPointF(-60, 0),
            Qt.Key.Key_Up: QPointF(0, 60),
            Qt.Key.Key_Down: QPointF(0, -60),
        }.get(Qt.Key(event.key()))
        if event.key() == Qt.Key.Key_Space:
            self._space = True
            self.setCursor(Qt.CursorShape.OpenHandCursor)
        elif step is not None:
            self.pan(step)
        elif self._tool is None or not self._tool.key(event):
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        """Stop panning when Space comes up."""
        if event.key() == Qt.Key.Key_Space and not event.isAutoRepeat():
            self._space = False
            self._show_cursor()
        else:
            super().keyReleaseEvent(event)

    def _show_cursor(self) -> None:
        self.setCursor(self._tool.cursor if self._tool is not None else Qt.CursorShape.ArrowCursor)
