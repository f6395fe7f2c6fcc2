"""Round the edge: draws the unrolled edge row by row on a worker, and leads to what is pressed on it."""

from dataclasses import replace
from functools import partial
from typing import Final

from PySide6.QtCore import QPointF, Signal
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QWidget

from peel.desk.asking import task
from peel.desk.controls.edge_strip import REACH, EdgeStrip, StripMark
from peel.desk.desk_state import DeskState
from peel.desk.display.tiles import image_from_rgb
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.steps import Step
from peel.job.edits.finishing import as_solved
from peel.job.job import Job
from peel.work.inspecting.inspector import Findings
from peel.work.inspecting.snag_specs import is_accepted
from peel.work.inspecting.unrolled import unrolled
from peel.work.views import View

__all__ = ["StripDesk"]

_ROW = task("row of the strip", "A part of the edge could not be drawn.")

_OVER: Final = (View.WHITE, View.BLACK, View.LOUD, View.PHOTO, View.FAINT, View.RESIDUE)
_UNDER: Final = ("the matte", "the step before", "the matte as it was solved")


class StripDesk(LaneDesk):
    """Shows the whole inspected edge as one strip.

    Signals
    -------
    went_to : (QPointF,)
        A place of the edge was pressed, in the photo's space.
    snag_chosen : (int,)
    """

    went_to = Signal(QPointF)
    snag_chosen = Signal(int)

    def __init__(self, desk: DeskState, canvas: QWidget) -> None:
        super().__init__(desk)
        self.strip = strip = EdgeStrip(canvas)
        self._found = Findings()
        self._asked: object = None
        strip.over.addItems([*(view.value for view in _OVER), "Backing"])
        strip.under.addItems(_UNDER)
        strip.wanted.connect(self._draw_row)
        strip.changed.connect(self._begin)
        strip.went_to.connect(self._on_place)
        strip.snag_chosen.connect(self._on_snag)
        desk.session_changed.connect(strip.hide)
        desk.step_changed.connect(self._on_step)

    def show_found(self, found: Findings) -> None:
        """Show the edge and the snags of another inspection, once the strip is shown."""
        self._found = found
        if self.strip.isVisible():
            self._begin()

    @property
    def can_show(self) -> bool:
        """Whether there is an edge to unroll."""
        return self._desk.job is not None and self._found.outline is not None and self._found.outline.length > 0

    def toggle(self) -> bool:
        """Show the strip, or the picture again; return whether there is a strip to see now."""
        if self.strip.isVisible():
            self.strip.hide()
            return False
        if not self.can_show:
            self._desk.say("There is no edge to unroll yet.", "Mark a subject and let it solve first.")
            return False
        self._begin()
        return True

    def _on_step(self) -> None:
        if self._desk.step is not Step.MATTE:
            self.strip.hide()

    def _begin(self) -> None:
        job, outline = self._desk.job, self._found.outline
        if job is None or outline is None:
            return
        self._asked = object()
        marks = [
            StripMark(number, place, is_accepted(job, self._found.snags[number]))
            for number, place in enumerate(self._found.places)
        ]
        self.strip.begin(outline.length, marks)

    def _draw_row(self, row: int, first: int, last: int) -> None:
        bridge, outline, asked = self._desk.bridge, self._found.outline, self._asked
        if bridge is None or outline is None:
            return
        job, stages, look = bridge.job, bridge.session.stages, self._desk.look
        chosen = self.strip.over.currentIndex()
        view = _OVER[chosen] if chosen < len(_OVER) else View.LOUD
        if chosen >= len(_OVER):
            backing = job.settings.recipe.backing
            look = replace(look, loud=backing.colour if backing.kind == "colour" else "#ffffff")
        under = (View.MATTE, view, View.MATTE)[self.strip.under.currentIndex()]
        other = self._other(job)

        def draw() -> tuple[QImage, QImage]:
            upper = unrolled(stages, job, view, outline, (first, last), REACH, look)
            lower = unrolled(stages, other, under, outline, (first, last), REACH, look)
            return image_from_rgb(upper), image_from_rgb(lower)

        self.ask(_ROW, draw, partial(self._on_drawn, asked, row), key=row)

    def _other(self, job: Job) -> Job:
        """Return the job that is shown under the strip."""
        chosen, before = self.strip.under.currentIndex(), self._desk.look.before
        if chosen == 1 and before is not None:
            return before
        return as_solved(job) if chosen == 2 else job

    def _on_drawn(self, asked: object, row: int, images: tuple[QImage, QImage]) -> None:
        if asked is self._asked:
            self.strip.show_row(row, *images)

    def _on_place(self, place: int) -> None:
        outline = self._found.outline
        if outline is not None:
            self.strip.hide()
            self.went_to.emit(QPointF(*(float(part) for part in outline.points[place])))

    def _on_snag(self, number: int) -> None:
        self.strip.hide()
        self.snag_chosen.emit(number)
