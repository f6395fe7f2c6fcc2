"""The empty window: open, drop a file here, go on with recent jobs, or take the demo assignment."""

import contextlib
import html
from dataclasses import dataclass, field
from operator import itemgetter
from pathlib import Path
from typing import Final

from PySide6.QtCore import QObject, QRectF, QSize, Qt, QThread, Signal
from PySide6.QtGui import QImage, QImageReader, QPaintEvent, QShowEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from peel.demo.photos import ASSIGNMENT, NAMES, DemoPhoto, demo_photo
from peel.desk.controls.buttons import button
from peel.desk.controls.labels import words
from peel.desk.controls.picture_card import PictureCard
from peel.desk.job_cards import JobCard, JobCards, ReadCard
from peel.desk.theme import current
from peel.errors import PeelError
from peel.work.session import job_files, memory
from peel.work.session.leftovers import OldJobs, clear, old_jobs

__all__ = ["Welcome"]

_PICTURE_PX: Final = 190
_LOW_PX: Final = 96
_SHOWN: Final = 5  # jobs
_BOARDS: Final = 3


class _Card(PictureCard):
    """A demo photograph."""

    def __init__(self, photo: DemoPhoto) -> None:
        super().__init__(photo.title, f"Demo photo {photo.title}")
        self.photo = photo
        self.setObjectName(f"demo {photo.name}")
        self.setAccessibleDescription(photo.brief)
        self.continues = False
        self._picture_px = _PICTURE_PX

    def sizeHint(self) -> QSize:
        """Ask for a picture and five lines."""
        return QSize(270, self._picture_px + 120)

    def set_low(self, low: bool) -> None:
        """Take less room, where there is recent work above."""
        self._picture_px = _LOW_PX if low else _PICTURE_PX
        self.updateGeometry()
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint picture, title and brief."""
        painter = self.paint_frame()
        target, below, wide = (
            QRectF(8, 8, self.width() - 16, self._picture_px),
            self._picture_px + 14,
            self.width() - 24,
        )
        if self.image.isNull():
            painter.fillRect(target, current().colour("raised"))
        else:
            painter.drawImage(target, self.image, self._source(target))
        self.paint_name(painter, QRectF(12, below, wide, 22), 15)
        self.paint_words(painter, QRectF(12, below + 22, wide, 56), self.photo.brief, 13)
        invitation = "Go on where you were" if self.continues else "Begin"
        self.paint_words(painter, QRectF(12, below + 80, wide, 20), invitation, 13, "accent")

    def _source(self, target: QRectF) -> QRectF:
        """Choose the part of the picture that fills the target; the upper part of tall ones."""
        image = self.image
        scale = max(target.width() / image.width(), target.height() / image.height())
        width, height = target.width() / scale, target.height() / scale
        return QRectF((image.width() - width) / 2, (image.height() - height) * 0.25, width, height)


class _Pictures(QThread):
    """Reads the demo photographs, small, beside the window's thread."""

    read = Signal(str, QImage)

    def run(self) -> None:
        """Read them one after another; called by Qt on the new thread."""
        for name in NAMES:
            reader = QImageReader(str(demo_photo(name).photo))
            size = reader.size().scaled(QSize(560, 400), Qt.AspectRatioMode.KeepAspectRatioByExpanding)
            reader.setScaledSize(size)
            self.read.emit(name, reader.read())


@dataclass(frozen=True)
class _Listed:
    """The jobs that the empty window offers, and the demo photos that have been begun."""

    recent: list[tuple[Path, float]] = field(default_factory=list)  # and when each was changed, the latest first
    boards: list[Path] = field(default_factory=list)
    demo: frozenset[str] = frozenset()
    old: OldJobs = field(default_factory=lambda: OldJobs((), 0))


class _Listing(QThread):
    """Looks at the disk for jobs beside the window's thread."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.found = _Listed()
        self._to_clear: OldJobs | None = None

    def clear_first(self, old: OldJobs) -> None:
        """Delete old jobs before looking the next time."""
        self._to_clear = old

    def run(self) -> None:
        """Look; called by Qt on the new thread."""
        with contextlib.suppress(PeelError):  # without a state folder there is nothing to offer
            if self._to_clear is not None:
                clear(self._to_clear)
                self._to_clear = None
            demo = {name: job_files.unkept_for(f"{name}.jpg") for name in NAMES}
            others = [path for path in job_files.unkept() if path not in demo.values()]
            jobs = [(path, job_files.changed_at(path)) for path in (*job_files.recent(), *others)]
            latest = sorted(jobs, key=itemgetter(1), reverse=True)[:_SHOWN]
            begun = frozenset(name for name, path in demo.items() if path is not None)
            boards = memory.read_preference("assignments")
            folders = [Path(text) for text in boards if isinstance(text, str)] if isinstance(boards, list) else []
            folders = [folder for folder in folders if folder.is_dir()][:_BOARDS]
            self.found = _Listed(latest, folders, begun, old_jobs())


class Welcome(QWidget):
    """What an empty window shows.

    Signals
    -------
    open_pressed : ()
    job_chosen : (Path,)
    demo_chosen : (str,)
    folder_pressed : ()
        A folder of photos is to be asked for.
    folder_chosen : (Path,)
        An assignment that was opened lately.
    """

    open_pressed = Signal()
    job_chosen = Signal(object)
    demo_chosen = Signal(str)
    folder_pressed = Signal()
    folder_chosen = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("surface")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(48, 28, 48, 28)
        column = QVBoxLayout()
        column.setSpacing(12)
        holder = QWidget()
        holder.setMaximumWidth(960)
        holder.setLayout(column)
        outer.addStretch(1)
        middle = QHBoxLayout()
        middle.addStretch(1)
        middle.addWidget(holder, 20)
        middle.addStretch(1)
        outer.addLayout(middle)
        outer.addStretch(2)
        column.addWidget(words("Cut a subject from its backdrop", "headline"))
        row = QHBoxLayout()
        self.open = button("Open a photo or job…", self.open_pressed.emit, role="chief")
        row.addWidget(self.open)
        self.folder = button("Open a folder of photos…", self.folder_pressed.emit, name="open folder",
                             tip="An assignment: its photos on a board")  # fmt: skip
        row.addWidget(self.folder)
        row.addWidget(words("or drop photos, a folder or a .peel job anywhere in this window", "muted"), 1)
        column.addLayout(row)
        self._jobs = QVBoxLayout()
        self._jobs.setSpacing(0)
        column.addLayout(self._jobs)
        column.addSpacing(8)
        column.addWidget(words("The demo assignment", "title"))
        column.addWidget(words(ASSIGNMENT + ": puppets to be cut out of workshop photographs.", "muted"))
        cards = QHBoxLayout()
        cards.setSpacing(14)
        self.cards = [_Card(demo_photo(name)) for name in NAMES]
        for card in self.cards:
            cards.addWidget(card)
            card.clicked.connect(lambda _checked=False, name=card.photo.name: self.demo_chosen.emit(name))
        column.addLayout(cards)
        self._wait = words("Laying out the tools…", "muted")
        self._wait.hide()
        column.addWidget(self._wait)
        self._listing, self._again = _Listing(self), False
        self._listing.finished.connect(self._on_listed)
        self._pictures = _Pictures(self)
        self._pictures.read.connect(self._on_picture)
        self._recent: list[JobCard] = []
        self._shown: object = None
        self._is_loaded = False
        self._job_cards = JobCards(self)
        self._job_cards.read.connect(self._on_job_read)
        self._job_cards.finished.connect(self._on_all_read)
        self._reads_again = False

    def showEvent(self, event: QShowEvent) -> None:
        """Begin to read the pictures once there is something to see."""
        super().showEvent(event)
        if not self._pictures.isRunning() and not self._pictures.isFinished():
            self._pictures.start()

    def close_threads(self) -> None:
        """Wait for what runs beside the window."""
        self._pictures.wait()
        self._listing.wait()
        self._job_cards.wait()

    def _on_picture(self, name: str, image: QImage) -> None:
        for card in self.cards:
            if card.photo.name == name:
                card.show_picture(image)

    def show_waiting(self) -> None:
        """Say that what was asked for is done as soon as the tools have been loaded."""
        self._wait.show()

    def show_first_time(self) -> None:
        """Say why the tools take so long, this once."""
        self._wait.setText("Peel is getting ready for the first time, which takes a minute or two…")
        self._wait.show()

    def show_loaded(self) -> None:
        """Say nothing more of the tools: they are there."""
        self._wait.hide()
        self._is_loaded = True
        self._read_jobs()

    def refresh(self) -> None:
        """Look again at which jobs there are; the disk is looked at on a thread."""
        self._wait.hide()
        if self._listing.isRunning():
            self._again = True
        else:
            self._listing.start()

    def _on_listed(self) -> None:
        if self._again:
            self._again = False
            self._listing.start()
            return
        listed = self._listing.found
        for card in self.cards:
            card.continues = card.photo.name in listed.demo
            card.update()
        shown = ([path for path, _ in listed.recent], listed.boards, listed.old.paths)
        if shown == self._shown:  # nothing has come or gone: no card changes under the cursor
            for job, (_, changed_at) in zip(self._recent, listed.recent, strict=True):
                job.show_changed(changed_at)
            self._read_jobs()
            return
        self._shown = shown
        while (item := self._jobs.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self._show_jobs(listed.recent)
        self._show_boards(listed.boards)
        if listed.old.paths:
            self._jobs.addWidget(self._clear_button(listed.old))

    def _show_jobs(self, jobs: list[tuple[Path, float]]) -> None:
        """Show recent work as cards; what they show is read once the tools are loaded."""
        self._recent = [JobCard(path, changed_at) for path, changed_at in jobs]
        for card in self.cards:
            card.set_low(bool(self._recent))
        if not self._recent:
            return
        self._jobs.addSpacing(6)
        self._jobs.addWidget(words("Recent work", "title"))
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 4, 0, 4)
        row.setSpacing(10)
        for job in self._recent:
            row.addWidget(job)
            job.clicked.connect(lambda _checked=False, path=job.path: self.job_chosen.emit(path))
        for _ in range(_SHOWN - len(self._recent)):
            row.addStretch(1)
        self._jobs.addWidget(holder)
        self._read_jobs()

    def _read_jobs(self) -> None:
        if not self._is_loaded or not self._recent:
            return
        self._reads_again = self._job_cards.isRunning()
        if not self._reads_again:
            self._job_cards.paths = tuple(card.path for card in self._recent)
            self._job_cards.start()

    def _on_all_read(self) -> None:
        """Read once more for cards that were made meanwhile."""
        if self._reads_again:
            self._read_jobs()

    def _on_job_read(self, read: ReadCard) -> None:
        for card in self._recent:
            if card.path == read.path:
                card.show_read(read)

    def _show_boards(self, folders: list[Path]) -> None:
        if folders:
            self._jobs.addWidget(words("Recent assignments", "title"))
        for folder in folders:
            self._jobs.addWidget(self._folder_button(folder))

    def _folder_button(self, folder: Path) -> QPushButton:
        tip = html.escape(str(folder))
        return button(folder.name, lambda: self.folder_chosen.emit(folder), role="link", tip=tip)

    def _clear_button(self, old: OldJobs) -> QPushButton:
        count, size = len(old.paths), old.size_bytes / 1e6
        what = "job" if count == 1 else f"{count} jobs"
        made = button(f"Clear the {what} never kept and not touched for a month ({size:.0f} MB)",
                      lambda: self._listing.clear_first(old), role="link",
                      tip="Deletes them for good; jobs that were kept under a name stay")  # fmt: skip
        made.clicked.connect(lambda _checked=False: self.refresh())
        return made
