"""Repairs beyond their page: shown on a worker before they are made, kept to an area, and touch-ups made visible."""

from dataclasses import replace
from functools import partial

from PySide6.QtGui import QColor, QImage

from peel.desk.asking import task
from peel.desk.desk_state import DeskState
from peel.desk.display.overlay import overlay_image
from peel.desk.matte.panel import MattePanel
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.steps import Step
from peel.desk.tools.area import AreaTool
from peel.job.edits.finishing import as_solved
from peel.job.edits.touching import Touch, has_touches, release_area, touch_area, touched_in
from peel.job.planes import Role
from peel.job.settings import Point
from peel.work.solving.repairing import Repair, repair, repair_region

__all__ = ["RepairDesk"]

_REPAIR = task("repair", "The repair cannot be shown before it is made.")

_TOUCHED = QColor(200, 60, 160)


class RepairDesk(LaneDesk):
    """Carries out what the page of repairs asks for."""

    def __init__(self, desk: DeskState, panel: MattePanel) -> None:
        super().__init__(desk)
        self._page = panel.repairs
        self._area: tuple[Point, ...] = ()
        self._area_tool = AreaTool("repairs by one press")
        self._asked: object = None
        self._is_laid = self._hides = False
        page = self._page
        page.tried.connect(self._try)
        page.asked.connect(self._repair)
        page.fill_asked.connect(self._fill)
        page.area_asked.connect(lambda: desk.borrow(self._area_tool))
        page.everywhere_asked.connect(lambda: self._set_area(()))
        page.touched_shown.connect(lambda _on: self._show())
        page.touches_hidden.connect(lambda _on: self._compare())
        self._area_tool.drawn.connect(self._on_area)
        desk.ask.show_before.connect(self.show_before)
        desk.session_changed.connect(self._on_session)
        desk.step_changed.connect(self._on_step)
        desk.job_changed.connect(lambda _job, _before: self._on_job())

    def _on_session(self) -> None:
        self._page.hide_touches.setChecked(False)
        self._page.show_touched.setChecked(False)
        self._area = ()
        self._page.show_area(())

    def _on_step(self) -> None:
        """Show areas, repairs and touch-ups only in Matte."""
        if self._desk.step is Step.MATTE:
            self._desk.show_area(self._area)
            self._show()
        else:
            if self._page.chosen is not None:
                self._page.try_sort(None)
            self._page.hide_touches.setChecked(False)
            self._is_laid = False

    def _on_job(self) -> None:
        bridge = self._desk.bridge
        if bridge is not None:
            history = bridge.session.history
            former = history.states[history.cursor - 1].job if history.cursor > 0 else None
            self._desk.set_look(lambda look: replace(look, before=former))
        if self._desk.step is Step.MATTE:
            self._show()
            self._compare()

    # shown before it is made

    def _try(self, sort: Repair | None, amount_px: float) -> None:
        del sort, amount_px
        self._show()

    def _show(self) -> None:
        """Overlay what the chosen repair would change or, without one, what was touched up if that is to be shown."""
        bridge, page = self._desk.bridge, self._page
        if bridge is None or self._desk.step is not Step.MATTE:
            return
        sort, amount, area, job = page.chosen, page.amount.value, self._area, bridge.job
        stages = bridge.session.stages
        self._asked = asked = (sort, amount, area, job)
        if sort is None and not (page.show_touched.isChecked() and has_touches(job)):
            if self._is_laid:
                self._is_laid = False
                self._desk.show_overlay(None)
            return
        hue = _TOUCHED if sort is None else (self._desk.added_hue if sort.is_solid else self._desk.taken_hue)

        def find() -> tuple[QImage, int]:
            if sort is None:
                region = touched_in(job, job.photo.bounds)
            else:
                region = repair_region(stages, job, sort, amount, area)
            return overlay_image((region, hue)), int(region.sum())

        self.ask(_REPAIR, find, partial(self._on_shown, asked))

    def _on_shown(self, asked: object, found: tuple[QImage, int]) -> None:
        if asked is self._asked:
            image, pixels = found
            self._is_laid = True
            self._desk.show_overlay(image)
            self._page.show_found(pixels)

    def _repair(self, sort: Repair, amount_px: float) -> None:
        bridge, area = self._desk.bridge, self._area
        if bridge is not None:
            stages = bridge.session.stages
            self._desk.edit(sort.value, lambda job: repair(stages, job, sort, amount_px, area))

    def _fill(self, sort: Touch | None) -> None:
        area, strength = self._area, self._desk.brush_shape.strength
        if sort is None:
            self._desk.edit("Release an area", lambda job: release_area(job, area))
        else:
            label = f"{sort.name.capitalize()} an area"
            self._desk.edit(label, lambda job: touch_area(job, area, sort, strength))

    # touch-ups

    def _compare(self) -> None:
        """Show the job without its touch-ups while they are hidden."""
        job = self._desk.job
        hides = job is not None and self._page.hide_touches.isChecked() and self._desk.step is Step.MATTE
        if hides or self._hides:  # else what is compared is somebody else's
            self._desk.compare(job.without(Role.TOUCH) if hides and job is not None else None)
        self._hides = hides

    def show_before(self, held: bool) -> None:
        """Show the matte as it was solved, neither touched up nor finished, while a key is held in Matte."""
        job = self._desk.job
        if job is None or self._desk.step is not Step.MATTE:
            return
        self._desk.compare(as_solved(job) if held else None)
        self._compare()

    # the area

    def _on_area(self, area: tuple[Point, ...]) -> None:
        self._desk.take_up(self._desk.last_tool)
        self._set_area(area)

    def _set_area(self, area: tuple[Point, ...]) -> None:
        self._area = area
        self._desk.show_area(area)
        self._page.show_area(area)
