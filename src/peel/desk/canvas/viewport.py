"""Where the picture lies in its widget: fitted, zoomed, panned."""

from dataclasses import replace

from PySide6.QtCore import QPointF, QSizeF, Qt, Signal
from PySide6.QtGui import QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from peel.desk.desk_state import DeskState
from peel.desk.display.frame import Frame
from peel.job.job import Job
from peel.job.placing.sheet import sheet_of
from peel.work.views import View

__all__ = ["Viewport"]


class Viewport(QWidget):
    """Keeps the frame of the photo, and that of the sheet around it.

    Attributes
    ----------
    frame : Frame
        Where the photo lies. A view of the sheet lies around it, see `frame_of`.

    Signals
    -------
    zoomed : (float,)
        Screen pixels for a pixel of the photo.
    """

    zoomed = Signal(float)

    def __init__(self, desk: DeskState, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self.frame = Frame()
        self._fits = True
        desk.ask.fit.connect(self.fit)
        desk.ask.full_size.connect(lambda: self.zoom_to(1.0 / self.devicePixelRatioF()))
        desk.ask.look_at.connect(self.look_around)
        desk.ask.zoom.connect(lambda factor: self.zoom_to(self.frame.scale * factor))

    @property
    def job(self) -> Job | None:
        """The open job."""
        return self._desk.job

    def frame_of(self, view: View) -> Frame:
        """Return where a view's space lies: the photo's own frame, or that of the sheet around it."""
        job = self.job
        if job is None or not view.shows_sheet:
            return self.frame
        sheet = sheet_of(job)
        around = Frame(sheet.space)
        around.scale = self.frame.scale
        around.origin = self.frame.to_widget(QPointF(*sheet.to_photo(0.0, 0.0)))
        return around

    def fit(self) -> None:
        """Show the whole of the view's space."""
        self._fits = True
        around = self.frame_of(self._desk.view)
        around.fit(QSizeF(self.size()))
        if around is not self.frame and self.job is not None:
            self.frame.scale = around.scale
            self.frame.origin = around.to_widget(QPointF(*sheet_of(self.job).from_photo(0.0, 0.0)))
        self._frame_changed()

    def zoom_to(self, scale: float, about: QPointF | None = None) -> None:
        """Set the screen pixels for a pixel of the photo, keeping a widget point in place."""
        self._fits = False
        self.frame.zoom_to(scale, about or QPointF(self.rect().center()))
        self._frame_changed()

    def look_at(self, centre: QPointF, scale: float) -> None:
        """Put a photo point in the middle at a scale."""
        self._fits = False
        self.frame.look_at(centre, scale, QSizeF(self.size()))
        self._frame_changed()

    def look_around(self, centre: QPointF, reach_px: float) -> None:
        """Show a point, and so many pixels of the space around it, at 200 % at most."""
        room = min(self.width(), self.height()) / 2
        self.look_at(centre, min(2.0, room / max(reach_px, 1.0)) / self.devicePixelRatioF())

    @property
    def is_fitted(self) -> bool:
        """Whether the whole picture is kept in sight."""
        return self._fits

    def centre(self) -> QPointF:
        """Return the photo point in the middle."""
        return self.frame.to_space(QPointF(self.width() / 2, self.height() / 2))

    def _frame_changed(self) -> None:
        # zoomed in, the hatch is drawn finer, so that it stays about as wide on the screen
        fine = max(4, round(9 / max(self.frame.scale * self.devicePixelRatioF(), 1.0)))
        self._desk.set_look(lambda look: replace(look, hatch_px=fine))
        self.zoomed.emit(self.frame.scale)
        self._show_moved()

    def _show_moved(self) -> None:
        """Show the picture at its new place."""
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep the picture fitted, or its middle in place."""
        if self._fits:
            self.fit()
        else:
            grown = event.size() - event.oldSize()
            self.frame.pan(QPointF(grown.width() / 2, grown.height() / 2))
            self._frame_changed()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom at the cursor; with Shift, pan sideways."""
        turn = event.angleDelta()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.pan(QPointF(turn.y() or turn.x(), 0))
        else:
            self.zoom_to(self.frame.scale * 1.25 ** (turn.y() / 120), event.position())
        event.accept()

    def pan(self, by: QPointF) -> None:
        """Move the picture by widget pixels."""
        self._fits = False
        self.frame.pan(by)
        self._frame_changed()
