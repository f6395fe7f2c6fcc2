"""Small pictures and colours that the window requests and need not wait for."""

from collections.abc import Callable
from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtGui import QImage

from peel.desk.asking import task
from peel.desk.display.tiles import image_from_rgb
from peel.desk.step.lane_desk import LaneDesk
from peel.job.job import Job
from peel.work.stages import Stages
from peel.work.views import View, loudest_colour, render

__all__ = ["SideTasks"]

_THUMB_PX: Final = 44
_LOUD = task("loud colour", "The loud colour could not be chosen.")
_THUMB = task("photo in the step line", "The small picture of the photo could not be drawn.")


class SideTasks(LaneDesk):
    """Runs small tasks on a worker."""

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
