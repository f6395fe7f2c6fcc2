"""The edge profile beyond its page: measuring it on a worker, and its edits."""

from functools import partial
from typing import Any

from peel.desk.asking import task
from peel.desk.desk_state import DeskState
from peel.desk.matte.panel import MattePanel
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.step.target_bar import TargetChoice
from peel.desk.steps import Step
from peel.errors import MarkError
from peel.job.edge_targets import EdgeTarget
from peel.job.edits.edge_values import FINISH
from peel.job.job import Job
from peel.job.settings import Finish
from peel.work.inspecting.hair import HairCount, count_hair
from peel.work.inspecting.measuring import Measured, measure
from peel.work.stages.targets import every_finish

__all__ = ["FinishDesk"]

_HAIR = task("count hair", "The strands could not be counted.")
_PROFILE = task("profile", "The edge's own profile could not be measured.")


class FinishDesk(LaneDesk):
    """Keeps the page of the edge profile in step with the job."""

    def __init__(self, desk: DeskState, panel: MattePanel) -> None:
        super().__init__(desk)
        self.page = panel.profile
        self.choice = TargetChoice(desk, self.page.edges, FINISH)
        self._profile: Measured | None = None
        self._asked: object = None
        self._hair: HairCount | None = None
        self._hair_of: object = None
        self.page.changed.connect(self._on_changed)
        self.page.hair.neared.connect(self._on_neared)
        self.page.reset.connect(lambda: self.choice.edit("As solved", lambda job, to: FINISH.put(job, to, Finish())))
        self.choice.chosen.connect(self._on_chosen)
        desk.session_changed.connect(self._on_session)
        desk.step_changed.connect(self._look)
        desk.job_changed.connect(lambda _job, _before: self._look())

    def _on_session(self) -> None:
        self.choice.reset()
        self._profile = self._asked = self._hair = self._hair_of = None
        self._look()

    def _on_chosen(self) -> None:
        self._profile = None
        self._look()

    def _look(self) -> None:
        job = self._desk.job
        if job is None or self._desk.step is not Step.MATTE:
            return
        if self.choice.show(job):
            self._profile = None
        self._show(job)
        target = self.choice.target
        key = (job.photo, job.matte, job.kinds, target)
        if key != self._asked and job.is_solved and job.has_subject:
            self._asked = key
            self.ask(_PROFILE, lambda: measure(job, target), partial(self._on_measured, key))
        self._look_at_hair(job, is_wanted=any(finish.shortest_px > 0 for finish in every_finish(job)))

    def _look_at_hair(self, job: Job, *, is_wanted: bool) -> None:
        """Count the strands once that is wanted: for a large matte it takes seconds."""
        target = self.choice.target
        areas = FINISH.areas_of(job) if target.area is not None else ()
        outline = areas[target.area].outline if target.area is not None and target.area < len(areas) else None
        key = (job.matte, job.kinds, target.name, outline)
        if key != self._hair_of:
            self._hair = self._hair_of = None
        bridge = self._desk.bridge
        if is_wanted and self._hair_of is None and job.is_solved and job.has_subject and bridge is not None:
            self._hair_of, stages = key, bridge.session.stages
            self.ask(_HAIR, lambda: count_hair(stages, job, target), partial(self._on_counted, key))
        self._show(job)

    def _on_neared(self) -> None:
        if self._desk.job is not None and self._desk.step is Step.MATTE:
            self._look_at_hair(self._desk.job, is_wanted=True)

    def _on_counted(self, key: object, count: HairCount) -> None:
        if key == self._hair_of and self._desk.job is not None:
            self._hair = count
            self._show(self._desk.job)

    def _on_measured(self, key: object, profile: Measured | None) -> None:
        if key == self._asked:
            self._profile = profile
            if self._desk.job is not None:
                self._show(self._desk.job)

    def _show(self, job: Job) -> None:
        finish = FINISH.of(job, self.choice.target)
        self.page.show_finish(finish, self._profile)
        self.page.show_hair(self._hair, finish, is_counting=self._hair_of is not None)

    def _on_changed(self, changes: dict[str, Any], dragged: bool) -> None:
        def change(job: Job, target: EdgeTarget) -> Job:
            try:
                return FINISH.changed(job, target, changes)
            except MarkError:  # the ends of the values would cross: said when it is let go
                if dragged:
                    return job
                raise

        self.choice.edit("Edge profile", change, gesture="profile", ends=not dragged)
