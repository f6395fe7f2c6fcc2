"""The brushes: marking the subject, widening the band, setting zones."""

import math
from collections.abc import Callable

from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen

from peel.desk.tools.fill import chosen_zone, zone_choice
from peel.desk.tools.tool import Choice, Press, Tool
from peel.job.edits.marking import Stroke, Zone, narrow_band, paint_kind, paint_mark, paint_trust, paint_zone
from peel.job.job import Job
from peel.matte.edge.kind import Kind

__all__ = ["BandBrush", "Brush", "KindBrush", "MarkBrush", "TrustBrush", "ZoneBrush", "paint_ring"]

_FAR_WIDTHS = 2.0  # brush widths from a stroke, and so many photo pixels more, beyond which a change is far from it
_FAR_PX = 24.0

_INKS = {
    Zone.SUBJECT: QColor(40, 150, 90, 110),
    Zone.BACKDROP: QColor(40, 60, 90, 120),
    Zone.UNSURE: QColor(236, 180, 20, 130),
}


def paint_ring(painter: QPainter, at: QPointF, radius: float) -> None:
    """Paint a brush's rim, in widget pixels: white within dark, so that it shows on any photo."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for colour, width in ((QColor(0, 0, 0, 170), 3.0), (QColor(255, 255, 255), 1.2)):
        painter.setPen(QPen(colour, width))
        painter.drawEllipse(at, radius, radius)


class Brush(Tool):
    """A round brush; a stroke is shown while it is drawn and is one edit when it ends."""

    sized = True
    cursor = Qt.CursorShape.BlankCursor
    acts_locally = False
    """Whether what it changes far from the stroke is worth telling."""

    def __init__(self) -> None:
        super().__init__()
        self._points: list[tuple[float, float]] = []
        self._pressures: list[float] = []
        self._last: tuple[float, float] | None = None
        self._at: QPointF | None = None
        self._reverse = False
        self._overlay: QImage | None = None
        self._frame_key: object = None
        self._watches = False

    def _ink(self, reverse: bool) -> QColor:
        raise NotImplementedError

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        raise NotImplementedError

    @property
    def is_drawing(self) -> bool:
        """Whether a stroke is under way."""
        return bool(self._points)

    def press(self, press: Press) -> None:
        """Begin a stroke; with Shift, a straight one from where the last ended."""
        self._reverse = press.reverse
        self._clear_overlay()
        start = [self._last] if press.straight and self._last is not None else []
        self._points = [*start, press.xy]
        self._pressures = [press.pressure] * len(self._points)
        self._ink_between(self._points[0], press.xy)
        self._follow(press)

    def move(self, press: Press) -> None:
        """Draw on, or only follow the cursor."""
        if self._points:
            self._ink_between(self._points[-1], press.xy)
            self._points.append(press.xy)
            self._pressures.append(press.pressure)
        else:
            self._reverse = press.reverse
        self._follow(press)

    def release(self, press: Press) -> None:
        """End the stroke and make the edit."""
        if not self._points:
            return
        host = self.host
        sizes = tuple(self._pressures) if host is not None and host.brush_shape.pen_sizes else ()
        if all(size == 1 for size in sizes):
            sizes = ()
        stroke = Stroke(tuple(self._points), (host.brush_px if host is not None else 1.0) / 2, sizes)
        self._last = self._points[-1]
        self._points = []
        if host is not None:
            label, edit = self._edit(stroke, self._reverse)
            if not self._watches:
                host.when_settled(self._clear_overlay)
                self._watches = True
            if self.acts_locally:
                host.announce_stroke(stroke.points, _FAR_WIDTHS * 2 * stroke.radius_px + _FAR_PX)
            self.apply(label, edit)
        self._reverse = press.reverse

    def leave(self) -> None:
        """Hide the ring."""
        self._follow(None)

    def put_down(self) -> None:
        """Forget the overlay."""
        self._points = []
        self._clear_overlay()

    def paint(self, painter: QPainter) -> None:
        """Paint the stroke under way and the ring."""
        host = self.host
        if host is None:
            return
        if self._overlay is not None and self._frame_key == self._key():
            painter.drawImage(0, 0, self._overlay)
        if self._at is not None:
            radius = self._radius()
            paint_ring(painter, self._at, radius)
            painter.setPen(QPen(QColor(255, 255, 255), 1.6))
            painter.drawLine(self._at - QPointF(4, 0), self._at + QPointF(4, 0))
            if not self._reverse:
                painter.drawLine(self._at - QPointF(0, 4), self._at + QPointF(0, 4))

    def _radius(self) -> float:
        host = self.host
        return max(host.brush_px / 2 * host.frame.scale, 1.0) if host is not None else 1.0

    def _key(self) -> object:
        host = self.host
        if host is None:
            return None
        origin = host.frame.origin
        return (host.frame.scale, origin.x(), origin.y(), host.size())

    def _ink_between(self, start: tuple[float, float], end: tuple[float, float]) -> None:
        """Add a piece of stroke to the overlay; only that piece is repainted."""
        host = self.host
        if host is None:
            return
        if self._overlay is None or self._frame_key != self._key():
            ratio = host.devicePixelRatioF()
            size = host.size() * ratio
            self._overlay = QImage(size, QImage.Format.Format_ARGB32_Premultiplied)
            self._overlay.setDevicePixelRatio(ratio)
            self._overlay.fill(Qt.GlobalColor.transparent)
            self._frame_key = self._key()
        a, b = host.frame.to_widget(QPointF(*start)), host.frame.to_widget(QPointF(*end))
        radius = self._radius()
        painter = QPainter(self._overlay)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, radius < 40)
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Source)
        pen = QPen(self._ink(self._reverse), 2 * radius, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap)
        painter.setPen(pen)
        if a == b:
            painter.drawPoint(a)
        else:
            painter.drawLine(a, b)
        painter.end()
        reach = radius + 3
        dirty = QRectF(a, b).normalized().adjusted(-reach, -reach, reach, reach)
        host.redraw(dirty.toAlignedRect())

    def _clear_overlay(self) -> None:
        if self._points:
            return
        self._overlay = None
        if self.host is not None:
            self.host.redraw()

    def _follow(self, press: Press | None) -> None:
        host = self.host
        if host is None:
            return
        reach = math.ceil(self._radius()) + 4
        for point in (self._at, press.widget_point if press else None):
            if point is not None:
                host.redraw(QRect(int(point.x()) - reach, int(point.y()) - reach, 2 * reach + 1, 2 * reach + 1))
        self._at = press.widget_point if press else None


class MarkBrush(Brush):
    """Marks a zone by brushing over it; the band follows the boundary of the subject."""

    name = "Brush"
    acts_locally = True
    key_name = "B"

    def __init__(self) -> None:
        super().__init__()
        self.zone = zone_choice()
        self.choices = [self.zone]

    def _target(self, reverse: bool) -> Zone:
        return chosen_zone(self.zone, reverse=reverse)

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if self._target(False) is Zone.UNSURE:
            return (
                "Brush narrows the band: what was made unsure, then what was laid."
                if reverse
                else "Brush makes unsure what it touches · the right button gives it back"
            )
        if self._target(reverse) is Zone.BACKDROP:
            return "Brush takes away from the subject; the band follows."
        return "Brush adds to the subject · the right button takes away · Shift goes straight on from the last stroke"

    def _ink(self, reverse: bool) -> QColor:
        return _INKS[self._target(reverse)]

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        if self._target(False) is Zone.UNSURE:
            return _band_edit(stroke, reverse)
        subject = self._target(reverse) is Zone.SUBJECT
        label = "Brush the subject" if subject else "Brush off the subject"
        return label, lambda job: paint_mark(job, stroke, subject=subject)


class BandBrush(Brush):
    """Widens the unsure band where strands reach further, or gives it back."""

    name = "Band"
    key_name = "E"
    acts_locally = True

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if reverse:
            return "Band narrows: gives back what was widened, and makes certain what was laid; the matte follows."
        return "Band makes unsure what it touches · the right button narrows it · the matte follows"

    def _ink(self, reverse: bool) -> QColor:
        return _INKS[Zone.BACKDROP if reverse else Zone.UNSURE]

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        return _band_edit(stroke, reverse)


class ZoneBrush(Brush):
    """Says for certain what is subject and what is backdrop."""

    name = "Certain"
    key_name = "D"
    acts_locally = True

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if reverse:
            return "Certain makes all it touches backdrop; the matte follows."
        return "Certain makes all it touches subject · the right button backdrop · the matte follows"

    def _ink(self, reverse: bool) -> QColor:
        return _INKS[Zone.BACKDROP if reverse else Zone.SUBJECT]

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        zone = Zone.BACKDROP if reverse else Zone.SUBJECT
        return f"Certain {zone.name.lower()}", lambda job: paint_zone(job, stroke, zone)


class KindBrush(Brush):
    """Says of what kind an edge is, where Peel takes it for another."""

    name = "Kind"
    key_name = "X"

    def __init__(self) -> None:
        super().__init__()
        labels = tuple(kind.name.capitalize() for kind in Kind)
        self.kind = Choice("kind", labels, "Which kind of edge is brushed: each brings its own band and solve", "O")
        self.choices = [self.kind]

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if reverse:
            return "Kind leaves the edge it touches to Peel again; band and matte follow."
        return f"Kind makes the edge it touches {self.kind.label.lower()} · the right button leaves it to Peel again"

    def _ink(self, reverse: bool) -> QColor:
        return _INKS[Zone.UNSURE if reverse else Zone.SUBJECT]

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        kind = None if reverse else list(Kind)[self.kind.chosen]
        label = "Leave the edge to Peel" if kind is None else f"{self.kind.label} edge"
        return label, lambda job: paint_kind(job, stroke, kind)


class TrustBrush(Brush):
    """Says how much a stretch of the marked boundary is trusted."""

    name = "Trust"
    key_name = "\\"

    def __init__(self) -> None:
        super().__init__()
        self.trust = Choice(
            "trust",
            ("Exact", "Rough"),
            "Exact: the boundary lies just there, a band of a few pixels. Rough: the photo decides",
            "O",
        )
        self.choices = [self.trust]

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        if reverse:
            return "Trust leaves the boundary it touches to the dial again; the band follows."
        meaning = "exact: no deeper than a few pixels" if self.trust.chosen == 0 else "rough: the photo decides"
        return f"Trust calls the boundary it touches {meaning} · the right button leaves it to the dial"

    def _ink(self, reverse: bool) -> QColor:
        return _INKS[Zone.UNSURE if reverse else Zone.SUBJECT]

    def _edit(self, stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
        trust = None if reverse else (1.0, 0.0)[self.trust.chosen]
        label = "Leave trust to the dial" if trust is None else f"{self.trust.label} boundary"
        return label, lambda job: paint_trust(job, stroke, trust)


def _band_edit(stroke: Stroke, reverse: bool) -> tuple[str, Callable[[Job], Job]]:
    if reverse:
        return "Narrow the band", lambda job: narrow_band(job, stroke)
    return "Widen the band", lambda job: paint_zone(job, stroke, Zone.UNSURE)
