"""Cards of recent jobs in the empty window: the cutout on its backing, what is missing, and when it was worked on."""

import base64
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from PySide6.QtCore import QObject, QRectF, QSize, QThread, Signal
from PySide6.QtGui import QImage, QPaintEvent

from peel.desk.controls.picture_card import PictureCard
from peel.desk.theme import current
from peel.work.session import job_files

__all__ = ["JobCard", "JobCards", "ReadCard", "when_words"]

_DAY_S: Final = 86_400
_PICTURE_PX: Final = 112


@dataclass(frozen=True)
class ReadCard:
    """What a job's file says of it without being opened: its picture, and what is missing."""

    path: Path
    image: QImage
    missing: str


def when_words(then: float, now: float) -> str:
    """Say when something was, as people do.

    >>> when_words(0.0, 400 * 86_400.0)[-4:]
    '1970'
    """
    day, today = time.localtime(then), time.localtime(now)
    clock = time.strftime("%H:%M", day)
    days = (time.mktime((*today[:3], 0, 0, 0, 0, 0, -1)) - time.mktime((*day[:3], 0, 0, 0, 0, 0, -1))) / _DAY_S
    if days < 0.5:
        return f"today, {clock}"
    if days < 1.5:
        return f"yesterday, {clock}"
    return f"{day.tm_mday} {time.strftime('%b' if day.tm_year == today.tm_year else '%b %Y', day)}"


class JobCard(PictureCard):
    """A job that was worked on lately.

    Parameters
    ----------
    path : Path
    changed_at : float
        When its file was written last, in seconds.
    """

    def __init__(self, path: Path, changed_at: float) -> None:
        kept = not job_files.is_unkept(path)
        name = path.stem if kept else path.stem.rpartition("-")[0]
        super().__init__(name, f"Job {name}")
        self.path = path
        self._when = when_words(changed_at, time.time())
        self._state = "" if kept else "not kept under a name yet"
        self.setObjectName(f"job {name}")
        self.setAccessibleDescription(f"{self._when}, {self._state}")
        self.setToolTip(str(path).replace("<", "&lt;"))

    def show_changed(self, changed_at: float) -> None:
        """Show when the job was changed."""
        self._when = when_words(changed_at, time.time())
        self.update()

    def show_read(self, read: ReadCard) -> None:
        """Show what was read of the job."""
        kept = not job_files.is_unkept(self.path)
        self._state = read.missing if kept else f"{read.missing}, not kept under a name"
        self.setAccessibleDescription(f"{self._when}, {self._state}")
        self.show_picture(read.image)

    @property
    def said(self) -> str:
        """What is missing, and when it was worked on."""
        return f"{self._when} · {self._state}" if self._state else self._when

    def sizeHint(self) -> QSize:
        """Ask for a picture and three lines."""
        return QSize(170, _PICTURE_PX + 66)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint picture, name, when, and what is missing."""
        painter = self.paint_frame()
        target = QRectF(7, 7, self.width() - 14, _PICTURE_PX)
        painter.fillRect(target, current().colour("raised"))
        if not self.image.isNull():
            scale = min(target.width() / self.image.width(), target.height() / self.image.height())
            width, height = self.image.width() * scale, self.image.height() * scale
            place = QRectF(target.center().x() - width / 2, target.center().y() - height / 2, width, height)
            painter.drawImage(place, self.image)
        wide = self.width() - 18
        self.paint_name(painter, QRectF(9, _PICTURE_PX + 11, wide, 18), 13)
        self.paint_words(painter, QRectF(9, _PICTURE_PX + 29, wide, 32), self.said, 12)


class JobCards(QThread):
    """Reads what the cards show, one after another, beside the window's thread.

    Signals
    -------
    read : (ReadCard,)
    """

    read = Signal(object)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.paths: tuple[Path, ...] = ()

    def run(self) -> None:
        """Read them; called by Qt on the new thread."""
        from peel.work.many.status import missing_words, read_status
        from peel.work.many.thumbs import noted_thumb

        for path in self.paths:
            noted = noted_thumb(path)
            image = QImage.fromData(base64.b64decode(noted)) if noted else QImage()
            self.read.emit(ReadCard(path, image, missing_words(read_status(path))))
