"""The board's work: watching its folder, its pictures, opening from it, carrying, and runs in the background."""

import base64
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Final

from PySide6.QtCore import QFileSystemWatcher, QObject, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QImage, QImageReader

from peel.desk.asking import Asker, task
from peel.desk.board.board_carry import BoardCarry
from peel.desk.board.board_run import BoardRun
from peel.desk.board.page import BoardPage
from peel.desk.desk_state import DeskState
from peel.desk.display.tiles import image_from_rgb
from peel.desk.files.file_desk import FileDesk
from peel.desk.files.file_dialogs import ask_folder, ask_photos, ask_picture
from peel.errors import PeelError
from peel.files.connection import is_open_here
from peel.files.upload import is_address
from peel.job.job import Job
from peel.work.delivering.rows import RunRow
from peel.work.many.board import Board, Entry, note_board
from peel.work.many.carrying import What
from peel.work.many.runs import RunOrder
from peel.work.many.status import Progress, Status, status_of
from peel.work.many.thumbs import job_thumb, noted_thumb, photo_thumb
from peel.work.scheduler import Lane
from peel.work.session.session import Session

__all__ = ["BoardDesk"]

_ADOPT = task("adopt jobs", "Jobs of this folder could not be given their place beside the photos.")
_ADD = task("add photos", "The photos could not be added to the board.")
_FOLDERS = task("tell folders from files", "Peel could not look at what was dropped.")
_SCAN = task("scan", "The folder could not be looked at.")
_CARD = task("card", "The picture of a card could not be drawn.")
_OWN_CARD = task("card of the open photo", "The picture of the open photo's card could not be drawn.")
_SCAN_MS: Final = 10_000  # between two looks at what no watch tells of: a photo that is written over in its place
_ARRIVING_MS: Final = 1000  # ... while a photo is still being written
_SOON_MS: Final = 250  # after something changed in the folder
_THUMB: Final = QSize(364, 300)


class BoardDesk(QObject):
    """Carries out what the board asks for; one folder at a time.

    Signals
    -------
    shown, left : ()
        The board is to be seen; the photo is to be seen again.
    """

    shown = Signal()
    left = Signal()

    def __init__(self, desk: DeskState, files: FileDesk, page: BoardPage) -> None:
        super().__init__(desk)
        self._desk, self._files, self.page = desk, files, page
        self.board = Board()
        self.entries: list[Entry] = []
        lanes = Lane("board"), Lane("cards", threads=2), Lane("run", in_order=True)
        self._scans, self._pictures, self._work = (Asker(lane, desk.say, self) for lane in lanes)
        self._run = BoardRun(self._work, files.assignment.borrowed, self)
        self._carrying = BoardCarry(self._work, files.assignment, self)
        self._from: Job | None = None  # what is carried from
        self._timer = QTimer(self)
        self._timer.setInterval(_SCAN_MS)
        self._timer.timeout.connect(self.scan)
        self._watched = QFileSystemWatcher(self)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_SOON_MS)
        self._soon.timeout.connect(self.scan)
        self._watched.directoryChanged.connect(lambda _path: self._soon.start() if self._timer.isActive() else None)
        self._connect()

    def _connect(self) -> None:
        page, desk = self.page, self._desk
        page.opened.connect(self.open)
        page.back_asked.connect(self.leave)
        page.folder_asked.connect(self._ask_folder)
        page.photos_asked.connect(self._ask_photos)
        page.carry_shown.connect(self._show_carry)
        page.carry_asked.connect(self._carry)
        page.deliver_asked.connect(self._deliver)
        page.set_asked.connect(self._ask_set)
        page.seen_asked.connect(self._carrying.approve)
        page.stop_asked.connect(self._run.stop)
        page.pause_asked.connect(self._pause)
        page.model.picture_wanted.connect(self._draw)
        desk.ask.board.connect(self.toggle)
        desk.ask.photo.connect(self.walk)
        run = self._run
        run.noted.connect(page.model.show_note)
        run.moved.connect(self._on_moved)
        run.done.connect(self._on_done)
        carrying = self._carrying
        carrying.noted.connect(page.model.show_note)
        carrying.pictured.connect(page.model.show_picture)
        carrying.done.connect(self._on_carried)

    def begin_to_close(self) -> list[Callable[[], object]]:
        """Look for changes no more, and return what is left to do, on any thread."""
        self._timer.stop()
        self._soon.stop()
        return [self._close]

    def _close(self) -> None:
        """Stop what is under way and end the workers."""
        self._run.stop()
        for asker in (self._scans, self._pictures, self._work):
            asker.close()

    @property
    def is_idle(self) -> bool:
        """Whether nothing is looked at, drawn or run."""
        return self._scans.is_idle and self._pictures.is_idle and self._work.is_idle

    # what is on it

    def open_folder(self, folder: Path) -> None:
        """Show the photos of a folder."""
        self.board = Board(folder)
        self.entries = []
        note_board(folder)
        self.show()

    def open_photos(self, photos: list[Path]) -> None:
        """Show chosen photos."""
        self.board = Board(photos=photos)
        self.entries = []
        self.show()

    def show(self) -> None:
        """Show the board; what was done on the open photo is noted first."""
        self._note_status()
        self._adopt()
        if self._desk.job is not None:
            self._from = self._desk.job
        self.page.show_source(self._from.photo.name if self._from is not None else "")
        self.page.show_board(self.board.title, self.entries)
        self._watch()
        self._timer.start()
        self.scan()
        self.shown.emit()

    def _watch(self) -> None:
        """Watch the board's folder, and no other; where the system cannot, the timer still looks."""
        wanted = [str(self.board.folder)] if self.board.folder is not None else []
        if self._watched.directories() != wanted:
            if self._watched.directories():
                self._watched.removePaths(self._watched.directories())
            self._watched.addPaths(wanted) if wanted else None

    def _adopt(self) -> None:
        """Give jobs of this folder's photos that were never kept their place beside the photos."""
        board = self.board
        if board.folder is not None:
            self._files.adopt_into(board.folder)
            self._scans.ask(_ADOPT, board.adopt, self._on_adopted)

    def _on_adopted(self, said: list[str]) -> None:
        if said:
            self._desk.say(said[0], "Check that you may write to the folder.")

    def leave(self) -> None:
        """Show the photo again."""
        self._timer.stop()
        self.left.emit()

    def toggle(self) -> None:
        """Show the board, or the photo again."""
        if self.page.isVisible():
            self.leave()
        else:
            if self.board.folder is None and not self.entries:
                self._take_folder_of_open_photo()
            self.show()

    def _take_folder_of_open_photo(self) -> None:
        bridge = self._desk.bridge
        source = self._files.source_of(bridge.session) if bridge is not None else None
        if source is not None:
            self.board = Board(source.parent)

    def _ask_folder(self) -> None:
        chosen = ask_folder(self.page.window())
        if chosen is not None:
            self.open_folder(chosen)

    def _ask_photos(self) -> None:
        chosen = ask_photos(self.page.window())
        if chosen:
            self.add(chosen)

    def add(self, paths: list[Path]) -> None:
        """Add photos, or folders of them, to the board; a first folder becomes the board."""
        self.find_folders(paths, partial(self._add, paths))

    def find_folders(self, paths: list[Path], then: Callable[[list[Path]], object]) -> None:
        """Find which paths are folders, on a worker: the disk they lie on may be slow to answer."""
        self._pictures.ask(_FOLDERS, lambda: [path for path in paths if path.is_dir()], then, key=None)

    def show_paths(self, paths: list[Path], folders: list[Path]) -> None:
        """Show the first of the folders among some paths and add the rest to it, or show the photos."""
        if folders:
            self.open_folder(folders[0])
            self.add([path for path in paths if path != folders[0]])
        else:
            self.open_photos(paths)

    def _add(self, paths: list[Path], folders: list[Path]) -> None:
        if folders and self.board.folder is None and not self.entries:
            self.open_folder(folders[0])
            return
        board = self.board
        self._scans.ask(_ADD, partial(board.add, paths), lambda _none: None, key=None)
        self.scan()

    def scan(self) -> None:
        """Look at the folder on the worker."""
        board = self.board
        self._scans.ask(_SCAN, board.scan, partial(self._on_scanned, board))

    def _on_scanned(self, board: Board, entries: list[Entry]) -> None:
        self._timer.setInterval(_ARRIVING_MS if any(entry.is_arriving for entry in entries) else _SCAN_MS)
        if board is self.board and entries != self.entries:
            self.entries = entries
            self.page.show_board(board.title, entries)

    def _draw(self, entry: Entry) -> None:
        """Draw a card's picture on the worker; that of a job that is open here is noted and shown by its session."""
        key, has_one = str(entry.photo), self.page.model.has_picture(entry)

        def draw() -> QImage | None:
            return None if has_one and is_open_here(entry.job) else _picture(entry)

        def show(image: QImage | None) -> None:
            if image is not None:
                self.page.model.show_picture(key, image)

        self._pictures.ask(_CARD, draw, show, key=key)

    # working on a photo

    def open(self, entry: Entry) -> None:
        """Open a photo of the board: its job if it has one, otherwise a new one beside it."""
        if entry.is_arriving or (entry.is_gone and not entry.is_begun):
            self._desk.say(f"{entry.name} is not there yet." if entry.is_arriving else f"{entry.name} is gone.")
            return
        self._note_status()
        self._timer.stop()
        if entry.is_begun and (entry.is_gone or entry.job == entry.photo):
            self._files.open_path(entry.job)
        else:
            self._files.begin_at(entry.photo, entry.job)
        self.left.emit()

    def walk(self, by: int) -> None:
        """Open the next photo of the board, or the one before."""
        bridge = self._desk.bridge
        present = [entry for entry in self.page.model.entries if not entry.is_gone and not entry.is_arriving]
        if bridge is None or not present:
            return
        path = bridge.session.project.path
        at = next((number for number, entry in enumerate(present) if entry.job == path), None)
        if at is None or not 0 <= at + by < len(present):
            self._desk.say(
                "There is no further photo on the board." if at is not None else "This photo is not on the board."
            )
        else:
            self.open(present[at + by])

    def note_counted(self) -> None:
        """Note how many snags the open job has, once they were counted: its card is read without opening it."""
        bridge = self._desk.bridge
        if bridge is not None and bridge.session.project.path in {entry.job for entry in self.entries}:
            self._note_status()

    def _note_status(self) -> None:
        """Note in the open job how far it has come, and its picture, for its card."""
        bridge = self._desk.bridge
        if bridge is not None:
            session, job = bridge.session, bridge.job
            was = next((own.status.progress for own in self.entries if own.job == session.project.path), None)
            delivered = was is Progress.DELIVERED and not session.history.redo_label and not session.history.undo_label
            status = status_of(job, self._desk.found_in(job), was_delivered=delivered)
            session.note("status", status.as_note())
            self.board.tell(session.project.path, status)
            entry = next((own for own in self.entries if own.job == session.project.path), None)
            self._pictures.ask(_OWN_CARD, partial(_own_thumb, session, job), partial(self._show_own, entry))

    def _show_own(self, entry: Entry | None, text: str) -> None:
        """Show the picture of the open job on its card."""
        if text and entry is not None:
            self.page.model.show_picture(str(entry.photo), QImage.fromData(base64.b64decode(text)))

    # carrying

    def _show_carry(self, entries: list[Entry], what: What) -> None:
        if self._from is not None:
            self._carrying.look(self._from, self._targets(entries), what)

    def _carry(self, entries: list[Entry], what: What) -> None:
        if self._from is not None:
            self._carrying.carry(self._from, self._targets(entries), what)

    def _ask_set(self, entries: list[Entry]) -> None:
        chosen = ask_picture(self.page.window(), "Choose the set without the subject")
        if chosen is not None:
            self._carrying.give_set(chosen, entries)

    def _targets(self, entries: list[Entry]) -> list[Entry]:
        """Return the photos that are carried to: all but the one that is carried from."""
        bridge = self._desk.bridge
        own = bridge.session.project.path if bridge is not None else None
        for entry in entries:
            if entry.job == own:
                self.page.model.show_note(str(entry.photo), "carried from")
        return [entry for entry in entries if entry.job != own]

    def _on_carried(self, entry: Entry) -> None:
        """Show the job's own picture on a card rather than the photo, or what would have been carried."""
        session = self._files.assignment.session_on(entry.job)
        if session is not None:
            self.board.tell(entry.job, status_of(session.job))
        self.page.model.forget_picture(entry)
        self.scan()

    # delivering

    def _deliver(self, entries: list[Entry], to: str) -> None:
        """Deliver photos one after another in the background; what was delivered before is skipped."""
        if not to:
            self._desk.say("Say where to deliver: a folder, or the address of a client's drop-off.")
            return
        entries = [entry for entry in entries if entry.is_begun]
        if not entries:
            self._desk.say("No photo of these has been begun: there is nothing to deliver.")
            return
        self._note_status()
        self.page.model.clear_notes()
        papers = (self.board.folder or entries[0].job.parent) if is_address(to) else Path(to)
        self._run.start(entries, RunOrder(to, resumes=True, replaces=True), papers, self.board.title)
        self.page.pause.setText("Pause")
        self.page.show_run(0.0, "")

    def _on_moved(self, share: float, seconds: float) -> None:
        left = f"{seconds:.0f} s left" if seconds < 90 else f"{seconds / 60:.0f} min left"
        self.page.show_run(share, left if seconds else "")

    def _on_done(self, rows: list[RunRow]) -> None:
        self.page.show_run(None, "")
        for row in rows:
            if not row.error:
                self.board.tell(Path(row.job), Status(Progress.DELIVERED))
        self.scan()
        failed = sum(bool(row.error) for row in rows)
        self._desk.say(
            f"{len(rows) - failed} photos delivered" + (f", {failed} not: their cards say why." if failed else ".")
        )

    def _pause(self) -> None:
        self._run.pause()
        self.page.pause.setText("Go on" if self._run.is_paused else "Pause")


def _own_thumb(session: Session, job: Job) -> str:
    """Draw the open job small, and note that in its file."""
    text = job_thumb(session.stages, job)
    session.note("thumb", text)
    return text


def _picture(entry: Entry) -> QImage:
    """Return a card's picture: the thumbnail that the job noted, otherwise one of the photo."""
    content = noted_thumb(entry.job) if entry.job.exists() else None
    if content:
        image = QImage.fromData(base64.b64decode(content))
        if not image.isNull():
            return image
    reader = QImageReader(str(entry.photo))
    reader.setAutoTransform(True)
    size = reader.size()
    if size.isValid():
        reader.setScaledSize(size.scaled(_THUMB, Qt.AspectRatioMode.KeepAspectRatio))
        return reader.read()
    try:
        return image_from_rgb(photo_thumb(entry.photo))
    except PeelError:
        return QImage()
