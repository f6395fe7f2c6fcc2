"""Alike: press on a colour and drag to widen what counts as the same."""

from typing import Final

from PySide6.QtCore import QPointF
from PySide6.QtGui import QColor, QImage, QPainter, QPen

from peel.desk.display.overlay import overlay_image
from peel.desk.mark.finding_tool import FindingTool
from peel.desk.tools.tool import Amount, Choice, Press
from peel.job.edits.marking import Zone
from peel.work.marking.finding import AlikePick, Finder

__all__ = ["AlikeTool"]

_PER_PX: Final = 0.12  # tolerance gained by each pixel of the screen that is dragged
_LEAST: Final = 1.0
_MOST: Final = 120.0


class AlikeTool(FindingTool):
    """Marks what has the same colour as the spot that is pressed."""

    name = "Alike"
    key_name = "A"

    def __init__(self) -> None:
        super().__init__()
        self.target = Choice(
            "target",
            ("Subject", "Backdrop"),
            "What the picked colours are taken for. The right button: the other",
            "T",
        )
        self.extent = Choice(
            "extent",
            ("Connected", "Everywhere"),
            "Connected: only what hangs together with the spot. Everywhere: in all of the photo",
            "V",
        )
        self.rim = Choice("rim", ("Sharp rim", "Soft rim"), "Soft: colours up to half as far again become unsure", "R")
        self.choices = [self.target, self.extent, self.rim]
        self.amount = self._tolerance = Amount(
            "tolerance", 10.0, _LEAST, _MOST, "How far a colour may differ (CIE Lab)"
        )
        self._points: tuple[tuple[float, float], ...] = ()
        self._from: Press | None = None
        self._began = 10.0
        self._at: QPointF | None = None

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        side = "backdrop" if (self.target.chosen == 1) != reverse else "subject"
        return (
            f"Press on a colour: what is alike becomes {side} · drag right to widen, left to narrow · "
            "Shift adds a colour"
        )

    @property
    def tolerance(self) -> float:
        """How far a colour may differ from the one that was pressed."""
        return self._tolerance.value

    def _zone(self, press: Press) -> Zone:
        return Zone.BACKDROP if (self.target.chosen == 1) != press.reverse else Zone.SUBJECT

    def press(self, press: Press) -> None:
        """Pick a colour."""
        if self.finder is None:
            return
        self._points = (*self._points, press.xy) if press.straight else (press.xy,)
        self._from, self._began, self._at = press, self.tolerance, press.widget_point
        self._begin()
        self._show(press)

    def move(self, press: Press) -> None:
        """Widen or narrow what counts."""
        self._at = press.widget_point
        if self._from is not None:
            self._tolerance.value = min(max(self._began + _PER_PX * self._dragged(press), _LEAST), _MOST)
            self._show(press)
        self.redraw()

    def _dragged(self, press: Press) -> float:
        assert self._from is not None
        away = press.widget_point - self._from.widget_point
        return float(away.x())

    def _pick(self) -> AlikePick:
        return AlikePick(self._points, self.tolerance, self.extent.chosen == 0, self.rim.chosen == 1)

    def _show(self, press: Press) -> None:
        finder, pick = self.finder, self._pick()
        colour = self._hue(taken=self._zone(press) is Zone.BACKDROP)
        if finder is not None:
            self._look(lambda: _shown(finder, pick, colour))

    def release(self, press: Press) -> None:
        """Mark what is alike."""
        finder, pick, zone = self.finder, self._pick(), self._zone(self._from or press)
        if self._from is None or finder is None:
            return
        self._from = None
        if self.host is not None:
            self.host.announce_ways()  # the shelf shows the tolerance that was dragged
        self._end(f"Alike: {zone.name.lower()}", lambda job: finder.mark_alike(job, pick, zone))

    def leave(self) -> None:
        """Hide what is written at the cursor."""
        self._at = None
        self.redraw()

    def put_down(self) -> None:
        """Forget the picked spots."""
        self._points, self._from = (), None
        super().put_down()

    def paint(self, painter: QPainter) -> None:
        """Paint what is alike, the picked spots, and how much it is."""
        self._paint_found(painter)
        if self.host is None or self._from is None:
            return
        for point in self._points:
            spot = self.host.frame.to_widget(QPointF(*point))
            for colour, width in ((QColor(0, 0, 0), 3.4), (QColor(255, 255, 255), 1.6)):
                painter.setPen(QPen(colour, width))
                painter.drawLine(spot - QPointF(6, 6), spot + QPointF(6, 6))
                painter.drawLine(spot - QPointF(6, -6), spot + QPointF(6, -6))
        if self._at is not None:
            self._paint_words(painter, self._at)


def _shown(finder: Finder, pick: AlikePick, colour: QColor) -> tuple[QImage, str]:
    region = finder.alike_shown(pick)
    share = float(region.mean())
    words = f"{share * 100:.1f} % of the photo · tolerance {pick.tolerance:.0f}"
    if share < 0.0005:
        words += " · hardly anything"
    elif share > 0.9:
        words += " · nearly everything"
    return overlay_image((region, colour)), words
