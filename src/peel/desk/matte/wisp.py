"""Wisp: press on one strand, see where it goes, and make it subject."""

from dataclasses import replace
from typing import Final

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPen, QPolygonF

from peel.desk.asking import task
from peel.desk.tools.tool import Press, Tool
from peel.work.marking.strands import FollowedStrand, another_way, follow_strand, take_strand

__all__ = ["WispTool"]

_FOLLOW = task("follow a strand", "The strand could not be followed.")
_SAME_PX: Final = 14.0  # of the screen, between two presses on the same strand
_ON_PX: Final = 7.0  # of the screen, within which a press is on the line
_LINE: Final = QColor(255, 255, 255)
_RIM: Final = QColor(0, 0, 0, 190)


class WispTool(Tool):
    """Follows the strand that is pressed; pressed once more, another way; pressed on its line, as far as there.

    Attributes
    ----------
    strand : FollowedStrand or None
        What was followed and is not taken yet.
    """

    name = "Wisp"
    key_name = "Shift+W"
    reverses = False
    key_hints = (("Enter, with Wisp", "makes the strand subject"), ("Esc, with Wisp", "forgets it"))

    def __init__(self) -> None:
        super().__init__()
        self.strand: FollowedStrand | None = None
        self._others: list[FollowedStrand] = []
        self._pressed: QPointF | None = None
        self._is_last = False
        self._asked = 0

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        del reverse
        if self.strand is None:
            return "Press on a hair, a whisker or a wire: it is followed to its tip, outside the band too"
        other = "there is no other way" if self._is_last else "press there again for another way"
        return f"{self.strand.length:.0f} px · Enter makes it subject · press on the line to end it there · {other}"

    def press(self, press: Press) -> None:
        """Follow the strand that is pressed, or by another way the one that was."""
        host = self.host
        if host is None or host.session is None or host.job is None:
            return
        away = None if self._pressed is None else press.widget_point - self._pressed
        is_same = away is not None and self.strand is not None and abs(away.x()) + abs(away.y()) < _SAME_PX
        if not is_same and self.strand is not None and (ended := self._ended_at(press)) is not None:
            self.strand = ended
            self._changed()
            return
        self._others = [*self._others, self.strand] if is_same and self.strand is not None else []
        others, pyramid, job, at = list(self._others), host.session.stages.pyramid, host.job, press.xy
        if not is_same:
            self.strand, self._is_last, self._pressed = None, False, press.widget_point
        self._asked += 1
        number = self._asked

        def work() -> tuple[FollowedStrand, bool]:
            found = follow_strand(pyramid, job, at, others)
            return found, another_way(found, others)

        def use(answer: tuple[FollowedStrand, bool]) -> None:
            if number == self._asked:
                self._show(*answer)

        host.ask(_FOLLOW, work, use)

    def _ended_at(self, press: Press) -> FollowedStrand | None:
        """Return the strand as far as a press that is on it; None for one that is elsewhere."""
        assert self.strand is not None
        assert self.host is not None
        away = np.hypot(*(self.strand.points - np.asarray(press.xy)).T)
        nearest = int(away.argmin())
        if away[nearest] * self.host.frame.scale > _ON_PX or nearest < 2:
            return None
        return replace(self.strand, points=self.strand.points[: nearest + 1])

    def _show(self, found: FollowedStrand, is_another: bool) -> None:
        if is_another:
            self.strand, self._is_last = found, False
        else:  # all ways are known: the first one again
            self.strand, self._others, self._is_last = self._others[0], [], True
        self._changed()

    def _changed(self) -> None:
        if self.host is not None:
            self.host.announce_ways()
        self.redraw()

    def key(self, event: QKeyEvent) -> bool:
        """Take the strand with Enter, forget it with Esc."""
        if self.strand is None:
            return super().key(event)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._take(self.strand)
            return True
        if event.key() == Qt.Key.Key_Escape:
            self.put_down()
            self._changed()
            return True
        return super().key(event)

    def _take(self, strand: FollowedStrand) -> None:
        if self.host is None or self.host.session is None:
            return
        pyramid = self.host.session.stages.pyramid
        self.apply("Wisp", lambda job: take_strand(pyramid, job, strand))
        self.put_down()
        self._changed()

    def put_down(self) -> None:
        """Forget what was followed."""
        self.strand, self._others, self._pressed, self._is_last = None, [], None, False
        self._asked += 1

    def paint(self, painter: QPainter) -> None:
        """Paint the strand, with a ring at its root."""
        if self.strand is None or self.host is None:
            return
        frame = self.host.frame
        line = QPolygonF([frame.to_widget(QPointF(x + 0.5, y + 0.5)) for x, y in self.strand.points.tolist()])
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in ((_RIM, 3.2), (_LINE, 1.3)):
            painter.setPen(QPen(colour, width))
            painter.drawPolyline(line)
            painter.drawEllipse(line.first(), 5, 5)
