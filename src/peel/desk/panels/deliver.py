"""Deliver: which files, where to, and what was written."""

from pathlib import Path

from PySide6.QtCore import QStandardPaths, QUrl, Signal
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QCheckBox, QComboBox, QFileDialog, QLabel, QLineEdit, QProgressBar

from peel.desk.controls.number_field import NumberField
from peel.desk.panels.panel import Panel, words
from peel.errors import PeelError
from peel.job.job import Job
from peel.job.settings import Delivery
from peel.work.delivery import Delivered, deliver, planned
from peel.work.scheduler import Lane, Ticket
from peel.work.session_events import Trouble

__all__ = ["DeliverPanel"]


class DeliverPanel(Panel):
    """Delivers the job on a worker.

    Signals
    -------
    failed : (Trouble,)
    folder_chosen : (str,)
    """

    failed = Signal(object)
    folder_chosen = Signal(str)
    _progressed = Signal(float)
    _finished = Signal(object)
    title = "Files to deliver"

    def build(self) -> None:
        """Put files, folder and button into the column."""
        self.column.setSpacing(4)  # the one panel with much in it
        self._lane = Lane("deliver")
        self._ticket: Ticket | None = None
        self._cutout = self._tick("Cutout, transparent PNG")
        self._cutout_bits = self._bits()
        self._flat = self._tick("On its backing, JPEG")
        self._quality = NumberField(
            "quality", low=40, high=100, default=92, unit="%", tip="Higher: larger files, fewer traces"
        )
        self._quality.changed.connect(lambda _value, dragged: None if dragged else self._on_changed())
        self._matte = self._tick("Matte, gray PNG")
        self._matte_bits = self._bits()
        self.row(self._cutout, self._cutout_bits).setStretch(0, 1)
        self.row(self._matte, self._matte_bits).setStretch(0, 1)
        self.column.addWidget(self._flat)
        self.column.addWidget(self._quality)
        self.rule()
        self._folder = QLineEdit(QStandardPaths.writableLocation(QStandardPaths.StandardLocation.PicturesLocation))
        self._folder.setAccessibleName("Folder to deliver into")
        self._folder.textChanged.connect(lambda _text: self._show_plan())
        self.row(self._folder, self.button("Choose…", self._on_choose, tip="Choose the folder")).setStretch(0, 1)
        self._names = words("")
        self.column.addWidget(self._names)
        self.go = self.button("Deliver", self.start, role="chief", tip="Write the ticked files (Ctrl+Return)")
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setFixedHeight(6)
        self._bar.hide()
        self._stop = self.button("Stop", self._on_stop)
        self._stop.hide()
        self.row(self.go, self._stop)
        self.column.addWidget(self._bar)
        self._written = QLabel()
        self._written.setObjectName("small")
        self._written.setWordWrap(True)
        self._open = self.button("Open the folder", self._on_open, role="link")
        self._open.hide()
        self.column.addWidget(self._written)
        self.column.addWidget(self._open)
        self._progressed.connect(lambda share: self._bar.setValue(round(share * 100)))
        self._finished.connect(self._on_finished)

    def _tick(self, text: str) -> QCheckBox:
        box = QCheckBox(text)
        box.setObjectName(f"deliver {text.split(',')[0].lower()}")
        box.clicked.connect(self._on_changed)
        return box

    def _bits(self) -> QComboBox:
        choice = QComboBox()
        choice.setAccessibleName("Bits a channel")
        choice.addItem("8 bit", 8)
        choice.addItem("16 bit", 16)
        choice.activated.connect(self._on_changed)
        return choice

    @property
    def folder(self) -> Path:
        """Where the files go."""
        return Path(self._folder.text()).expanduser()

    def set_folder(self, folder: Path) -> None:
        """Choose where the files go."""
        self._folder.setText(str(folder))

    def close_lane(self) -> None:
        """Cancel a delivery under way and end the worker."""
        self._lane.close()

    def show_job(self, job: Job) -> None:
        """Show which files are asked for."""
        settings = job.settings.delivery
        self._cutout.setChecked(settings.cutout)
        self._flat.setChecked(settings.flat)
        self._matte.setChecked(settings.matte)
        self._cutout_bits.setCurrentIndex(self._cutout_bits.findData(settings.cutout_bits))
        self._matte_bits.setCurrentIndex(self._matte_bits.findData(settings.matte_bits))
        self._quality.show_value(settings.flat_quality)
        self._show_plan()

    def _show_plan(self) -> None:
        if self.bridge is None:
            return
        job = self.bridge.job
        files = planned(job, self.folder)
        lines = [f"{path.name}{' (replaces the one there)' if path.exists() else ''}" for path, _what in files]
        self._names.setText("\n".join(lines) or "No file is ticked.")
        ready = bool(files) and job.has_subject and job.is_solved and self._ticket is None
        self.go.setEnabled(ready)
        self.go.setToolTip("Write the ticked files (Ctrl+Return)" if ready else "Mark a subject and let it solve first")

    def _on_changed(self) -> None:
        delivery = Delivery(
            cutout=self._cutout.isChecked(),
            cutout_bits=self._cutout_bits.currentData(),
            flat=self._flat.isChecked(),
            flat_quality=round(self._quality.value),
            matte=self._matte.isChecked(),
            matte_bits=self._matte_bits.currentData(),
        )
        self.edit(
            "Files to deliver",
            lambda job: job if job.settings.delivery == delivery else job.with_settings(delivery=delivery),
        )

    def _on_choose(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "Deliver into", str(self.folder))
        if chosen:
            self._folder.setText(chosen)
            self.folder_chosen.emit(chosen)

    def start(self) -> None:
        """Deliver."""
        if self.bridge is None or not self.go.isEnabled():
            return
        job, stages, folder = self.bridge.job, self.bridge.session.stages, self.folder
        self._written.setText("Writing…")
        self._open.hide()
        self._bar.setValue(0)
        self._bar.show()
        self._stop.show()
        self.go.setEnabled(False)

        def work(ticket: Ticket) -> list[Delivered]:
            def told(share: float) -> bool:
                self._progressed.emit(share)
                return not ticket.is_cancelled

            return deliver(job, stages, folder, told)

        self._ticket = self._lane.submit("deliver", work, self._finished.emit, self._finished.emit)

    def _on_stop(self) -> None:
        if self._ticket is not None:
            self._ticket.cancel()
            self._on_finished(None)

    def _on_finished(self, answer: list[Delivered] | BaseException | None) -> None:
        self._ticket = None
        self._bar.hide()
        self._stop.hide()
        self._show_plan()
        if isinstance(answer, list):
            lines = [f"{item.path.name}, {item.size_bytes / 1e6:.1f} MB" for item in answer]
            self._written.setText("Written: " + "; ".join(lines))
            self._open.show()
            return
        self._written.setText(
            "Stopped; files already written are whole." if answer is None else "Not everything was written."
        )
        if isinstance(answer, PeelError):
            self.failed.emit(Trouble(answer.message, answer.hint))
        elif answer is not None:
            self.failed.emit(Trouble("Delivery met an error Peel did not expect.", "", repr(answer)))

    @property
    def written(self) -> str:
        """What was written last, in words."""
        return self._written.text()

    def _on_open(self) -> None:
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(self.folder)))
