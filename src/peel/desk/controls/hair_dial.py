"""How much hair: to the left strands are left out, the shortest first; to the right faint ones are brought out."""

from typing import Final

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QEnterEvent, QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from peel.desk.theme import current
from peel.job.settings import Finish
from peel.matte.arrays import FloatArray

__all__ = ["HairDial"]

_HEIGHT: Final = 74
_FOOT: Final = 18  # room for the words below
_MIDDLE: Final = 0.68  # of the width: as solved
_LEAST_PX: Final = 4.0  # the first strands to go
_MOST_PX: Final = 400.0  # the last, where nothing is known of them
_BARS: Final = 40
_STEP: Final = 0.02  # of the dial, by a key


class HairDial(QWidget):
    """One line to drag over how much hair there is of each length.

    Signals
    -------
    changed : (dict, bool)
        Fields of the finish with their new values, and whether the drag still goes on.
    neared : ()
        The hand is about to use it: what it shows is wanted.
    """

    changed = Signal(object, bool)
    neared = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("How much hair: drag, or use the arrows")
        self.setToolTip(
            "To the left whole strands are left out, the shortest and faintest first;\n"
            "to the right faint ones that the photo shows are brought out. Double-click for all as it was solved."
        )
        self._lengths: FloatArray = np.zeros(0, np.float32)
        self._bars = np.zeros(_BARS, np.float32)
        self._finish = Finish()
        self._drags = False

    def sizeHint(self) -> QSize:
        """Ask for the bars and a line of words."""
        return QSize(240, _HEIGHT)

    def show_hair(self, lengths: FloatArray, finish: Finish) -> None:
        """Show how long the strands are, the shortest first, and what is wanted of them."""
        self._finish = finish
        if lengths is not self._lengths:
            self._lengths = lengths
            spots = (self._spot(lengths) + 1) * _BARS
            bins = np.clip(spots.astype(int), 0, _BARS - 1)
            sums = np.bincount(bins, lengths, minlength=_BARS) if len(lengths) else np.zeros(_BARS)
            self._bars = (sums / max(float(sums.max()), 1e-6)).astype(np.float32)
        self.update()

    @property
    def spot(self) -> float:
        """Where the dial stands: -1 without any hair, 0 as solved, 1 with all that the photo shows."""
        if self._finish.shortest_px > 0:
            return float(self._spot(np.array([self._finish.shortest_px], np.float32))[0])
        return self._finish.faint

    def _longest(self) -> float:
        return float(self._lengths[-1]) * 1.01 if len(self._lengths) else _MOST_PX

    def _spot(self, lengths: FloatArray) -> FloatArray:
        """Return where lengths lie, from -1 for the longest to 0."""
        ratio = np.log(np.maximum(lengths, _LEAST_PX) / _LEAST_PX) / np.log(max(self._longest() / _LEAST_PX, 1.5))
        return np.asarray(-np.clip(ratio, 0.0, 1), np.float32)

    def _values(self, spot: float) -> dict[str, float]:
        if spot >= 0:
            return {"shortest_px": 0.0, "faint": round(min(spot, 1.0), 2)}
        length = _LEAST_PX * max(self._longest() / _LEAST_PX, 1.5) ** min(-spot, 1.0)
        return {"shortest_px": round(min(length, 4000.0), 1), "faint": 0.0}

    def x_of(self, spot: float) -> float:
        """Return where a spot lies, in widget pixels."""
        wide = self.width() - 8
        return 4 + wide * (_MIDDLE * (1 + spot) if spot < 0 else _MIDDLE + (1 - _MIDDLE) * spot)

    def _spot_at(self, x: float) -> float:
        share = min(max((x - 4) / max(self.width() - 8, 1), 0.0), 1.0)
        if abs(x - self.x_of(0)) < 4:  # caught by the middle
            return 0.0
        return share / _MIDDLE - 1 if share < _MIDDLE else (share - _MIDDLE) / (1 - _MIDDLE)

    def enterEvent(self, event: QEnterEvent) -> None:
        """Ask for what is shown."""
        self.neared.emit()
        super().enterEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Ask for what is shown."""
        self.neared.emit()
        super().focusInEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take the line."""
        self._drags = True
        self.changed.emit(self._values(self._spot_at(event.position().x())), True)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag it."""
        if self._drags:
            self.changed.emit(self._values(self._spot_at(event.position().x())), True)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let it go."""
        if self._drags:
            self._drags = False
            self.changed.emit(self._values(self._spot_at(event.position().x())), False)

    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        """Leave all hair as it was solved."""
        self._drags = False
        self.changed.emit(self._values(0.0), False)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Step by the arrows."""
        by = {Qt.Key.Key_Left: -_STEP, Qt.Key.Key_Right: _STEP}.get(Qt.Key(event.key()))
        if by is None:
            super().keyPressEvent(event)
            return
        spot = self.spot + by
        crosses = spot * self.spot < 0 or abs(spot) < _STEP / 2
        self.changed.emit(self._values(0.0 if crosses else max(-1.0, min(spot, 1.0))), False)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint how much hair there is of each length, the line, and what both ends mean."""
        theme, painter = current(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        field = QRectF(0.5, 0.5, self.width() - 1, self.height() - _FOOT)
        painter.setPen(theme.colour("accent" if self.hasFocus() else "line"))
        painter.setBrush(theme.colour("field"))
        painter.drawRoundedRect(field, 5, 5)
        painter.setPen(Qt.PenStyle.NoPen)
        middle, high = self.x_of(0), field.height() - 8
        wide = (middle - 4) / _BARS
        for number, share in enumerate(self._bars):
            bar = QRectF(4 + number * wide, field.bottom() - 1 - high * float(share), wide - 1, high * float(share))
            is_kept = (number + 0.5) / _BARS - 1 < self.spot or self.spot >= 0
            painter.setBrush(theme.colour("text" if is_kept else "line"))
            painter.drawRect(bar)
        painter.setPen(QPen(theme.colour("muted"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(middle, 3), QPointF(middle, field.bottom() - 2))
        painter.setPen(QPen(theme.colour("accent"), 2))
        here = self.x_of(self.spot)
        painter.drawLine(QPointF(here, 3), QPointF(here, field.bottom() - 2))
        painter.setPen(theme.colour("muted"))
        below = QRectF(2, self.height() - _FOOT, self.width() - 4, _FOOT)
        painter.drawText(below, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, "longest only")
        painter.drawText(below, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, "faint too")
        half = QRectF(middle - 50, below.top(), 100, _FOOT)
        painter.drawText(half, Qt.AlignmentFlag.AlignCenter, "as solved")
