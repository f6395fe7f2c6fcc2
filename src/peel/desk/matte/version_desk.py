"""Other versions: shown side by side at the place under the cursor, and one of them put into the brush."""

from dataclasses import replace
from functools import partial
from typing import Final

from PySide6.QtCore import QPointF
from PySide6.QtWidgets import QWidget

from peel.desk.asking import task
from peel.desk.controls.answers import Answers
from peel.desk.desk_state import DeskState
from peel.desk.display.tiles import image_from_rgb
from peel.desk.files.file_dialogs import ask_picture
from peel.desk.matte.touch import BorrowBrush
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.steps import Step
from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.arrays import ByteArray
from peel.work.solving.versions import Version, version_from_file, versions_of
from peel.work.stages import Stages
from peel.work.views import Look, View, render

__all__ = ["VersionDesk"]

_DRAWN = task("another version", "Another version could not be shown.")
_READ = task("matte as a version", "The matte could not be read.")
_AROUND: Final = (84, 112)  # rows and columns of the photo to either side of the place
_FROM_FILE: Final = "A matte from a file…"


class VersionDesk(LaneDesk):
    """Lets a version be chosen when Borrow is taken up, or its button is pressed again."""

    def __init__(self, desk: DeskState, canvas: QWidget) -> None:
        super().__init__(desk)
        self.answers = Answers(canvas)
        self._spot = QPointF()
        self._versions: list[Version] = []
        self._brush = next(tool for tool in desk.tools[Step.MATTE] if isinstance(tool, BorrowBrush))
        self.answers.taken.connect(self._take)
        self.answers.left.connect(self.leave)
        desk.tool_changed.connect(self._on_tool)
        desk.session_changed.connect(self._on_session)
        desk.step_changed.connect(self.leave)
        desk.ask.versions.connect(self.begin)

    def _on_session(self) -> None:
        self._brush.source = None
        self.leave()

    def _on_tool(self) -> None:
        if self._desk.tool is not self._brush:
            self.leave()
        elif self._brush.source is None:
            self.begin()

    def begin(self) -> None:
        """Show the versions that there are, at the place where the hand was last."""
        bridge = self._desk.bridge
        if bridge is None or not bridge.job.has_subject:
            self._desk.say("There is no matte yet, and no other version of it.", "Mark the subject first.")
            return
        job, stages, look = bridge.job, bridge.session.stages, self._desk.look
        self._versions = list(versions_of(bridge.session.history))
        spot = self._desk.spot
        rect = _around(job, spot)
        view = self._desk.view if self._desk.view is not View.PHOTO else View.MATTE
        self.answers.begin([*(version.name for version in self._versions), _FROM_FILE], "Brush which version?")
        for number, version in enumerate(self._versions):
            draw = partial(_drawn, stages, version, view, rect, replace(look, before=None))
            self.ask(_DRAWN, draw, partial(self._on_drawn, number), key=number)
        self.answers.offer(len(self._versions))

    def _on_drawn(self, number: int, drawn: ByteArray) -> None:
        if number < len(self._versions) and number < len(self.answers.buttons):
            self.answers.show_answer(number, self._versions[number].name, image_from_rgb(drawn))

    def _take(self, number: int) -> None:
        self.leave()
        if number < len(self._versions):
            self.use(self._versions[number])
            return
        chosen = ask_picture(self.answers.window(), "Choose a matte")
        job = self._desk.job
        if chosen is not None and job is not None:
            self.ask(_READ, lambda: version_from_file(chosen, job), self.use)

    def use(self, version: Version) -> None:
        """Brush from a version."""
        self._brush.source = version
        if self._desk.tool is not self._brush:
            self._desk.take_up_named(self._brush.name)
        self._desk.ways_changed.emit()

    def leave(self) -> None:
        """Choose none."""
        self.answers.clear()


def _around(job: Job, spot: QPointF) -> Rect:
    """Return the place around a spot, within the photo."""
    rows, columns = _AROUND
    x = min(max(round(spot.x()), columns), max(job.photo.width - columns, columns))
    y = min(max(round(spot.y()), rows), max(job.photo.height - rows, rows))
    return Rect(y - rows, x - columns, y + rows, x + columns).intersection(job.photo.bounds)


def _drawn(stages: Stages, version: Version, view: View, rect: Rect, look: Look) -> ByteArray:
    shown = view if not view.shows_sheet and view not in (View.CHANGED, View.SECOND) else View.MATTE
    return render(stages, version.job, shown, rect, 0, look)
