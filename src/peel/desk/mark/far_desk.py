"""Tell what a stroke changed farther off than it reaches, and take that back by a key."""

from PySide6.QtCore import QTimer
from PySide6.QtGui import QImage

from peel.desk.asking import task
from peel.desk.desk_state import DeskState
from peel.desk.display.overlay import overlay_image
from peel.desk.step.lane_desk import LaneDesk
from peel.job.job import Job
from peel.job.settings import Point
from peel.work.inspecting.far_changes import FarChange, far_change, without_far

__all__ = ["FarDesk"]

_FAR = task("far changes", "Peel could not tell whether the stroke changed anything far from it.")
_SHOWN_MS = 6_000
_LOOK_PX = 1_600_000


class FarDesk(LaneDesk):
    """Compares the zones before and after each local stroke, on a worker."""

    def __init__(self, desk: DeskState) -> None:
        super().__init__(desk)
        self._stroke: tuple[Job, tuple[Point, ...], float] | None = None
        self._change: FarChange | None = None
        self._zones: object = None  # those that the stroke left
        self._is_shown = False
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_SHOWN_MS)
        self._timer.timeout.connect(self._hide)
        desk.stroke_made.connect(self._on_stroke)
        desk.job_changed.connect(self._on_job)
        desk.session_changed.connect(self._forget)
        desk.step_changed.connect(self._hide)
        desk.ask.keep_near.connect(self.keep_near)

    def _on_stroke(self, points: tuple[Point, ...], reach_px: float) -> None:
        job = self._desk.job
        self._hide()
        self._change = None
        self._stroke = None if job is None else (job, points, reach_px)

    def _on_job(self, job: Job, _previous: Job) -> None:
        """Look at the first job whose zones changed after the stroke; a later edit ends what can be refused."""
        if self._change is not None and job.zones is not self._zones:
            self._forget()
        stroke = self._stroke
        if stroke is None or job.zones is stroke[0].zones:
            return
        self._stroke, self._zones = None, job.zones
        before, points, reach_px = stroke
        hue = self._desk.taken_hue

        def look() -> tuple[FarChange | None, QImage | None]:
            change = far_change(before, job, points, reach_px)
            if change is None:
                return None, None
            step = max(1, round((job.photo.height * job.photo.width / _LOOK_PX) ** 0.5))
            return change, overlay_image((change.shown(step), hue))

        self.ask(_FAR, look, self._on_found)

    def _on_found(self, found: tuple[FarChange | None, QImage | None]) -> None:
        job, (change, image) = self._desk.job, found
        if change is None or job is None or job.zones is not self._zones:
            return
        self._change = change
        self._desk.show_overlay(image)
        self._is_shown = True
        self._timer.start()
        self._desk.say(
            f"You also changed {change.count:,} px farther off; they are outlined.".replace(",", " "),
            "Ctrl+Backspace keeps only what is near the stroke.",
        )

    def keep_near(self) -> None:
        """Take back what the last stroke changed far from it."""
        change = self._change
        if change is None:
            self._desk.say("The last stroke changed nothing far from it.")
            return
        self._forget()
        self._desk.edit("Keep only what is near", lambda job: without_far(job, change))

    def _forget(self) -> None:
        self._stroke = self._change = None
        self._hide()

    def _hide(self) -> None:
        if self._is_shown:
            self._is_shown = False
            self._timer.stop()
            self._desk.show_overlay(None)
