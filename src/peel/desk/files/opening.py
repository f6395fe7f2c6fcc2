"""Open photos and jobs on a worker, with a first coarse look as soon as there is one."""

import contextlib
import io
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Final

from PIL import Image
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from peel.demo.photos import demo_photo
from peel.desk.asking import Asker, task
from peel.desk.display.tiles import image_from_rgb
from peel.errors import Cancelled, PeelError, PhotoError
from peel.files.photo import read_bytes, read_preview
from peel.files.project_checks import photo_digest
from peel.job.space import Space
from peel.work.many.assignment import Assignment
from peel.work.many.photo_jobs import FoundJob, free_path_for, job_of, job_path_for
from peel.work.scheduler import Lane
from peel.work.session import job_files
from peel.work.session.leftovers import tidy_up
from peel.work.session.recovery import Opened
from peel.work.session.session import OWN_ALPHA, Session
from peel.work.session.session_events import Trouble

__all__ = ["BEGIN_ANEW", "BEGIN_WITH_NEW", "Opener", "ReadyJob"]

BEGIN_ANEW: Final = "Begin anew"
BEGIN_WITH_NEW: Final = "Begin with the new photo"
"""Ways out that are offered where a photo has a job."""

_OPEN = task("open", "The file could not be opened: Peel met an error it did not expect.")
_KEEP = task("keep", "The job could not be kept: Peel met an error it did not expect.")
_CLOSE = task("close", "The photo could not be closed: Peel met an error it did not expect.")
_TIDY = task("tidy up", "What earlier runs left behind could not be tidied up.")
_LOOK_PX: Final = 1600
_LEVELS: Final = 7


@dataclass(frozen=True)
class ReadyJob:
    """An opened job with all that is needed to show it: a notice with a way out, and the place it was left at."""

    session: Session
    notice: str
    place: str
    offer: str = ""


class Opener(QObject):
    """Opens one thing at a time; a new request overtakes the one before.

    Parameters
    ----------
    assignment : Assignment
        Keeps the sessions.

    Signals
    -------
    previewed : (QImage, Space)
        A first look at the photo that is being opened, and the space of the whole photo.
    opened : (ReadyJob,)
    failed : (Trouble,)
    kept : (Session, Path)
    failed_to_keep : (Trouble,)
    closed : ()
        A session is closed, and its file can be looked into.
    """

    previewed = Signal(object, object)
    opened = Signal(object)
    failed = Signal(object)
    kept = Signal(object, object)
    failed_to_keep = Signal(object)
    closed = Signal()

    def __init__(self, assignment: Assignment, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._assignment = assignment
        self._opening = Asker(Lane("open"), self._say_failure, self)
        self._keeping = Asker(Lane("keep", in_order=True), self._say_failure_to_keep, self)
        self._keeping.ask(_TIDY, tidy_up, lambda _none: None, key=None)
        self._latest: object = None  # stands for what is being opened

    def close(self) -> None:
        """End the workers; a job that is being kept is finished."""
        self._opening.close()
        self._keeping.close()

    def open_path(self, path: Path) -> None:
        """Open a photo or a job, by what the file is called."""
        if path.suffix.lower() == ".peel":
            self._open(lambda _asked: self._assignment.open_job(path))
        else:
            self._open(lambda asked: self._begin(path, asked))

    def begin_at(self, photo: Path, job: Path) -> None:
        """Begin a job on a photo, in a file of its own, or go on with the one that it has."""
        self._open(lambda asked: self._begin(photo, asked, job))

    def begin_with_new(self, session: Session, photo: Path) -> None:
        """Begin a job on a photo that was replaced; that on the earlier one keeps its file under another name."""

        def work(asked: object) -> Opened:
            job = session.project.path
            self._assignment.close_session(session)
            with _put_aside(job):
                return self._begin(photo, asked, job)

        self._open(work)

    def open_demo(self, name: str) -> None:
        """Go on with the demo job on a photo, or begin one."""
        photo = demo_photo(name).photo
        self._open(lambda asked: self._resume_or_begin(photo, asked))

    def develop(self, session: Session, exposure: float) -> None:
        """Close a session and start again on its photo, developed by so many stops."""

        def work(_asked: object) -> Opened:
            name, content = session.project.photo()
            photo, job = self._assignment.source_of(session), session.project.path
            is_untouched = len(session.history.states) == 1
            self._assignment.close_session(session)
            with _put_aside(job) as aside:
                begun = self._assignment.begin(content, photo or Path(name), exposure=exposure, job=job)
            if is_untouched:
                aside.unlink(missing_ok=True)
            return begun

        self._open(work)

    def close_session(self, session: Session) -> None:
        """Close a session that was taken off the desk."""
        close = partial(self._assignment.close_session, session)
        self._keeping.ask(_CLOSE, close, lambda _none: self.closed.emit(), key=None)

    def keep(self, session: Session, path: Path) -> None:
        """Keep a job under a name, whatever else is being opened."""

        def keep() -> Path:
            self._assignment.keep_as(session, path)
            return path

        self._keeping.ask(_KEEP, keep, partial(self.kept.emit, session), key=None)

    def adopt(self, session: Session, photo: Path) -> None:
        """Give a session's job its place beside its photo, if it was never kept and nothing lies there."""

        def adopt() -> Path | None:
            beside = job_path_for(photo, photo.parent)
            if not job_files.is_unkept(session.project.path) or beside.exists():
                return None
            self._assignment.keep_as(session, beside)
            return beside

        def tell(kept: Path | None) -> None:
            if kept is not None:
                self.kept.emit(session, kept)

        self._keeping.ask(_KEEP, adopt, tell, key=None)

    def _say_failure(self, message: str, hint: str, trace: str) -> None:
        self.failed.emit(Trouble(message, hint, trace))

    def _say_failure_to_keep(self, message: str, hint: str, trace: str) -> None:
        self.failed_to_keep.emit(Trouble(message, hint, trace))

    def _open(self, work: Callable[[object], Opened]) -> None:
        """Open something; if it is overtaken, its session stays with the assignment and is not shown."""
        asked = self._latest = object()
        self._opening.ask(_OPEN, lambda: self._made_ready(work(asked)), self.opened.emit)

    def _show_preview(self, asked: object, image: QImage, space: Space) -> None:
        if asked is self._latest:
            self.previewed.emit(image, space)

    def _made_ready(self, opened: Opened) -> ReadyJob:
        """Read and make here what the window's thread must not wait for."""
        opened.session.stages.pyramid.pixels(_LEVELS)
        place = ""
        try:
            place = opened.session.read_note("place") or ""
        except PeelError:
            place = ""  # where one was is not worth a word
        return ReadyJob(opened.session, opened.notice, place, opened.offer)

    def _resume_or_begin(self, photo: Path, asked: object) -> Opened:
        unkept = job_files.unkept_for(photo.name)
        if unkept is None:
            return self._begin(photo, asked)
        try:
            return self._assignment.open_job(unkept)
        except PeelError as error:
            begun = self._begin(photo, asked)
            return Opened(begun.session, f"{error.message} A new job was begun.")

    def _begin(self, path: Path, asked: object, job: Path | None = None) -> Opened:
        try:
            content = read_bytes(path)
        except PhotoError:
            if job is None or not job.exists():
                raise
            return self._assignment.open_job(job, path)
        found = job_of(path, photo_digest(content))
        if found is None and job is not None and job.exists():  # a damaged job, of which a copy is opened
            return self._assignment.open_job(job, path)
        if found is None or not found.is_changed:
            self._show_look(content, path.name, asked)
        if asked is not self._latest:
            raise Cancelled
        if found is None:
            return _with_own_alpha(self._assignment.begin(content, path, job=job))
        return self._gone_on(path, found, is_known=found.path == job)

    def _show_look(self, content: bytes, name: str, asked: object) -> None:
        look = read_preview(content, name, _LOOK_PX)
        if look is not None:
            with Image.open(io.BytesIO(content)) as image:
                width, height = image.size
            if (look.shape[0] > look.shape[1]) != (height > width):
                width, height = height, width
            picture, space = image_from_rgb(look), Space(height, width)
            self._opening.post(lambda: self._show_preview(asked, picture, space))

    def _gone_on(self, photo: Path, found: FoundJob, *, is_known: bool) -> Opened:
        """Go on with the job that a photo has, and say so unless that is what was asked for."""
        opened = self._assignment.open_job(found.path, photo)
        if opened.notice or (is_known and not found.is_changed):
            return opened
        if found.is_changed:
            notice = f"{photo.name} was replaced since this job was begun; the job goes on with the photo as it was."
            return Opened(opened.session, notice, BEGIN_WITH_NEW)
        begun = opened.session.job.has_subject or bool(opened.session.job.settings.photo.contours)
        where = f"in {found.path}"
        if job_files.is_unkept(found.path):
            where = "that was not kept under a name yet"
        elif found.path.parent == photo.absolute().parent:
            where = f"beside it, {found.path.name}"
        notice = f"Going on with the job on this photo {where}."
        return Opened(opened.session, notice if begun else "", BEGIN_ANEW if begun else "")


def _with_own_alpha(begun: Opened) -> Opened:
    """Say so where a photo's own alpha was taken for its matte, and offer to leave it."""
    session = begun.session
    if begun.notice or session.history.undo_label != OWN_ALPHA:
        return begun
    notice = f"{session.photo.name} has an alpha of its own, which is taken as the matte as it is."
    return Opened(session, notice, BEGIN_ANEW)


@contextlib.contextmanager
def _put_aside(job: Path) -> Iterator[Path]:
    """Give a job's file another name, so that a new job can have its own; if that fails it gets its name back."""
    aside = free_path_for(job)
    job.rename(aside)
    try:
        yield aside
    except BaseException:
        if not job.exists():
            aside.rename(job)
        raise
