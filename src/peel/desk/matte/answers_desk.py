"""What controllers that offer answers for a drawn area have in common: shown over the picture, one is taken or none."""

from PySide6.QtCore import QPointF
from PySide6.QtWidgets import QWidget

from peel.desk.controls.answers import Answers
from peel.desk.desk_state import DeskState
from peel.desk.display.tiles import image_from_rgb
from peel.desk.step.lane_desk import LaneDesk
from peel.job.rect import Rect
from peel.matte.arrays import ByteArray

__all__ = ["AnswersDesk"]


class AnswersDesk(LaneDesk):
    """Offers answers; what is under way ends with the step, with the photo, and when none is wanted."""

    def __init__(self, desk: DeskState, canvas: QWidget) -> None:
        super().__init__(desk)
        self.answers = Answers(canvas)
        self._asked: object = None
        self.answers.taken.connect(self._take)
        self.answers.left.connect(self.leave)
        desk.session_changed.connect(self.leave)
        desk.step_changed.connect(self.leave)

    def _take(self, number: int) -> None:
        raise NotImplementedError

    def _look_at(self, window: Rect) -> None:
        """Bring the area into sight."""
        middle = QPointF((window.left + window.right) / 2, (window.top + window.bottom) / 2)
        self._desk.ask.look_at.emit(middle, float(max(window.height, window.width)))

    def _show_answer(self, asked: object, number: int, name: str, picture: ByteArray) -> None:
        """Show an answer, unless others have been asked for since."""
        if asked is self._asked and number < len(self.answers.buttons):
            self.answers.show_answer(number, name, image_from_rgb(picture))

    def leave(self) -> None:
        """Take no answer."""
        self._asked = None
        self._asker.forget()
        self.answers.clear()
