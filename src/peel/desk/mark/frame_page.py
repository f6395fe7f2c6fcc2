"""The part of Mark's panel that tells of the second frame."""

from PySide6.QtCore import Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QCheckBox

from peel.desk.controls.buttons import button
from peel.desk.files.dropped import dropped_files
from peel.desk.step.panel import Panel, words
from peel.job.job import Job
from peel.work.framing.frames import FRAME_WORDS, Fit
from peel.work.views import View

__all__ = ["FramePage"]


class FramePage(Panel):
    """One more picture of the same set; a file can be dropped here.

    Signals
    -------
    file_asked : ()
    file_dropped : (Path,)
    drop_asked : ()
        The frame is to be taken away.
    """

    file_asked = Signal()
    file_dropped = Signal(object)
    drop_asked = Signal()

    def build(self) -> None:
        """Put what is said of the frame, and what can be done with it, into the column."""
        self.setAcceptDrops(True)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.choose = button("Second frame…", self.file_asked.emit, name="second frame",
                             tip="The set without the subject, or the same subject before another backdrop, taken "
                             "from the same place; a file can be dropped here, too")  # fmt: skip
        self.column.addWidget(self.choose)
        with self.page() as self._there:
            self._what = words("", "strong")
            self._fit = words("", "small")
            self.column.addWidget(self._what)
            self.column.addWidget(self._fit)
            self.used = QCheckBox("Go by it")
            self.used.setToolTip(
                "Matte, edge colours and proposal go by the second frame; without the tick as without it"
            )
            self.bind_tick(self.used, "recipe.second_frame.used", "Go by the second frame")
            tip = "The second frame as it lies over the photo; Wipe sets it against the photo"
            self.look = button("Show it", lambda: self.desk.show_view(View.SECOND), tip=tip)
            self.drop = button("Take it away", self.drop_asked.emit, tip="Work without a second frame")
            self.column.addWidget(self.used)
            self.row(self.look, self.drop)
            tip = "By hand, beyond what Peel found: look at it with Wipe meanwhile"
            right, down = (
                self.number(f"photo.frame_nudge.{name}_px", name, "Align the second frame", tip=tip, step=0.5,
                            track=(-20, 20), live=False)
                for name in ("right", "down")
            )  # fmt: skip
            turn = self.number("photo.frame_nudge.turn_deg", "turn", "Align the second frame", tip=tip, step=0.1,
                               track=(-2, 2), live=False)  # fmt: skip
            self.row(right, down)
            self.column.addWidget(turn)

    def show_rest(self, job: Job) -> None:
        """Show which frame there is."""
        second = job.settings.recipe.second_frame
        self._there.setVisible(second.picture is not None)
        self.choose.setText("Second frame…" if second.picture is None else "Another second frame…")
        if second.picture is None:
            return
        asset = job.assets.get(second.picture)
        if asset is None:
            self._what.setText("The second frame is missing from the job: choose it again.")
        else:
            self._what.setText(f"{asset.name}: {FRAME_WORDS[second.kind]}")

    def show_fit(self, fit: Fit | None) -> None:
        """Show how well it fits."""
        self._fit.setText("" if fit is None else fit.says)

    def show_waiting(self, is_waiting: bool) -> None:
        """Show whether a file is being compared with the photo."""
        self.choose.setEnabled(not is_waiting)
        if is_waiting:
            self.choose.setText("Comparing it with the photo")
        elif self.desk.job is not None:
            self.show_rest(self.desk.job)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Take a file."""
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Compare the first file dropped with the photo."""
        files = dropped_files(event)
        if files:
            event.acceptProposedAction()
            self.file_dropped.emit(files[0])
