"""Contour: clicks for straight runs, drags for freehand, pulls for curves, in one line that stays editable."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import ClassVar, Final

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QKeyEvent, QPainter

from peel.desk.asking import task
from peel.desk.mark.contour_paint import paint_dotted, paint_handles, paint_points, paint_run, paint_shape
from peel.desk.mark.contour_shape import ContourShape, shape_of
from peel.desk.tools.tool import Choice, Press, Tool
from peel.job.edits import contours
from peel.job.settings import Contour, Node, Point
from peel.work.marking.drawing import close_along, found_within_outline, freehand, set_point
from peel.work.marking.tracing import Tracer

__all__ = ["ContourTool"]

_TRACE = task("trace", "The line along the edge could not be found.")

_GRAB_PX: Final = 9.0
_ON_LINE_PX: Final = 6.0
_CLICK_PX: Final = 9.0  # screen pixels; a hand that moves less than this while pressing has clicked

Runs = NDArray[np.float64]


@dataclass
class _Hold:
    """What a press took hold of, and how the contour would look if it were let go now."""

    contour: int
    node: int
    part: str  # "point", "back", "out", "stretch"
    t: float
    from_at: QPointF
    moved: bool = False
    preview: Contour | None = None


class ContourTool(Tool):
    """Draws an outline around the subject, or around a hole in it."""

    name = "Contour"
    key_name = "C"
    key_hints: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Enter", "close the contour"),
        ("Backspace", "take back a point"),
        ("Escape", "leave the contour"),
        ("Delete", "remove a point; with Shift the contour"),
        ("Q", "turn a point smooth or sharp"),
    )

    def __init__(self) -> None:
        super().__init__()
        self.line = Choice("line", ("Straight", "Follow the edge"),
                           "Follow the edge: the line keeps to the photo's strongest edge", "F")  # fmt: skip
        self.stretch = Choice("stretch", ("Loose", "Exact"),
                              "Exact: a hard edge, a band of a few pixels. Ctrl: the other", "O")  # fmt: skip
        self.inside = Choice(
            "inside",
            ("All subject", "Only a limit"),
            "Only a limit: all outside is backdrop, and Peel finds the subject within. Sweep either side to steer it",
            "R",
        )
        self.choices = [self.line, self.stretch, self.inside]
        self.selected: tuple[int, int] | None = None
        self._down: Press | None = None
        self._run: list[Point] = []
        self._farthest = 0.0
        self._hold: _Hold | None = None
        self._at: Press | None = None
        self._began = False
        self._tracer: Tracer | None = None
        self._traced: tuple[Point, Point, Runs] | None = None

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        drawing = self._open()
        if drawing is not None:
            to = "along the edge" if self._follows else "straight"
            return (
                f"Click on, {to} · drag freehand · drag the last point for a curve · Backspace takes back · "
                "Enter or the first point closes · Escape leaves"
            )
        if reverse:
            return "Contour begins a hole in the subject."
        return "Contour goes around the subject · the right button around a hole · drag points and lines to change them"

    # what there is

    @property
    def _follows(self) -> bool:
        return self.line.chosen == 1

    def _contours(self) -> tuple[Contour, ...]:
        return self.job.settings.photo.contours if self.job is not None else ()

    def _open(self) -> Contour | None:
        return contours.open_contour(self.job) if self.job is not None else None

    def _widget(self, point: Point) -> QPointF:
        assert self.host is not None
        return self.host.frame.to_widget(QPointF(*point))

    @property
    def _scale(self) -> float:
        return self.host.frame.scale if self.host is not None else 1.0

    def _is_exact(self, press: Press) -> bool:
        return (self.stretch.chosen == 1) != press.alternate

    # the hand

    def press(self, press: Press) -> None:
        """Take hold of a point, a handle or a line, or begin a run."""
        self._at = press
        self._hold = self._touched(press)
        if self._hold is None:
            self._down, self._run, self._farthest = press, [press.xy], 0.0
        self.redraw()

    def _touched(self, press: Press) -> _Hold | None:
        """Find what a press takes hold of: of the contour that is being drawn, or else of any."""
        drawing = self._open() is not None
        if press.reverse and not drawing:
            return None  # a hole begins here, whatever else lies here
        handle = self._handle_near(press)
        if handle is not None:
            return handle
        last = len(self._contours()) - 1
        numbers = [last] if drawing else list(range(last, -1, -1))
        for number in numbers:
            shape = shape_of(self._contours()[number])
            node = shape.nearest_node(press.xy, _GRAB_PX / self._scale)
            if node is not None:
                pulls = drawing and node == len(shape.points) - 1
                return _Hold(number, node, "out" if pulls else "point", 0.0, press.widget_point)
        for number in () if drawing else numbers:
            found = shape_of(self._contours()[number]).nearest_stretch(press.xy, _ON_LINE_PX / self._scale)
            if found is not None:
                return _Hold(number, found[0], "stretch", found[1], press.widget_point)
        return None

    def _handle_near(self, press: Press) -> _Hold | None:
        selected = self._selected_node()
        if selected is None:
            return None
        contour, index, node = selected
        for part in ("back", "out"):
            handle = getattr(node, part)
            if handle == (0.0, 0.0):
                continue
            point = self._widget((node.at[0] + handle[0], node.at[1] + handle[1]))
            if (point - press.widget_point).manhattanLength() < _GRAB_PX:
                return _Hold(contour, index, part, 0.0, press.widget_point)
        return None

    def selected_node(self) -> Node | None:
        """Return the selected point."""
        found = self._selected_node()
        return found[2] if found is not None else None

    def close_line(self) -> None:
        """Close the contour that is being drawn."""
        self._close(None)

    def _selected_node(self) -> tuple[int, int, Node] | None:
        if self.selected is None:
            return None
        contour, index = self.selected
        drawn = self._contours()
        if contour >= len(drawn) or index >= len(drawn[contour].nodes):
            return None
        return contour, index, drawn[contour].nodes[index]

    def move(self, press: Press) -> None:
        """Draw freehand, change what is held, or show where the next run would go."""
        self._at = press
        if self._hold is not None:
            away = _away(press.widget_point, self._hold.from_at)
            self._hold.moved = self._hold.moved or away > _CLICK_PX
            if self._hold.moved and self._hold.contour < len(self._contours()):
                self._hold.preview = self._change_of(self._hold, press)(self._contours()[self._hold.contour])
        elif self._down is not None:
            self._farthest = max(self._farthest, _away(press.widget_point, self._down.widget_point))
            if not press.straight:
                self._run.append(press.xy)
        else:
            self._trace(press)
        self.redraw()

    def _change_of(self, hold: _Hold, press: Press) -> Callable[[Contour], Contour]:
        """Return what a hold makes of its contour."""
        node, part, t, to = hold.node, hold.part, hold.t, press.xy
        if part == "point":
            return lambda contour: contours.with_moved(contour, node, to)
        if part == "stretch":
            return lambda contour: contours.with_bend(contour, node, t, to)
        at = self._contours()[hold.contour].nodes[node].at
        pull = _kept_straight(at, to) if press.straight else to
        handle = (pull[0] - at[0], pull[1] - at[1])
        if self._open() is not None:
            return lambda contour: contours.with_curve(contour, node, handle)
        return lambda contour: contours.with_handle(contour, node, part, handle)

    def release(self, press: Press) -> None:
        """Set the point or the run, or make the change."""
        hold, self._hold = self._hold, None
        if hold is not None:
            self._let_go(hold, press)
        elif self._down is not None:
            self._set_run(press)
        self._down, self._run = None, []
        self.redraw()

    def _let_go(self, hold: _Hold, press: Press) -> None:
        drawing = self._open()
        if hold.moved:
            label = {"point": "Move a point", "stretch": "Bend the line"}.get(hold.part, "Pull a curve")
            self._change(label, hold.contour, self._change_of(hold, press))
        elif drawing is not None and hold.contour == len(self._contours()) - 1 and hold.node == 0:
            self._close(press)
        elif hold.part == "stretch":
            self._change("Insert a point", hold.contour, lambda old: contours.with_point(old, hold.node, hold.t))
            self.selected = (hold.contour, hold.node if hold.node else len(self._contours()[hold.contour].nodes))
        else:
            self.selected = (hold.contour, hold.node)
            if self.host is not None:
                self.host.announce_ways()

    def _set_run(self, press: Press) -> None:
        assert self._down is not None
        self._began, self.selected = True, None
        hole, exact, reach = self._down.reverse, self._is_exact(press), _GRAB_PX / self._scale
        if self._farthest > _CLICK_PX and len(self._run) > 2:
            run, tolerance = list(self._run), max(1.5 / self._scale, 0.75)
            self.apply("Draw freehand", lambda job: freehand(job, run, tolerance, exact, hole))
            return
        to = self._down.xy
        drawing = self._open()
        if drawing is not None and press.straight:
            to = _kept_straight(drawing.nodes[-1].at, to)
        tracer = self._tracer if self._follows else None
        self.apply("Set a point", lambda job: set_point(job, to, reach, exact, hole, tracer))

    def _change(self, label: str, number: int, change: Callable[[Contour], Contour]) -> None:
        self.apply(label, lambda job: contours.change_contour(job, number, change))

    def _close(self, press: Press | None) -> None:
        exact = self._is_exact(press) if press is not None else self.stretch.chosen == 1
        tracer = self._tracer if self._follows else None
        self._began = False
        session = self.host.session if self.host is not None else None
        if self.inside.chosen == 1 and session is not None:
            finder = session.finder
            self.apply("Find within the outline", lambda job: found_within_outline(job, finder))
            return
        self.apply("Close the contour", lambda job: close_along(job, exact, tracer))

    def key(self, event: QKeyEvent) -> bool:
        """Enter closes, Backspace takes back, Escape leaves, Delete removes, Q turns a point smooth or sharp."""
        key = event.key()
        # points just set may not have arrived in the job yet; what a key does to them is settled when they have
        drawing = self._open() is not None or (self._began and self.selected is None)
        if key in {Qt.Key.Key_Return, Qt.Key.Key_Enter} and drawing:
            self._close(None)
        elif key == Qt.Key.Key_Backspace and drawing:
            self.apply("Take back a point", contours.take_back_node)
        elif key == Qt.Key.Key_Escape and (drawing or self.selected is not None):
            if drawing:
                self._began = False
                self.apply("Leave the contour", contours.leave_contour)
            self.selected = None
            self.redraw()
        elif key == Qt.Key.Key_Delete and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            return self.remove_contour()
        elif key in {Qt.Key.Key_Delete, Qt.Key.Key_Backspace}:
            return self.remove_selected()
        elif event.text().upper() == "Q" and not event.modifiers():
            return self.turn_selected()
        else:
            return super().key(event)
        return True

    def remove_selected(self) -> bool:
        """Remove the selected point, or the one under the cursor."""
        spot = self._spot()
        if spot is not None:
            self._change("Remove a point", spot[0], lambda old: contours.without_point(old, spot[1]))
            self.selected = None
        return spot is not None

    def remove_contour(self) -> bool:
        """Remove the contour of the selected point, or of the one under the cursor."""
        spot = self._spot()
        if spot is not None:
            self.apply("Remove a contour", lambda job: contours.remove_contour(job, spot[0]))
            self.selected = None
        return spot is not None

    def turn_selected(self) -> bool:
        """Make the selected point, or the one under the cursor, smooth if it is sharp, and sharp if it is smooth."""
        spot = self._spot()
        if spot is not None:
            smooth = not self._contours()[spot[0]].nodes[spot[1]].smooth
            label = "Smooth point" if smooth else "Sharp point"
            self._change(label, spot[0], lambda old: contours.with_smooth(old, spot[1], smooth))
        return spot is not None

    def turn_stretch(self) -> bool:
        """Make the stretch that leads to the selected point exact if it is loose, and loose if it is exact."""
        spot = self._spot()
        if spot is not None:
            exact = not self._contours()[spot[0]].nodes[spot[1]].exact
            label = "Exact stretch" if exact else "Loose stretch"
            self._change(label, spot[0], lambda old: contours.with_trust(old, spot[1], 1.0 if exact else None))
        return spot is not None

    def trust_selected(self, trust: float | None, *, whole: bool) -> bool:
        """Set the trust in the stretch that leads to the selected point, or in its whole contour."""
        spot = self._spot()
        if spot is not None:
            node = None if whole else spot[1]
            self._change("Trust", spot[0], lambda old: contours.with_trust(old, node, trust))
        return spot is not None

    def _spot(self) -> tuple[int, int] | None:
        """Return contour and number of the selected point, or of the one under the cursor."""
        found = self._selected_node()
        if found is not None:
            return found[:2]
        near = self._touched(self._at) if self._at is not None else None
        return (near.contour, near.node) if near is not None and near.part == "point" else None

    # following the edge

    def take_up(self) -> None:
        """Get ready to follow the photo's edges."""
        session = self.host.session if self.host is not None else None
        self._tracer = Tracer(session.stages.pyramid) if session is not None else None

    def _trace(self, press: Press) -> None:
        """Look for the path to the cursor on a worker."""
        drawing, tracer = self._open(), self._tracer
        if not self._follows or drawing is None or tracer is None or self.host is None:
            return
        anchor, to = drawing.nodes[-1].at, press.xy
        self.host.ask(_TRACE, lambda: tracer.path(anchor, to), partial(self._on_traced, anchor, to))

    def _on_traced(self, anchor: Point, to: Point, line: Runs) -> None:
        self._traced = (anchor, to, line)
        self.redraw()

    def leave(self) -> None:
        """Hide the line to the cursor."""
        self._at = None
        self.redraw()

    def put_down(self) -> None:
        """Forget a run that was not finished."""
        self._down, self._run, self._hold, self._traced, self.selected = None, [], None, None, None
        self._began = False

    # painting

    def paint(self, painter: QPainter) -> None:
        """Paint every contour, the run under way, and the points."""
        if self.host is None or self.job is None:
            return
        frame, band = self.host.frame, self.job.settings.recipe.band
        for number, contour in enumerate(self._contours()):
            hold = self._hold
            held = hold is not None and hold.contour == number and hold.preview is not None
            shape = ContourShape(hold.preview) if held else shape_of(contour)  # type: ignore[arg-type, union-attr]
            paint_shape(painter, shape, frame, band)
            paint_points(painter, shape, frame, self._at.widget_point if self._at is not None else None)
        self._paint_selected(painter)
        if self._run:
            paint_run(painter, [self._widget(point) for point in self._run])
        elif self._down is None and self._hold is None:
            self._paint_next(painter)

    def _paint_next(self, painter: QPainter) -> None:
        """Paint where a click would lead."""
        drawing, at = self._open(), self._at
        if drawing is None or not drawing.nodes or at is None:
            return
        last, to = drawing.nodes[-1].at, at.xy
        if self._follows and self._traced is not None and self._traced[0] == last:
            paint_run(painter, [self._widget((float(x), float(y))) for x, y in self._traced[2]])
            return
        if at.straight:
            to = _kept_straight(last, to)
        paint_dotted(painter, self._widget(last), self._widget(to))

    def _paint_selected(self, painter: QPainter) -> None:
        """Paint the selected point and its handles, as they would be if what is held were let go."""
        found, hold = self._selected_node(), self._hold
        if found is None or self.host is None:
            return
        contour, index, node = found
        preview = hold.preview if hold is not None and hold.contour == contour else None
        if preview is not None and index < len(preview.nodes):
            node = preview.nodes[index]
        paint_handles(painter, node, self.host.frame)


def _kept_straight(start: Point, to: Point) -> Point:
    """Keep a run to directions 15 degrees apart."""
    dx, dy = to[0] - start[0], to[1] - start[1]
    step = math.radians(15)
    turn = round(math.atan2(dy, dx) / step) * step
    length = dx * math.cos(turn) + dy * math.sin(turn)
    return start[0] + length * math.cos(turn), start[1] + length * math.sin(turn)


def _away(one: QPointF, other: QPointF) -> float:
    return math.hypot(one.x() - other.x(), one.y() - other.y())
