"""Small pictures and colours that the window requests and need not wait for."""

from collections.abc import Callable
from typing import Final

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QImage

from peel.desk.asking import task
from peel.desk.desk_state import DeskState
from peel.desk.display.tiles import image_from_rgb
from peel.desk.step.lane_desk import LaneDesk
from peel.job.job import Job
from peel.work.many.status import status_of
from peel.work.many.thumbs import job_thumb
from peel.work.stages import Stages
from peel.work.views import View, loudest_colour, render

__all__ = ["SideTasks"]

_THUMB_PX: Final = 44
_RESTS_MS: Final = 2500  # without a change, after which the card is drawn
_LOUD = task("loud colour", "The loud colour could not be chosen.")
_CARD = task("card of the job", "The job's card could not be drawn.")
_THUMB = task("photo in the step line", "The small picture of the photo could not be drawn.")


class SideTasks(LaneDesk):
    """Runs small tasks on a worker, and notes in the open job what its card shows."""

    def __init__(self, desk: DeskState) -> None:
        super().__init__(desk)
        self._noted: object = None
        self._resting = QTimer(self, singleShot=True, interval=_RESTS_MS)
        self._resting.timeout.connect(self._note_card)
        desk.job_changed.connect(self._on_changed)
        desk.inspected.connect(self._resting.start)
        desk.session_changed.connect(self._resting.stop)

    def _on_changed(self, job: Job, before: Job) -> None:
        if job is not before:
            self._resting.start()

    def _note_card(self) -> None:
        """Note how far the open job has come, and its picture, once the hand rests."""
        bridge, desk = self._desk.bridge, self._desk
        if bridge is None or not bridge.job.has_subject:
            return
        session, job = bridge.session, bridge.job
        status = status_of(job, desk.found_in(job), was_delivered=desk.delivered is job)
        state = (job, status)
        if state == self._noted:
            return
        self._noted = state

        def note() -> None:
            session.note("status", status.as_note())
            session.note("thumb", job_thumb(session.stages, job))

        self.ask(_CARD, note, lambda _none: None)

    def find_loud(self, stages: Stages, job: Job, use: Callable[[str], object]) -> None:
        """Look for the loud view's colour: the one that stands out most from the photo's edge."""
        self.ask(_LOUD, lambda: loudest_colour(stages, job), use)

    def draw_thumb(self, stages: Stages, job: Job, use: Callable[[QImage], object]) -> None:
        """Draw the photo, small and square."""
        self.ask(_THUMB, lambda: _thumb(stages, job), use)


def _thumb(stages: Stages, job: Job) -> QImage:
    """Draw a square a little above the photo's middle."""
    level = max(0, (min(job.photo.height, job.photo.width) // (2 * _THUMB_PX)).bit_length() - 1)
    small = image_from_rgb(render(stages, job, View.PHOTO, job.photo.space.bounds(level), level))
    fill, smooth = Qt.AspectRatioMode.KeepAspectRatioByExpanding, Qt.TransformationMode.SmoothTransformation
    scaled = small.scaled(_THUMB_PX, _THUMB_PX, fill, smooth)
    left, top = (scaled.width() - _THUMB_PX) // 2, (scaled.height() - _THUMB_PX) // 4
    return scaled.copy(left, top, _THUMB_PX, _THUMB_PX)
