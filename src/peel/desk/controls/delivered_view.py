"""A delivered file against the photo: read back from disk, with a wipe line, at its own size."""

from PySide6.QtCore import QPointF, QRectF, QSizeF, Qt
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QPushButton, QWidget

from peel.desk.controls.over_picture import OverPicture
from peel.desk.display.frame import Frame
from peel.desk.theme import current
from peel.job.space import Space

__all__ = ["DeliveredView"]

_GRIP_PX = 12


class DeliveredView(OverPicture):
    """Lies over the picture; the photo is left of the line, the file right of it."""

    def __init__(self, picture: QWidget) -> None:
        super().__init__(picture, "mat")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("A delivered file against the photo")
        self._file: QImage | None = None
        self._photo: QImage | None = None
        self._title = ""
        self.frame = Frame()
        self.wipe = 0.5
        self._held: str | None = None
        self._last = QPointF()
        self.done = QPushButton("Back to the picture", self)
        self.done.setObjectName("end comparing")
        self.done.clicked.connect(lambda _checked=False: self.hide())

    def show_file(self, file: QImage, photo: QImage, title: str) -> None:
        """Show a file, and the photo as it lies under it, of the same size."""
        self._file, self._photo, self._title = file, photo, title
        self.frame = Frame(Space(file.height(), file.width()))
        self.settle()
        self.frame.fit(QSizeF(self.size()))
        self.setFocus()
        self.update()

    def place(self, picture: QWidget) -> None:
        """Take all of the picture's place."""
        super().place(picture)
        self.done.adjustSize()
        self.done.move(self.width() - self.done.width() - 12, 12)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint both pictures, the line, and which is which."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), current().colour("mat"))
        if self._file is None or self._photo is None:
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self.frame.scale < 2)
        edge, target = self.wipe * self.width(), self.frame.space_rect()
        for image, part in (
            (self._photo, QRectF(0, 0, edge, self.height())),
            (self._file, QRectF(edge, 0, self.width() - edge, self.height())),
        ):
            painter.setClipRect(part)
            painter.drawImage(target, image)
        painter.setClipping(False)
        for colour, width in ((current().colour("text"), 3.0), (current().colour("surface"), 1.2)):
            painter.setPen(QPen(colour, width))
            painter.drawLine(QPointF(edge, 0), QPointF(edge, self.height()))
        self._paint_words(painter, edge)

    def _paint_words(self, painter: QPainter, edge: float) -> None:
        percent = f"{100 * self.frame.scale * self.devicePixelRatioF():.0f} %"
        for text, x in (("The photo", 12.0), (f"{self._title} · {percent}", edge + 10)):
            box = painter.fontMetrics().boundingRect(text).adjusted(-6, -3, 6, 3)
            place = QRectF(x, self.height() - 34, box.width(), box.height())
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(current().colour("surface"))
            painter.drawRoundedRect(place, 4, 4)
            painter.setPen(current().colour("text"))
            painter.drawText(place, Qt.AlignmentFlag.AlignCenter, text)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of the line, or of the pictures."""
        near = abs(event.position().x() - self.wipe * self.width()) <= _GRIP_PX
        self._held, self._last = ("wipe" if near else "pan"), event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag the line, or the pictures."""
        if self._held == "wipe":
            self.wipe = min(max(event.position().x() / max(self.width(), 1), 0.02), 0.98)
        elif self._held == "pan":
            self.frame.pan(event.position() - self._last)
        self._last = event.position()
        self.update()

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        """Let go."""
        self._held = None

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom at the cursor."""
        self.frame.zoom_to(self.frame.scale * 1.25 ** (event.angleDelta().y() / 120), event.position())
        self.update()
        event.accept()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Show the file's own size at the cursor, or all of it again."""
        own = 1.0 / self.devicePixelRatioF()
        if abs(self.frame.scale - own) < 1e-6:
            self.frame.fit(QSizeF(self.size()))
        else:
            self.frame.zoom_to(own, event.position())
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Go back by Escape."""
        if event.key() == Qt.Key.Key_Escape:
            self.hide()
        else:
            super().keyPressEvent(event)
