"""Deliver: the snags that are left, which files by which presets, where to, and what was written."""

from dataclasses import replace
from functools import partial
from pathlib import Path

from PySide6.QtCore import QStandardPaths, QUrl, Signal
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QLineEdit,
    QProgressBar,
)

from peel.desk.asking import Asker, task
from peel.desk.controls.buttons import button
from peel.desk.deliver.preset_list import PresetList
from peel.desk.deliver.snag_list import SnagList
from peel.desk.step.panel import Panel, words
from peel.errors import AlreadyThereError, PeelError
from peel.job.job import Job
from peel.job.preset import Preset
from peel.job.settings import value_of
from peel.matte.parallel import checkpoint
from peel.work.delivering.delivery import deliver_job
from peel.work.delivering.delivery_report import write_report
from peel.work.delivering.order import DeliveryOrder, all_presets, orders_of, presets_of
from peel.work.delivering.rows import FileRow
from peel.work.scheduler import Lane
from peel.work.session import memory
from peel.work.session.memory import is_file

__all__ = ["DeliverPanel"]

_PLAN = task("files to deliver", "The files to deliver could not be listed.")
_DELIVER = task("deliver", "Delivery met an error that Peel did not expect.", stops=True)
_FORGET = task("forget steps", "The steps could not be forgotten.")


class DeliverPanel(Panel):
    """Delivers the job on a worker."""

    compare_asked = Signal(object, object)
    delivered = Signal(object)
    title = "Look it over"

    def build(self) -> None:
        """Put snags, files, folder and button into the column."""
        self._asker = self.desk.asker(self)
        self._deliverer = Asker(Lane("deliver"), self.desk.say, self)  # its own: it may take minutes
        self._is_delivering = False
        self._delivering: Job | None = None
        self._asks_again = False
        self.snags = SnagList()
        self.column.addWidget(self.snags)
        self.rule()
        self.column.addWidget(words("Files to deliver", "title"))
        self._cutout = self._tick("Cutout, transparent PNG", "cutout")
        self._cutout_bits = self._bits("cutout_bits")
        self._flat = self._tick("On its backing, JPEG", "flat")
        tip = "Higher: larger files, fewer traces"
        self._quality = self.number("recipe.delivery.flat_quality", "quality", "Files to deliver", tip=tip, live=False)
        self._matte = self._tick("Matte, gray PNG", "matte")
        self._matte_bits = self._bits("matte_bits")
        self.row(self._cutout, self._cutout_bits).setStretch(0, 1)
        self.row(self._matte, self._matte_bits).setStretch(0, 1)
        self.column.addWidget(self._flat)
        self.column.addWidget(self._quality)
        self._build_presets()
        self.rule()
        remembered = memory.read_preference("folder")
        pictures = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.PicturesLocation)
        self._folder = QLineEdit(remembered if isinstance(remembered, str) and remembered else pictures)
        self._folder.setAccessibleName("Folder to deliver into")
        self._folder.textChanged.connect(lambda _text: self.show_plan())
        self.row(self._folder, button("Choose…", self._on_choose, tip="Choose the folder")).setStretch(0, 1)
        self._names = words("")
        self.column.addWidget(self._names)
        self.go = button("Deliver", self.start, role="chief", tip="Write the ticked files (Ctrl+Return)")
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setFixedHeight(6)
        self._bar.hide()
        self._stop = button("Stop", self._on_stop)
        self._stop.hide()
        self._written = words("")
        self.pin(self.go, self._stop)
        self.pin(self._bar)
        self.pin(self._written)
        self._written.hide()
        self._open = button("Open the folder", self._on_open, role="link")
        self._open.hide()
        self._files = QComboBox()
        self._files.setAccessibleName("File to compare with the photo")
        self.compare = button("Compare", self._on_compare, tip="Reads the file back and shows it against the photo")
        self.compare.setObjectName("compare delivered")
        self.row(self._files, self.compare).setStretch(0, 1)
        self._files.hide()
        self.compare.hide()
        self.column.addWidget(self._open)
        self.rule()
        self._undo = words("")
        self._forget = button("Forget the steps of undo", self._on_forget, role="link",
                                   tip="Makes the job's file smaller. What was done cannot be undone then")  # fmt: skip
        self.column.addWidget(self._undo)
        self.column.addWidget(self._forget)

    def _build_presets(self) -> None:
        self.presets = PresetList()
        self.column.addWidget(self.presets)
        self.report = QCheckBox("Write a report beside them, JSON and CSV")
        self.report.setChecked(memory.read_preference("report") is True)
        self.report.clicked.connect(lambda on: memory.write_preference("report", bool(on)))
        self.column.addWidget(self.report)
        self._rights = words("", "muted")
        self.column.addWidget(self._rights)

    def show_rights(self, text: str) -> None:
        """Show what the photo says of rights and credit."""
        self._rights.setText(text)

    def _tick(self, text: str, name: str) -> QCheckBox:
        box = QCheckBox(text)
        box.setObjectName(f"deliver {text.split(',')[0].lower()}")
        self.bind_tick(box, f"recipe.delivery.{name}", "Files to deliver")
        return box

    def _bits(self, name: str) -> QComboBox:
        choice = QComboBox()
        choice.setAccessibleName("Bits a channel")
        choice.addItem("8 bit", 8)
        choice.addItem("16 bit", 16)
        path = f"recipe.delivery.{name}"
        choice.activated.connect(lambda _index: self._set("Files to deliver", path, choice.currentData()))
        self._bound.append(lambda job: choice.setCurrentIndex(choice.findData(value_of(job.settings, path))))
        return choice

    @property
    def folder(self) -> Path:
        """Where the files go; a folder of a user who is not known stays as typed."""
        typed = Path(self._folder.text())
        try:
            return typed.expanduser()
        except RuntimeError:
            return typed

    def set_folder(self, folder: Path) -> None:
        """Choose where the files go."""
        self._folder.setText(str(folder))

    def close_workers(self) -> None:
        """Cancel what is under way and end the workers. Any thread."""
        self._deliverer.close()
        self._asker.close()

    def show_rest(self, job: Job) -> None:
        """Show which files are asked for, and how much there is to undo."""
        del job
        self.show_plan()
        steps = len(self.session.history.states) - 1 if self.session is not None else 0
        self._undo.setText(f"{steps} step{'' if steps == 1 else 's'} can be undone")
        self._forget.setEnabled(steps > 0)

    def show_plan(self) -> None:
        """Show what will be written; the disk is looked at on the worker."""
        job = self.desk.job
        if job is None:
            return
        self._asks_again = False
        self.go.setText("Deliver")
        folder = self.folder
        orders = presets_of(job.settings.recipe.delivery) or job.settings.recipe.delivery.presets
        self._asker.ask(_PLAN, lambda: _plan_words(job, folder), self._names.setText)
        ready = bool(orders) and job.has_subject and job.is_solved and not self._is_delivering
        self.go.setEnabled(ready)
        self.go.setToolTip("Write the ticked files (Ctrl+Return)" if ready else "Mark a subject and let it solve first")

    def _on_choose(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "Deliver into", str(self.folder))
        if chosen:
            self._folder.setText(chosen)
            memory.write_preference("folder", chosen)

    def start(self) -> None:
        """Deliver."""
        job, session, folder = self.desk.job, self.session, self.folder
        if job is None or session is None or not self.go.isEnabled():
            return
        stages, replaces, reports = session.stages, self._asks_again, self.report.isChecked()
        found = self.desk.found_in(job)
        self._say_written("Writing…")
        self._open.hide()
        self._bar.setValue(0)
        self._bar.show()
        self._stop.show()
        self.go.setEnabled(False)

        def work() -> list[tuple[FileRow, Preset]]:
            def report(share: float) -> bool:
                checkpoint()
                self._deliverer.post(partial(self._bar.setValue, round(share * 100)))
                return True

            order = DeliveryOrder(folder, tuple(all_presets(job)), replaces=replaces)
            row = deliver_job(job, stages, order, report, original=session.project.photo()[1])
            if reports:
                stem = folder / f"{Path(job.photo.name).stem}-report"
                row = replace(row, snags_open=None if found is None else len(found.open_snags(job)))
                for suffix in (".json", ".csv"):
                    write_report([row], stem.with_suffix(suffix))
            return list(zip(row.files, order.presets, strict=True))

        self._is_delivering, self._delivering = True, job
        self._deliverer.ask(_DELIVER, work, self._on_delivered, ended=self._on_ended, failed=self._on_failed)

    def _on_stop(self) -> None:
        self._deliverer.forget()
        self._say_written("Stopped; files already written are whole.")

    def _on_ended(self) -> None:
        self._is_delivering = False
        self._bar.hide()
        self._stop.hide()
        self.show_plan()

    def _on_failed(self, error: BaseException) -> None:
        self._say_written("Not everything was written.")
        if isinstance(error, AlreadyThereError):  # a preset says to ask: the next press is the answer
            self._asks_again = True
            self.go.setText("Deliver and replace")

    def _on_delivered(self, answer: list[tuple[FileRow, Preset]]) -> None:
        lines = [f"{Path(item.file).name}, {item.bytes / 1e6:.1f} MB" for item, _ in answer]
        self._say_written("Written: " + "; ".join(lines))
        self._files.clear()
        for item, preset in answer:
            self._files.addItem(Path(item.file).name, (item, preset))
        for part in (self._open, self._files, self.compare):
            part.show()
        self.desk.delivered = self._delivering
        self.desk.inspected.emit()  # the job's card says so
        self.delivered.emit(answer)

    def _say_written(self, said: str) -> None:
        self._written.setText(said)
        self._written.show()

    def _on_compare(self) -> None:
        chosen = self._files.currentData()
        if chosen is not None:
            self.compare_asked.emit(*chosen)

    def _on_forget(self) -> None:
        session = self.session
        if session is not None:
            self._forget.setEnabled(False)
            self._deliverer.ask(_FORGET, session.compact, self._on_forgotten)

    def _on_forgotten(self, size_bytes: int) -> None:
        self.desk.say(f"The steps are forgotten; the job's file is {size_bytes / 1e6:.1f} MB smaller.")

    @property
    def written(self) -> str:
        """What was written last, in words."""
        return self._written.text()

    def _on_open(self) -> None:
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(self.folder)))


def _plan_words(job: Job, folder: Path) -> str:
    """Say which files will be written, and which are there already; or why none can be."""
    try:
        orders = orders_of(job, DeliveryOrder(folder, tuple(all_presets(job))))
    except PeelError as error:
        return f"{error.message} {error.hint}"
    lines = [f"{order.path.name}{' (replaces the one there)' if is_file(order.path) else ''}" for order in orders]
    return "\n".join(lines) or "No file is ticked."
