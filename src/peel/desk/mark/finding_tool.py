"""What the tools have in common that find a region on a worker while the hand moves."""

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QFontMetricsF, QImage, QPainter

from peel.desk.asking import task
from peel.desk.theme import current
from peel.desk.tools.tool import Tool
from peel.job.job import Job
from peel.work.marking.finding import Finder

__all__ = ["FindingTool"]

_READY = task("ready to find", "The tool could not get ready for this photo.")
_LOOK = task("found under the hand", "The tool found nothing because of an error.")


class FindingTool(Tool):
    """Shows what its press would mark while the hand moves; the press ends in one edit."""

    def __init__(self) -> None:
        super().__init__()
        self.finder: Finder | None = None
        self._overlay: QImage | None = None
        self._words = ""
        self.is_looking = False  # whether something is still being looked for
        self._token: object = None
        self._watches = False
        self._pauses = False

    def take_up(self) -> None:
        """Get a finder for the photo."""
        session = self.host.session if self.host is not None else None
        self.finder = session.finder if session is not None else None
        if self.finder is not None and self.host is not None:
            self.host.ask(_READY, self.finder.get_ready, lambda _none: None)
        if self.host is not None and not self._watches:
            self.host.when_settled(self._clear_when_settled)
            self._watches = True

    def put_down(self) -> None:
        """Forget what was found, in mid-press too."""
        self._resume()
        self._forget()

    @property
    def words(self) -> str:
        """What is written beside the cursor."""
        return self._words

    def _look(self, find: Callable[[], tuple[QImage, str]]) -> None:
        """Look for something on the worker; a newer look overtakes an older one."""
        token = self._token = self._token or object()
        if self.host is not None:
            self.is_looking = True
            self.host.ask(_LOOK, find, partial(self._on_found, token), self._stop_looking)

    def _stop_looking(self) -> None:
        self.is_looking = False

    def _begin(self) -> None:
        """Begin to look: the matte can wait, and what is found from now on belongs to this press."""
        self._pauses = True
        if self.host is not None and self.host.session is not None:
            self.host.session.pause_solving()
        self._token = object()

    def _end(self, label: str, edit: Callable[[Job], Job]) -> None:
        """End in an edit; what was found stays over the picture until the edit shows."""
        self._token, self._words = None, ""
        self.apply(label, edit)
        self._resume()
        self.redraw()

    def _resume(self) -> None:
        """Let the matte be solved again, however the press ended."""
        if self._pauses and self.host is not None and self.host.session is not None:
            self.host.session.resume_solving()
        self._pauses = False

    def _on_found(self, token: object, found: tuple[QImage, str]) -> None:
        if token is self._token:
            self._overlay, self._words = found
            self.redraw()

    def _hue(self, *, taken: bool) -> QColor:
        """Return the hue of what is added or taken away, as it suits the photo."""
        return self.host.hue(taken=taken) if self.host is not None else QColor(0, 0, 0)

    def _forget(self) -> None:
        self._token = None
        self._overlay, self._words = None, ""
        self.redraw()

    def _clear_when_settled(self) -> None:
        """Take the overlay away when what it announced is in the picture."""
        if self._token is None:
            self._overlay = None
            self.redraw()

    def _paint_found(self, painter: QPainter) -> None:
        if self._overlay is not None and self.host is not None:
            painter.drawImage(self.host.frame.space_rect(), self._overlay)

    def _paint_words(self, painter: QPainter, at: QPointF) -> None:
        """Write beside the cursor, within the canvas."""
        if not self._words or self.host is None:
            return
        metrics = QFontMetricsF(painter.font())
        width, height = metrics.horizontalAdvance(self._words) + 18, metrics.height() + 10
        left = min(at.x() + 18, self.host.size().width() - width - 6)
        top = at.y() + 22 if at.y() + 22 + height < self.host.size().height() else at.y() - height - 14
        box = QRectF(left, top, width, height)
        painter.setPen(QColor(0, 0, 0, 60))
        painter.setBrush(current().colour("surface"))
        painter.drawRoundedRect(box, 6, 6)
        painter.setPen(current().colour("text"))
        painter.drawText(box.adjusted(9, 5, -9, -5), self._words)
