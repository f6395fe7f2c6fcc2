"""Small pictures and colours that the window requests and need not wait for."""

from typing import Final

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtGui import QImage

from peel.desk.display.tiles import image_from_rgb
from peel.job.job import Job
from peel.work.scheduler import Lane
from peel.work.stages import Stages
from peel.work.views import View, loudest_colour, render

__all__ = ["SideTasks"]

_THUMB_PX: Final = 44


class SideTasks(QObject):
    """Runs small tasks on a worker.

    Signals
    -------
    loud_found : (Stages, str)
        The colour that stands out most from a photo's edge.
    thumb_drawn : (Stages, QImage)
        A photo, small and square.
    """

    loud_found = Signal(object, str)
    thumb_drawn = Signal(object, QImage)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._lane = Lane("side_tasks")

    def close(self) -> None:
        """End the worker."""
        self._lane.close()

    def find_loud(self, stages: Stages, job: Job) -> None:
        """Look for the loud view's colour."""
        self._lane.submit(
            "loud", lambda _ticket: loudest_colour(stages, job), lambda colour: self.loud_found.emit(stages, colour)
        )

    def draw_thumb(self, stages: Stages, job: Job) -> None:
        """Draw the photo small."""
        self._lane.submit(
            "thumb", lambda _ticket: _thumb(stages, job), lambda image: self.thumb_drawn.emit(stages, image)
        )


def _thumb(stages: Stages, job: Job) -> QImage:
    """Draw a square a little above the photo's middle."""
    level = max(0, (min(job.photo.height, job.photo.width) // (2 * _THUMB_PX)).bit_length() - 1)
    small = image_from_rgb(render(stages, job, View.PHOTO, job.photo.space.bounds(level), level))
    fill, smooth = Qt.AspectRatioMode.KeepAspectRatioByExpanding, Qt.TransformationMode.SmoothTransformation
    scaled = small.scaled(_THUMB_PX, _THUMB_PX, fill, smooth)
    left, top = (scaled.width() - _THUMB_PX) // 2, (scaled.height() - _THUMB_PX) // 4
    return scaled.copy(left, top, _THUMB_PX, _THUMB_PX)
