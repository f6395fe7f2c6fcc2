"""A card to press: a picture, and below it a name and a few words."""

from typing import Final

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QImage, QPainter
from PySide6.QtWidgets import QAbstractButton, QSizePolicy

from peel.desk.theme import current

__all__ = ["PictureCard"]

_WORDS: Final = Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap


class PictureCard(QAbstractButton):
    """What the cards of the empty window have in common.

    Parameters
    ----------
    title : str
    spoken : str
        What it is called for those who listen.
    """

    def __init__(self, title: str, spoken: str) -> None:
        super().__init__()
        self._image = QImage()
        self.setText(title)
        self.setAccessibleName(spoken)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    @property
    def image(self) -> QImage:
        """The picture; null until there is one."""
        return self._image

    def show_picture(self, image: QImage) -> None:
        """Show a picture."""
        self._image = image
        self.update()

    def paint_frame(self) -> QPainter:
        """Paint the card itself, and return what paints on it."""
        theme = current()
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        painter.setPen(theme.colour("accent" if self.hasFocus() or self.underMouse() else "line"))
        painter.setBrush(theme.colour("field"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 8, 8)
        return painter

    def paint_name(self, painter: QPainter, within: QRectF, size_px: int) -> None:
        """Paint the title, with dots for its middle where it is too long."""
        font = self.font()
        font.setPixelSize(size_px)
        font.setWeight(font.Weight.DemiBold)
        painter.setFont(font)
        painter.setPen(current().colour("text"))
        name = painter.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideMiddle, int(within.width()))
        painter.drawText(within, Qt.AlignmentFlag.AlignLeft, name)

    def paint_words(self, painter: QPainter, within: QRectF, words: str, size_px: int, colour: str = "muted") -> None:
        """Paint words in lines."""
        font = self.font()
        font.setPixelSize(size_px)
        painter.setFont(font)
        painter.setPen(current().colour(colour))
        painter.drawText(within, _WORDS, words)
