"""Open photos and jobs on a worker, with a first coarse look as soon as there is one."""

import io
import traceback
from collections.abc import Callable
from pathlib import Path

from PIL import Image
from PySide6.QtCore import QObject, Signal

from peel.demo.photos import demo_photo
from peel.desk.display.tiles import image_from_rgb
from peel.errors import PeelError
from peel.files.photo import read_bytes, read_preview
from peel.work import recovery
from peel.work.recovery import Opened
from peel.work.scheduler import Lane
from peel.work.session import Session
from peel.work.session_events import Trouble

__all__ = ["Opener"]

_LOOK_PX = 1600
_LEVELS = 7


class Opener(QObject):
    """Opens one thing at a time; a new request overtakes the one before.

    Signals
    -------
    previewed : (QImage, int, int)
        A first look, and the photo's full width and height.
    opened : (Opened,)
    failed : (Trouble,)
    """

    previewed = Signal(object, int, int)
    opened = Signal(object)
    failed = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._lane = Lane("open")

    def close(self) -> None:
        """End the worker."""
        self._lane.close()

    def open_path(self, path: Path) -> None:
        """Open a photo or a job, by what the file is called."""
        if path.suffix.lower() == ".peel":
            self._submit(lambda: recovery.open_job(path))
        else:
            self._submit(lambda: self._begin(path))

    def open_demo(self, name: str) -> None:
        """Go on with the demo job on a photo, or begin one."""
        photo = demo_photo(name).photo
        unkept = recovery.unkept_for(photo.name)
        self._submit(lambda: self._resume_or_begin(unkept, photo))

    def keep(self, session: Session, path: Path) -> None:
        """Keep a job under a name; the session that goes on in that file is then opened."""
        self._submit(lambda: Opened(recovery.keep_as(session, path), f"Kept as {path}."))

    def _submit(self, work: Callable[[], Opened]) -> None:
        self._lane.submit(None, lambda _ticket: _with_pyramid(work()), self.opened.emit, self._fail)

    def _fail(self, error: BaseException) -> None:
        if isinstance(error, PeelError):
            self.failed.emit(Trouble(error.message, error.hint))
        else:
            trace = "".join(traceback.format_exception(error))
            self.failed.emit(Trouble("The file could not be opened: Peel met an error it did not expect.", "", trace))

    def _resume_or_begin(self, unkept: Path | None, photo: Path) -> Opened:
        if unkept is None:
            return self._begin(photo)
        try:
            return recovery.open_job(unkept)
        except PeelError as error:
            begun = self._begin(photo)
            return Opened(begun.session, f"{error.message} A new job was begun.")

    def _begin(self, path: Path) -> Opened:
        content = read_bytes(path)
        look = read_preview(content, path.name, _LOOK_PX)
        if look is not None:
            with Image.open(io.BytesIO(content)) as image:
                width, height = image.size
            if (look.shape[0] > look.shape[1]) != (height > width):
                width, height = height, width
            self.previewed.emit(image_from_rgb(look), width, height)
        return Opened(Session.begin_with(content, path.name, recovery.new_working_path(path.name)))


def _with_pyramid(opened: Opened) -> Opened:
    """Make the photo's smaller levels here, so that the window's thread finds them ready."""
    opened.session.stages.pyramid.pixels(_LEVELS)
    return opened
