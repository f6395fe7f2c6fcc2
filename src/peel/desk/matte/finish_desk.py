"""The edge profile beyond its page: measuring it on a worker, showing a drag before it is made, drawn areas."""

import contextlib
from functools import partial
from typing import Any

from peel.desk.asking import task
from peel.desk.desk_state import DeskState
from peel.desk.matte.panel import MattePanel
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.steps import Step
from peel.desk.tools.area import AreaTool
from peel.errors import MarkError
from peel.job.edge_targets import EdgeTarget, edge_targets
from peel.job.edits.finishing import (
    add_area,
    changed_finish,
    drop_area,
    fade_area,
    finish_of,
    with_finish,
)
from peel.job.job import Job
from peel.job.settings import Finish, Point
from peel.work.inspecting.measuring import Measured, measure

__all__ = ["FinishDesk"]

_PROFILE = task("profile", "The edge's own profile could not be measured.")


class FinishDesk(LaneDesk):
    """Keeps the page of the edge profile in step with the job."""

    def __init__(self, desk: DeskState, panel: MattePanel) -> None:
        super().__init__(desk)
        self.page = panel.profile
        self.target = EdgeTarget()
        self._awaited: EdgeTarget | None = None
        self._profile: Measured | None = None
        self._asked: object = None
        self._area_tool = AreaTool("an edge profile of its own")
        page = self.page
        page.target_chosen.connect(self._on_target)
        page.changed.connect(self._on_changed)
        page.reset.connect(self._reset)
        page.area_asked.connect(lambda: desk.borrow(self._area_tool))
        page.dropped.connect(self._on_dropped)
        page.faded.connect(self._on_faded)
        self._area_tool.drawn.connect(self._on_area)
        desk.session_changed.connect(self._on_session)
        desk.step_changed.connect(self._look)
        desk.job_changed.connect(lambda _job, _before: self._look())

    def _on_session(self) -> None:
        self.target, self._awaited, self._profile, self._asked = EdgeTarget(), None, None, None
        self._look()

    def _look(self) -> None:
        job = self._desk.job
        if job is None or self._desk.step is not Step.MATTE:
            return
        targets = edge_targets(len(job.settings.photo.finish_areas))
        if self._awaited in targets:
            self.target, self._awaited, self._profile = self._awaited, None, None
        if self.target not in targets:
            self.target = EdgeTarget()
        self._show(job)
        key = (job.photo, job.matte, job.kinds, self.target)
        if key != self._asked and job.is_solved and job.has_subject:
            self._asked, target = key, self.target
            self.ask(_PROFILE, lambda: measure(job, target), partial(self._on_measured, key))

    def _on_measured(self, key: object, profile: Measured | None) -> None:
        if key == self._asked:
            self._profile = profile
            if self._desk.job is not None:
                self._show(self._desk.job)

    def _show(self, job: Job) -> None:
        targets = edge_targets(len(job.settings.photo.finish_areas))
        self.page.show_targets([target.label for target in targets], targets.index(self.target))
        self.page.show_finish(finish_of(job, self.target), self._profile, _fade_of(job, self.target))

    # what is asked for

    def _on_target(self, number: int) -> None:
        job = self._desk.job
        if job is not None:
            self.target, self._profile = edge_targets(len(job.settings.photo.finish_areas))[number], None
            self._look()

    def _on_changed(self, changes: dict[str, Any], dragged: bool) -> None:
        """Show a drag in the picture before it is made; make it one edit when it ends."""
        job, target = self._desk.job, self.target
        if job is None:
            return
        if not dragged:
            self._desk.compare(None)
            self._desk.edit("Edge profile", lambda job: changed_finish(job, target, changes))
            return
        with contextlib.suppress(MarkError):  # the ends of the values would cross: said when it is let go
            tried = changed_finish(job, target, changes)
            self._desk.compare(tried)
            self.page.show_finish(finish_of(tried, target), self._profile, _fade_of(tried, target))

    def _reset(self) -> None:
        target = self.target
        self._desk.edit("As solved", lambda job: with_finish(job, target, Finish()))

    def _on_area(self, area: tuple[Point, ...]) -> None:
        self._desk.take_up(self._desk.last_tool)
        job = self._desk.job
        if job is None or len(area) < 3:
            return
        self._awaited = EdgeTarget("area", len(job.settings.photo.finish_areas))
        self._desk.edit("Area with a profile of its own", lambda job: add_area(job, area))

    def _on_dropped(self) -> None:
        target = self.target
        if target.area is not None:
            number = target.area
            self.target = EdgeTarget()
            self._desk.edit("Drop an area", lambda job: drop_area(job, number))

    def _on_faded(self, fade_px: float, dragged: bool) -> None:
        number = self.target.area
        if number is not None:
            gesture = ("area border", number)
            self._desk.edit(
                "Border of an area", lambda job: fade_area(job, number, fade_px), gesture=gesture, ends=not dragged
            )


def _fade_of(job: Job, target: EdgeTarget) -> float | None:
    """Return over how many pixels the border of a drawn area fades; None for everything else."""
    areas = job.settings.photo.finish_areas
    return areas[target.area].fade_px if target.area is not None and target.area < len(areas) else None
