"""Place: choose cutouts on the picture, and move, scale, turn, skew and pull them by handles, several together."""

from collections.abc import Callable
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QPointF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPen, QPolygonF

from peel.desk.backing.handles import Grip, grip_at, grip_places, snapped_move, taken
from peel.desk.tools.tool import Press, Tool
from peel.job.job import Job
from peel.job.placing.cutouts import corners_of, drop_cutouts, map_cutouts, matrix_of, moving, put_cutouts, size_of
from peel.job.placing.sheet import sheet_of, subject_box
from peel.job.settings import is_placeable
from peel.matte.composite.homography import mapped
from peel.work.arranging.picking import cutouts_at

__all__ = ["PlaceTool"]

_INK: Final = QColor(255, 255, 255)
_RIM: Final = QColor(0, 0, 0, 150)
_REACH_PX: Final = 3  # widget pixels beside a cutout that still hit it
_GUIDE: Final = QColor(255, 0, 160)
_ARROWS: Final = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


class _News(QObject):
    chosen_changed = Signal(object)
    pointed_changed = Signal(object)


class PlaceTool(Tool):
    """Arranges cutouts.

    Attributes
    ----------
    chosen : tuple of int
        The numbers of the cutouts that are changed together.

    Signals
    -------
    chosen_changed : (tuple of int,)
    pointed_changed : (int or None,)
        The number of the foremost cutout under the cursor.
    """

    name = "Place"
    key_name = "F9"
    reverses = False
    cursor = Qt.CursorShape.ArrowCursor
    key_hints = (("Delete, with Place", "take the chosen cutouts off the sheet"),)

    def __init__(self) -> None:
        super().__init__()
        self._news = _News()
        self.chosen_changed, self.pointed_changed = self._news.chosen_changed, self._news.pointed_changed
        self.chosen: tuple[int, ...] = ()
        self._grip: Grip | None = None
        self._start: tuple[float, float] = (0.0, 0.0)
        self._quad: NDArray[Any] | None = None
        self._places: dict[int, NDArray[Any]] = {}
        self._guides: tuple[float | None, float | None] = (None, None)
        self._moved = False
        self._pointed: int | None = None
        self._deeper: int | None = None  # what a press that does not move chooses

    def sentence(self, *, reverse: bool = False) -> str:
        """Say what a press will do."""
        del reverse
        if not self.chosen:
            return "Press a cutout to choose it, again for the one beneath it, Shift for one more; then drag it"
        return (
            "Drag to move · corners scale, Shift freely · sides stretch · the knob turns · Ctrl leans and pulls corners"
        )

    def choose(self, numbers: tuple[int, ...]) -> None:
        """Choose other cutouts."""
        if numbers != self.chosen:
            self.chosen = numbers
            self._news.chosen_changed.emit(numbers)
            self.redraw()

    # where they are

    def _known(self, job: Job) -> tuple[int, ...]:
        """Return those chosen that are there."""
        count = len(job.settings.photo.cutouts)
        return tuple(number for number in self.chosen if number < count)

    def _box(self, job: Job, number: int) -> NDArray[Any]:
        """Return the corners of what is seen of a cutout, (4, 2) in photo pixels."""
        cutout = job.settings.photo.cutouts[number]
        if cutout.source == "subject":
            top, left, bottom, right = subject_box(job)
        else:
            bottom, right = size_of(job, cutout) or (1, 1)
            top, left = 0, 0
        return mapped(matrix_of(job, cutout), [(left, top), (right, top), (right, bottom), (left, bottom)])

    def around(self, job: Job) -> NDArray[Any] | None:
        """Return the corners of the box around all that is chosen, (4, 2)."""
        chosen = self._known(job)
        if not chosen:
            return None
        if len(chosen) == 1:
            return self._box(job, chosen[0])
        points = np.concatenate([self._box(job, number) for number in chosen])
        (left, top), (right, bottom) = points.min(axis=0), points.max(axis=0)
        return np.array([(left, top), (right, top), (right, bottom), (left, bottom)])

    def _pile(self, job: Job, at: tuple[float, float]) -> tuple[int, ...]:
        """Return the cutouts that are seen under a point, the foremost first."""
        host = self.host
        if host is None or host.session is None:
            return ()
        return cutouts_at(job, host.session.stages, at, _REACH_PX / host.frame.scale)

    # the hand

    def press(self, press: Press) -> None:
        """Take hold of a handle or a cutout; elsewhere, choose nothing."""
        job, host = self.job, self.host
        if job is None or host is None:
            return
        quad = self.around(job)
        grip = None if quad is None else grip_at(quad, press.xy, host.frame.scale)
        if grip is None:
            grip = self._chosen_by_press(job, self._pile(job, press.xy), more=press.straight)
        self._grip, self._start, self._moved = grip, press.xy, False
        self._quad = self.around(job)
        cutouts = job.settings.photo.cutouts
        self._places = {number: np.array(corners_of(job, cutouts[number])) for number in self._known(job)}
        self.redraw()

    def _chosen_by_press(self, job: Job, pile: tuple[int, ...], *, more: bool) -> Grip | None:
        """Choose the foremost of a pile; what is chosen stays so for a drag, and if none follows, one beneath it is."""
        self._deeper = None
        if not pile:
            if not more:
                self.choose(())
            return None
        found = pile[0]
        held = [number for number in pile if number in self.chosen]
        if more:
            kept = [number for number in self._known(job) if number != found]
            self.choose(tuple(sorted(kept if found in self.chosen else [*kept, found])))
        elif not held:
            self.choose((found,))
        elif len(self.chosen) == 1:
            self._deeper = pile[(pile.index(held[0]) + 1) % len(pile)]
        return Grip("move")

    def move(self, press: Press) -> None:
        """Drag; the picture follows. Without a press, tell what is under the cursor."""
        if self._grip is not None:
            self._drag(press, ends=False)
        elif self.job is not None:
            self._point_at(next(iter(self._pile(self.job, press.xy)), None))

    def leave(self) -> None:
        """Point at nothing."""
        self._point_at(None)

    def _point_at(self, number: int | None) -> None:
        if number != self._pointed:
            self._pointed = number
            self.pointed_changed.emit(number)

    def release(self, press: Press) -> None:
        """Let go; a press that did not move changes nothing."""
        if self._moved:
            self._drag(press, ends=True)
        elif self._deeper is not None:
            self.choose((self._deeper,))
        self._deeper = None
        self._grip, self._guides = None, (None, None)
        self.redraw()

    def put_down(self) -> None:
        """Forget a drag."""
        self._grip, self._guides = None, (None, None)

    def _drag(self, press: Press, *, ends: bool) -> None:
        job, host = self.job, self.host
        if self._grip is None or self._quad is None or job is None or host is None or host.session is None:
            return
        if (
            not self._moved
            and np.hypot(press.xy[0] - self._start[0], press.xy[1] - self._start[1]) * host.frame.scale < 3
        ):
            return
        self._moved = True
        way = self._way(press, job, 8 / host.frame.scale)
        places = {number: mapped(way, points) for number, points in self._places.items()}
        if not all(is_placeable(tuple((float(x), float(y)) for x, y in points)) for points in places.values()):  # type: ignore[arg-type]
            return  # as far as it goes
        host.session.apply("Place", lambda now: put_cutouts(now, places), gesture=("place", *places), ends=ends)
        self.redraw()

    def _way(self, press: Press, job: Job, reach: float) -> NDArray[Any]:
        """Return the homography that a drag asks for."""
        assert self._grip is not None
        assert self._quad is not None
        if self._grip.kind != "move":
            return taken(self._quad, self._grip, self._start, press)
        by = np.array(press.xy) - self._start
        if press.alternate:
            self._guides = (None, None)
            return moving(*by)
        by, self._guides = snapped_move(self._quad, by, _lines(job), reach)
        return moving(*by)

    def key(self, event: QKeyEvent) -> bool:
        """Nudge by the arrow keys, take off by Delete."""
        job = self.job
        chosen = self._known(job) if job is not None else ()
        way = _ARROWS.get(Qt.Key(event.key()))
        if not chosen or (way is None and event.key() != Qt.Key.Key_Delete):
            return super().key(event)
        if way is None:
            self.choose(())
            self.apply("Remove from the sheet", lambda job: drop_cutouts(job, chosen))
            return True
        step = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        edit: Callable[[Job], Job] = lambda job: map_cutouts(job, chosen, moving(way[0] * step, way[1] * step))  # noqa: E731
        self.apply("Nudge a cutout", edit)
        return True

    def paint(self, painter: QPainter) -> None:
        """Paint the box around what is chosen, its handles, and the lines it snaps to."""
        job, host = self.job, self.host
        quad = self.around(job) if job is not None else None
        if quad is None or host is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_guides(painter)
        shown = QPolygonF([host.frame.to_widget(QPointF(*point)) for point in quad])
        grips = {name: host.frame.to_widget(QPointF(*at)) for name, at in grip_places(quad, host.frame.scale).items()}
        for colour, width in ((_RIM, 3.0), (_INK, 1.4)):
            painter.setPen(QPen(colour, width))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolygon(shown)
            painter.drawLine((shown.at(0) + shown.at(1)) / 2, grips["turn"])
        painter.setPen(QPen(_RIM, 1.2))
        painter.setBrush(_INK)
        for name, at in grips.items():
            if name.startswith("side") or name == "turn":
                painter.drawEllipse(at, 4.5, 4.5)
            else:
                painter.drawRect(round(at.x()) - 5, round(at.y()) - 5, 10, 10)

    def _paint_guides(self, painter: QPainter) -> None:
        host = self.host
        if host is None:
            return
        painter.setPen(QPen(_GUIDE, 1.0, Qt.PenStyle.DashLine))
        size, (across, down) = host.size(), self._guides
        if across is not None:
            x = host.frame.to_widget(QPointF(across, 0)).x()
            painter.drawLine(QPointF(x, 0), QPointF(x, size.height()))
        if down is not None:
            y = host.frame.to_widget(QPointF(0, down)).y()
            painter.drawLine(QPointF(0, y), QPointF(size.width(), y))


def _lines(job: Job) -> tuple[list[float], list[float]]:
    """Return what cutouts snap to: the sheet's middle and margins, the photo's frame, and the ground line."""
    sheet = sheet_of(job)
    left, top = sheet.to_photo(0, 0)
    width, height = sheet.space.width, sheet.space.height
    across = [left, left + width / 2, left + width, 0.0, float(job.photo.width)]
    down = [top, top + height / 2, top + height, 0.0, float(job.photo.height)]
    ground = job.settings.photo.ground
    down.append(float(subject_box(job)[2]) if ground is None else (ground[0][1] + ground[1][1]) / 2)
    return across, down
