"""The empty window: open, drop a file here, go on with recent jobs, or take the demo assignment."""

import contextlib
import html
from dataclasses import dataclass, field
from pathlib import Path
from typing import Final

from PySide6.QtCore import QObject, QRectF, QSize, Qt, QThread, Signal
from PySide6.QtGui import QImage, QImageReader, QPainter, QPaintEvent, QShowEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from peel.demo.photos import ASSIGNMENT, NAMES, DemoPhoto, demo_photo
from peel.desk.controls.buttons import button
from peel.desk.controls.labels import words
from peel.desk.theme import current
from peel.errors import PeelError
from peel.work.session import job_files, memory
from peel.work.session.leftovers import OldJobs, clear, old_jobs

__all__ = ["Welcome"]

_SHOWN: Final = 3  # jobs of a sort


class _Card(QAbstractButton):
    """A demo photograph."""

    def __init__(self, photo: DemoPhoto) -> None:
        super().__init__()
        self.photo = photo
        self.setObjectName(f"demo {photo.name}")
        self.setText(photo.title)
        self.setAccessibleName(f"Demo photo {photo.title}")
        self.setAccessibleDescription(photo.brief)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.continues = False
        self._image = QImage()

    def show_picture(self, image: QImage) -> None:
        """Show the photo."""
        self._image = image
        self.update()

    def sizeHint(self) -> QSize:
        """Ask for a picture and five lines."""
        return QSize(270, 310)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint picture, title and brief."""
        theme = current()
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        painter.setPen(theme.colour("accent" if self.hasFocus() or self.underMouse() else "line"))
        painter.setBrush(theme.colour("field"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 8, 8)
        target = QRectF(8, 8, self.width() - 16, 190)
        if self._image.isNull():
            painter.fillRect(target, theme.colour("raised"))
        else:
            painter.drawImage(target, self._image, self._source(target))
        font = self.font()
        font.setPixelSize(15)
        font.setWeight(font.Weight.DemiBold)
        painter.setFont(font)
        painter.setPen(theme.colour("text"))
        painter.drawText(QRectF(12, 204, self.width() - 24, 22), Qt.AlignmentFlag.AlignLeft, self.photo.title)
        font.setPixelSize(13)
        font.setWeight(font.Weight.Normal)
        painter.setFont(font)
        painter.setPen(theme.colour("muted"))
        flags = Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap
        painter.drawText(QRectF(12, 226, self.width() - 24, 56), flags, self.photo.brief)
        painter.setPen(theme.colour("accent"))
        invitation = "Go on where you were" if self.continues else "Begin"
        painter.drawText(QRectF(12, 284, self.width() - 24, 20), Qt.AlignmentFlag.AlignLeft, invitation)

    def _source(self, target: QRectF) -> QRectF:
        """Choose the part of the picture that fills the target; the upper part of tall ones."""
        image = self._image
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

    recent: list[Path] = field(default_factory=list)
    boards: list[Path] = field(default_factory=list)
    unkept: list[Path] = field(default_factory=list)
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
            begun = frozenset(name for name, path in demo.items() if path is not None)
            boards = memory.read_preference("assignments")
            folders = [Path(text) for text in boards if isinstance(text, str)] if isinstance(boards, list) else []
            folders = [folder for folder in folders if folder.is_dir()][:_SHOWN]
            self.found = _Listed(job_files.recent()[:_SHOWN], folders, others[:_SHOWN], begun, old_jobs())


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

    def showEvent(self, event: QShowEvent) -> None:
        """Begin to read the pictures once there is something to see."""
        super().showEvent(event)
        if not self._pictures.isRunning() and not self._pictures.isFinished():
            self._pictures.start()

    def close_threads(self) -> None:
        """Wait for what runs beside the window."""
        self._pictures.wait()
        self._listing.wait()

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
        while (item := self._jobs.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for title, paths in (("Recent jobs", listed.recent), ("Not kept under a name yet", listed.unkept)):
            if paths:
                self._jobs.addSpacing(6)
                self._jobs.addWidget(words(title, "title"))
            for path in paths:
                self._jobs.addWidget(self._job_button(path))
        self._show_boards(listed.boards)
        if listed.old.paths:
            self._jobs.addWidget(self._clear_button(listed.old))
        for card in self.cards:
            card.continues = card.photo.name in listed.demo
            card.update()

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

    def _job_button(self, path: Path) -> QPushButton:
        name = path.stem.rpartition("-")[0] if job_files.is_unkept(path) else path.name
        return button(name, lambda: self.job_chosen.emit(path), role="link", tip=html.escape(str(path)))
