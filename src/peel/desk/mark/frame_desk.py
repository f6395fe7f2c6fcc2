"""The second frame beyond its part of the panel: files that are compared with the photo, and how well they fit."""

from pathlib import Path

from peel.desk.asking import task
from peel.desk.desk_state import DeskState
from peel.desk.files.file_dialogs import ask_picture
from peel.desk.mark.panel import MarkPanel
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.steps import Step
from peel.job.assets import Asset
from peel.job.job import Job
from peel.job.settings import FrameKind
from peel.work.framing.frames import FRAME_WORDS, fit_of, give_frame, read_frame, without_frame
from peel.work.views import View

__all__ = ["FrameDesk"]

_FRAME = task("second frame", "The second frame could not be compared with the photo.")
_FIT = task("fit of the second frame", "Peel could not tell how well the second frame fits.")


class FrameDesk(LaneDesk):
    """Carries out what the panel asks of the second frame."""

    def __init__(self, desk: DeskState, panel: MarkPanel) -> None:
        super().__init__(desk)
        self._page, self._panel = panel.frame, panel
        self._told: object = None
        self._page.file_asked.connect(self._on_file_asked)
        self._page.file_dropped.connect(self.take)
        self._page.drop_asked.connect(self._on_drop)
        desk.session_changed.connect(self._tell_fit)
        desk.step_changed.connect(self._tell_fit)
        desk.job_changed.connect(lambda _job, _before: self._tell_fit())

    def _on_file_asked(self) -> None:
        chosen = ask_picture(self._panel.window(), "Choose the second frame")
        if chosen is not None:
            self.take(chosen)

    def take(self, path: Path) -> None:
        """Compare a file with the photo, and go by it if it is a second frame of it."""
        job = self._desk.job
        if job is None:
            return
        photo = job.photo
        self._page.show_waiting(True)
        self.ask(_FRAME, lambda: read_frame(path, photo), self._on_read, ended=lambda: self._page.show_waiting(False))

    def _on_read(self, found: tuple[Asset, FrameKind]) -> None:
        asset, kind = found
        self._desk.edit("Second frame", lambda job: give_frame(job, asset, kind))
        more = "" if kind == "again" or (self._desk.job is not None and self._desk.job.has_subject) else (
            " Propose a subject (P) marks what differs from it."
        )  # fmt: skip
        self._desk.say(f"{asset.name} is {FRAME_WORDS[kind]}.{more}")

    def _on_drop(self) -> None:
        self._desk.edit("Take the second frame away", without_frame)
        if self._desk.view is View.SECOND:
            self._desk.show_view(View.PHOTO)

    def _tell_fit(self) -> None:
        """Say how well the frame fits, once for each frame, place and set of zones."""
        job = self._desk.job
        if job is None or self._desk.step is not Step.MARK:
            return
        asked = _fit_question(job)
        if asked == self._told:
            return
        self._told = asked
        if job.settings.recipe.second_frame.picture is None:
            self._page.show_fit(None)
            return
        self.ask(_FIT, lambda: fit_of(job), self._page.show_fit)


def _fit_question(job: Job) -> object:
    return job.photo, job.settings.recipe.second_frame, job.settings.photo.frame_nudge, job.zones
