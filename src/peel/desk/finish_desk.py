"""The edge profile beyond its page: measuring it on a worker, showing a drag before it is made, drawn areas."""

import contextlib
from typing import Any

from PySide6.QtCore import QObject, Signal

from peel.desk.desk_state import DeskState
from peel.desk.panels.matte import MattePanel
from peel.desk.steps import Step
from peel.desk.tools.area import AreaTool
from peel.errors import MarkError
from peel.job.finishing import (
    FinishTarget,
    add_area,
    changed_finish,
    drop_area,
    finish_of,
    targets_of,
    with_finish,
)
from peel.job.job import Job
from peel.job.settings import Finish, Point
from peel.work.measuring import Measured, measure
from peel.work.scheduler import Lane

__all__ = ["FinishDesk"]


class FinishDesk(QObject):
    """Keeps the page of the edge profile in step with the job."""

    _measured = Signal(object, object)

    def __init__(self, desk: DeskState, panel: MattePanel) -> None:
        super().__init__(desk)
        self._desk, self.page = desk, panel.profile
        self._lane = Lane("profile")
        self.target = FinishTarget()
        self._awaited: FinishTarget | None = None
        self._profile: Measured | None = None
        self._asked: object = None
        self._area_tool = AreaTool("an edge profile of its own")
        page = self.page
        page.target_chosen.connect(self._on_target)
        page.changed.connect(self._on_changed)
        page.reset.connect(self._reset)
        page.area_asked.connect(lambda: desk.borrow(self._area_tool))
        page.dropped.connect(self._on_dropped)
        self._area_tool.drawn.connect(self._on_area)
        self._measured.connect(self._on_measured)
        desk.session_changed.connect(self._on_session)
        desk.step_changed.connect(self._look)
        desk.job_changed.connect(lambda _job, _before: self._look())

    def close(self) -> None:
        """End the worker."""
        self._lane.close()

    @property
    def is_idle(self) -> bool:
        """Whether nothing is being measured."""
        return self._lane.is_idle

    def _on_session(self) -> None:
        self.target, self._awaited, self._profile, self._asked = FinishTarget(), None, None, None
        self._look()

    def _look(self) -> None:
        job = self._desk.job
        if job is None or self._desk.step is not Step.MATTE:
            return
        targets = targets_of(job)
        if self._awaited in targets:
            self.target, self._awaited, self._profile = self._awaited, None, None
        if self.target not in targets:
            self.target = FinishTarget()
        self._show(job)
        key = (job.photo, job.matte, job.kinds, self.target)
        if key != self._asked and job.is_solved and job.has_subject:
            self._asked, target = key, self.target
            self._lane.submit(
                "profile", lambda _ticket: measure(job, target), lambda found: self._measured.emit(key, found)
            )

    def _on_measured(self, key: object, profile: Measured | None) -> None:
        if key == self._asked:
            self._profile = profile
            if self._desk.job is not None:
                self._show(self._desk.job)

    def _show(self, job: Job) -> None:
        targets = targets_of(job)
        self.page.show_targets([_label(target) for target in targets], targets.index(self.target))
        self.page.show_finish(finish_of(job, self.target), self._profile, is_area=self.target.area is not None)

    # what is asked for

    def _on_target(self, number: int) -> None:
        job = self._desk.job
        if job is not None:
            self.target, self._profile = targets_of(job)[number], None
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
            self.page.show_finish(finish_of(tried, target), self._profile, is_area=target.area is not None)

    def _reset(self) -> None:
        target = self.target
        self._desk.edit("As solved", lambda job: with_finish(job, target, Finish()))

    def _on_area(self, area: tuple[Point, ...]) -> None:
        self._desk.take_up(self._desk.last_tool)
        job = self._desk.job
        if job is None or len(area) < 3:
            return
        self._awaited = FinishTarget("area", len(job.settings.photo.finish_areas))
        self._desk.edit("Area with a profile of its own", lambda job: add_area(job, area))

    def _on_dropped(self) -> None:
        target = self.target
        if target.area is not None:
            number = target.area
            self.target = FinishTarget()
            self._desk.edit("Drop an area", lambda job: drop_area(job, number))


def _label(target: FinishTarget) -> str:
    if target.area is not None:
        return f"Area {target.area + 1}"
    return "Everywhere" if target.name == "everywhere" else f"{target.name.capitalize()} edges"
