"""Snags as they are found: the job is inspected on a worker whenever its matte rests."""

from functools import partial
from typing import Final

from PySide6.QtCore import QTimer, Signal

from peel.desk.asking import task
from peel.desk.desk_state import DeskState
from peel.desk.step.lane_desk import LaneDesk
from peel.job.job import Job
from peel.work.inspecting.inspector import Findings, Inspector

__all__ = ["SnagFeed"]

_INSPECT = task("inspect", "The edge could not be inspected.", stops=True)
_REST_MS: Final = 600  # after the last change, before the inspection begins


class SnagFeed(LaneDesk):
    """Keeps what was found in the open job, whichever step is shown.

    Attributes
    ----------
    found : Findings
        Of the state of the job that was inspected last.

    Signals
    -------
    changed : ()
        Something else was found, or the job has moved on from what was.
    """

    changed = Signal()

    def __init__(self, desk: DeskState) -> None:
        super().__init__(desk)
        self._inspector: Inspector | None = None
        self.found = Findings()
        self._job: Job | None = None  # that was inspected
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST_MS)
        self._rest.timeout.connect(self._inspect)
        desk.session_changed.connect(self._on_session)
        desk.job_changed.connect(lambda _job, _before: self._on_job())
        desk.solving_changed.connect(self._on_job)
        desk.press_changed.connect(lambda _reverse: self.pause())

    @property
    def is_idle(self) -> bool:
        """Whether the latest matte has been inspected."""
        return not self._rest.isActive() and super().is_idle

    @property
    def has_looked(self) -> bool:
        """Whether the open photo's edge was inspected at all."""
        return self._job is not None

    def _on_session(self) -> None:
        self._asker.forget()
        self.found, self._job = Findings(), None
        bridge = self._desk.bridge
        self._inspector = Inspector(bridge.session.stages) if bridge is not None else None
        self._on_job()
        self.changed.emit()

    def _on_job(self) -> None:
        job = self._desk.job
        if job is None or job is self._job:
            return
        self.pause()
        if self._desk.solving is not None or not job.is_solved:
            self._rest.stop()
        self.changed.emit()

    def pause(self) -> None:
        """Leave the machine to the hand; what was looked at so far is kept."""
        self._asker.forget()
        job = self._desk.job
        if job is not None and job is not self._job and job.is_solved and job.has_subject:
            self._rest.start()

    def _inspect(self) -> None:
        job, inspector = self._desk.job, self._inspector
        if job is not None and inspector is not None and job.is_solved and job.has_subject:
            self.ask(_INSPECT, lambda: inspector.inspect(job), partial(self._on_inspected, job))

    def _on_inspected(self, job: Job, found: Findings) -> None:
        self.found, self._job = found, job
        self._desk.note_inspection(job, found)
        self.changed.emit()
        if self._desk.job is not job:
            self._on_job()
