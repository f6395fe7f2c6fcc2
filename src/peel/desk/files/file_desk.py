"""Opening, keeping and closing: which photo is on the desk."""

from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QWidget

from peel.desk.bridge import SessionBridge
from peel.desk.canvas.canvas import Canvas
from peel.desk.desk_state import DeskState
from peel.desk.files.file_dialogs import ask_job_name, ask_photo_or_job
from peel.desk.files.opening import BEGIN_ANEW, BEGIN_WITH_NEW, Opener, ReadyJob
from peel.desk.place import note_place, restore_place
from peel.job.job import new_job
from peel.job.space import Space
from peel.work.many.assignment import Assignment
from peel.work.session import job_files, memory
from peel.work.session.session import Session
from peel.work.session.session_events import Trouble

__all__ = ["FileDesk"]


class FileDesk(QObject):
    """Puts sessions on the desk and takes them off; those put aside stay open for going back to them.

    Parameters
    ----------
    desk : DeskState
    canvas : Canvas
    window : QWidget
        The parent of dialogs.

    Signals
    -------
    shown : ()
        A photo, or a first look at one, is on the desk.
    emptied : ()
        No photo is open.
    titled : (str,)
        What the window is to be called.
    """

    shown = Signal()
    emptied = Signal()
    titled = Signal(str)

    def __init__(self, desk: DeskState, canvas: Canvas, window: QWidget) -> None:
        super().__init__(window)
        self.assignment = Assignment()
        self.opener = Opener(self.assignment, self)
        self._desk, self._canvas, self._window = desk, canvas, window
        self._aside: Session | None = None
        self.opener.previewed.connect(self._on_previewed)
        self.opener.opened.connect(self._on_opened)
        self.opener.failed.connect(self._on_failed)
        self.opener.kept.connect(self._on_kept)
        self.opener.failed_to_keep.connect(desk.said)
        desk.ask.open_file.connect(self.ask_open)
        desk.ask.open_path.connect(self.open_path)
        desk.ask.keep.connect(self.ask_keep)
        desk.ask.close_photo.connect(self.close_photo)
        desk.ask.develop.connect(self.develop)

    def ask_open(self) -> None:
        """Ask which file to open."""
        chosen = ask_photo_or_job(self._window)
        if chosen:
            self.open_path(chosen)

    def open_path(self, path: Path) -> None:
        """Open a photo or a job."""
        self.opener.open_path(path)

    def begin_at(self, photo: Path, job: Path) -> None:
        """Begin a job on a photo, in a file of its own beside it."""
        self.opener.begin_at(photo, job)

    def source_of(self, session: Session) -> Path | None:
        """Return the photo's file that a session was begun on, if that is known."""
        return self.assignment.source_of(session)

    def assignment_of(self, session: Session) -> Path:
        """Return the folder whose photos belong together with that of a session."""
        return (self.source_of(session) or session.project.path).parent

    def choose(self, offer: str) -> None:
        """Take a way out that was offered when a photo was opened."""
        bridge = self._desk.bridge
        if bridge is None:
            return
        if offer == BEGIN_ANEW:
            self._desk.edit("Begin anew", lambda job: new_job(job.photo))
        elif offer == BEGIN_WITH_NEW:
            session, photo = bridge.session, self.source_of(bridge.session)
            if photo is not None:
                self._take_off()
                self._aside = None
                self.opener.begin_with_new(session, photo)

    def open_demo(self, name: str) -> None:
        """Open a photo of the demo assignment."""
        self.opener.open_demo(name)

    def develop(self, exposure: float) -> None:
        """Develop the open photo again, before anything is marked on it."""
        bridge = self._desk.bridge
        if bridge is not None and not bridge.job.has_subject and abs(bridge.session.project.exposure - exposure) > 1e-3:
            session = bridge.session
            self._take_off()
            self._aside = None
            self.opener.develop(session, exposure)

    def ask_keep(self) -> None:
        """Ask for a name and keep the job under it."""
        if self._desk.job is not None:
            chosen = ask_job_name(self._window, self._desk.job.photo.name)
            if chosen is not None and chosen.suffix != ".peel":
                self._desk.say(f"{chosen.name} is no name for a job.", "Choose one that ends in .peel.")
            elif chosen is not None:
                self.keep_as(chosen)

    def keep_as(self, path: Path) -> None:
        """Keep the job under a name and go on in that file."""
        bridge = self._desk.bridge
        if bridge is not None and path != bridge.session.project.path:
            note_place(self._desk, self._canvas)
            self.opener.keep(bridge.session, path)

    def adopt_into(self, folder: Path) -> None:
        """Give the open job its place beside its photo, if that lies in a folder and the job was never kept."""
        bridge = self._desk.bridge
        photo = self.source_of(bridge.session) if bridge is not None else None
        if bridge is not None and photo is not None and photo.parent == folder:
            note_place(self._desk, self._canvas)
            self.opener.adopt(bridge.session, photo)

    def _on_kept(self, session: Session, path: Path) -> None:
        job_files.note_recent(path)
        if self._desk.bridge is not None and self._desk.bridge.session is session:
            self._note_open(session)
        self._desk.say(f"Kept as {path}.")

    def close_photo(self) -> None:
        """Close the photo; nothing has to be saved."""
        bridge = self._desk.bridge
        if bridge is not None:
            session = bridge.session
            self._take_off()
            self._aside = None
            self.opener.close_session(session)
        memory.write_open_job(None)
        self.emptied.emit()

    def put_all_aside(self) -> None:
        """Take the open photo off the desk, and open none any more."""
        self._take_off()
        self.opener.blockSignals(True)

    def close(self) -> None:
        """Close every photo; waits until all is on disk. Any thread."""
        self.opener.close()
        self.assignment.close()

    def _take_off(self) -> None:
        """Put the open session aside; it stays open."""
        bridge = self._desk.bridge
        if bridge is not None:
            note_place(self._desk, self._canvas)
            self._aside = bridge.session
            self.assignment.put_on_desk(None)
            self._desk.set_session(None)

    def _on_previewed(self, image: QImage, space: Space) -> None:
        self._take_off()
        self.shown.emit()
        self._canvas.show_preview(image, space)

    def _on_failed(self, trouble: Trouble) -> None:
        """Say what is wrong; what was on the desk before is there again."""
        if self._desk.bridge is None:
            self._canvas.end_preview()
            if self._aside is not None:
                self._put_on(self._aside, "")
            else:
                self.emptied.emit()
        self._desk.said.emit(trouble)

    def _on_opened(self, ready: ReadyJob) -> None:
        if self._desk.bridge is not None and self._desk.bridge.session is not ready.session:
            self._take_off()
        self._put_on(ready.session, ready.place)
        if ready.notice:
            self._desk.said.emit(Trouble(ready.notice, offer=ready.offer))

    def _put_on(self, session: Session, place: str) -> None:
        self._aside = None
        self.assignment.put_on_desk(session)
        self._desk.set_session(SessionBridge(session, self._desk))
        self.shown.emit()
        restore_place(self._desk, self._canvas, place)
        self._note_open(session)
        job = session.job
        self._desk.job_changed.emit(job, job)
        self._canvas.setFocus()

    def _note_open(self, session: Session) -> None:
        path = session.project.path
        memory.write_open_job(path)
        job_files.note_recent(path)
        kept = "" if job_files.is_unkept(path) else f" · {path.name}"
        self.titled.emit(f"{session.photo.name}{kept} – Peel")
