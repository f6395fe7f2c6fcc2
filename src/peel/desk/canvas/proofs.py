"""The proofs: four small views of the spot under the cursor, stacked beside the picture and in step with it."""

import math
from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from typing import Final

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QMenu, QSizePolicy, QVBoxLayout, QWidget

from peel.desk.asking import Asker, task
from peel.desk.controls.labels import words
from peel.desk.controls.why_card import WhyCard
from peel.desk.desk_state import DeskState
from peel.desk.display.tiles import image_from_rgb
from peel.desk.theme import current
from peel.job.job import Job
from peel.job.placing.sheet import sheet_of
from peel.job.rect import Rect
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.work.inspecting.why import Cure, why_at
from peel.work.scheduler import Lane
from peel.work.stages import Stages
from peel.work.views import Look, View, render, space_of

__all__ = ["Proofs"]

_READING = task("reading", "The values under the cursor could not be read.")
_WHY = task("why", "Peel could not tell why this place is as it is.")
_PROOF = task("proof", "A proof could not be drawn.")
_MAGNIFY: Final = 2.5
_ZONE_WORDS: Final = {BACKGROUND: "backdrop", FOREGROUND: "subject"}
_FACTORS: Final = (0.25, 0.5, 1.0, 2.0, 4.0)
_FIRST: Final = (View.PHOTO, View.MATTE, View.WHITE, View.BLACK)


class _Proof(QWidget):
    """One proof.

    Signals
    -------
    swap_asked : (object,)
        This proof was pressed: swap its view with the picture's.
    view_asked : (object, View)
    pin_asked : (object,)
    magnified : ()
        It is magnified by another factor of its own.
    """

    swap_asked = Signal(object)
    view_asked = Signal(object, View)
    pin_asked = Signal(object)
    magnified = Signal()

    def __init__(self, view: View, parent: QWidget) -> None:
        super().__init__(parent)
        self.view = view
        self.pinned_at: QPointF | None = None
        self.factor = 1.0  # of its own, over that of all proofs
        self._image: QImage | None = None
        self._target = QRectF()
        self.setMinimumSize(96, 60)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.name_it()

    def name_it(self) -> None:
        """Return what the proof shows."""
        self.setAccessibleName(f"Proof: {self.view.value}")
        self.setToolTip(
            f"{self.view.value} under the cursor. Press to swap with the picture; "
            "the wheel magnifies; right button for more."
        )
        self.update()

    def sizeHint(self) -> QSize:
        """Ask for a quarter of the column."""
        return QSize(180, 140)

    def show_drawn(self, target: QRectF, image: QImage) -> None:
        """Show what lies under the proof, at its place on it."""
        self._image, self._target = image, target
        self.update()

    def clear(self) -> None:
        """Show nothing."""
        self._image = None
        self.pinned_at = None
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint the spot, a cross on it, and the view's name."""
        theme = current()
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("mat"))
        if self._image is not None:
            painter.drawImage(self._target, self._image)
            middle = QPointF(self.width() / 2, self.height() / 2)
            for colour, width in ((QColor(0, 0, 0, 140), 3), (QColor(255, 255, 255), 1)):
                painter.setPen(QPen(colour, width))
                for way in (QPointF(1, 0), QPointF(-1, 0), QPointF(0, 1), QPointF(0, -1)):
                    painter.drawLine(middle + way * 5, middle + way * 10)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        font = self.font()
        font.setPixelSize(12)
        font.setWeight(font.Weight.DemiBold)
        painter.setFont(font)
        caption = self.view.value + (" · pinned" if self.pinned_at is not None else "")
        if self.factor != 1:
            caption += f" · {self.factor:g} ×"
        label = QRectF(5, self.height() - 23, painter.fontMetrics().horizontalAdvance(caption) + 14, 18)
        painter.setPen(Qt.PenStyle.NoPen)
        surface = theme.colour("surface")
        painter.setBrush(surface)
        painter.drawRoundedRect(label, 4, 4)
        painter.setPen(theme.colour("text"))
        painter.drawText(label, Qt.AlignmentFlag.AlignCenter, caption)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.colour("accent"), 2))
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Swap."""
        if event.button() == Qt.MouseButton.LeftButton:
            self.swap_asked.emit(self)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Swap with Return, pin with P."""
        if event.key() == Qt.Key.Key_Return:
            self.swap_asked.emit(self)
        elif event.key() == Qt.Key.Key_P:
            self.pin_asked.emit(self)
        else:
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Magnify this proof more, or less, than the others."""
        place = _FACTORS.index(self.factor) + (1 if event.angleDelta().y() > 0 else -1)
        self.magnify(_FACTORS[min(max(place, 0), len(_FACTORS) - 1)])
        event.accept()

    def magnify(self, factor: float) -> None:
        """Magnify this proof by a factor of its own."""
        self.factor = factor
        self.magnified.emit()
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Offer other views, and pinning."""
        menu = QMenu(self)
        for view in View:
            action = menu.addAction(view.value)
            action.setCheckable(True)
            action.setChecked(view is self.view)
            action.triggered.connect(lambda _checked=False, view=view: self.view_asked.emit(self, view))
        menu.addSeparator()
        if self.factor != 1:
            menu.addAction("Magnified like the others").triggered.connect(lambda _checked=False: self.magnify(1.0))
        pin = menu.addAction("Pin to this spot" if self.pinned_at is None else "Follow the cursor again")
        pin.triggered.connect(lambda: self.pin_asked.emit(self))
        menu.exec(event.globalPos())
        menu.deleteLater()


class Proofs(QWidget):
    """The four proofs and the reading under the cursor.

    Signals
    -------
    swapped : (View, object)
        The view that the picture should show, and the proof that takes over the picture's.
    """

    swapped = Signal(View, object)

    def __init__(self, desk: DeskState, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("surface")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._desk = desk
        self._asker = Asker(Lane("proofs"), desk.say, self)
        self._spot = QPointF(0, 0)
        self._scale = 1.0
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 6, 8)
        column.setSpacing(5)
        self.proofs = [_Proof(view, self) for view in _FIRST]
        for proof in self.proofs:
            column.addWidget(proof, 1)
            proof.swap_asked.connect(lambda proof: self.swapped.emit(proof.view, proof))
            proof.view_asked.connect(self.give)
            proof.pin_asked.connect(self._on_pin_asked)
            proof.magnified.connect(self._soon_again)
        self._place, self._values = words(""), words("")
        for label in (self._place, self._values):
            label.setWordWrap(False)
            label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            column.addWidget(label)
        self.card = WhyCard()
        self.card.cured.connect(self._on_cured)
        column.addWidget(self.card)
        desk.ask.why.connect(self.ask_why)
        desk.job_changed.connect(lambda *_: self.card.show_why(None))
        # A fast hand sends more positions than there are frames; the latest one is enough.
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(12)
        self._soon.timeout.connect(self._draw)
        desk.session_changed.connect(self._on_session)
        for changed in (desk.job_changed, desk.look_changed):
            changed.connect(lambda *_: self._soon.start())

    def close_worker(self) -> None:
        """End the worker. Any thread."""
        self._asker.close()

    @property
    def is_idle(self) -> bool:
        """Whether all proofs show the spot."""
        return self._asker.is_idle and not self._soon.isActive()

    @property
    def reading(self) -> str:
        """What is said of the spot under the cursor."""
        return f"{self._place.text()} {self._values.text()}"

    def _on_session(self) -> None:
        self._asker.forget()
        for proof in self.proofs:
            proof.clear()
        self._on_read("", "")
        job = self._desk.job
        if job is not None:
            self._spot = QPointF(job.photo.width / 2, job.photo.height / 2)
            self._soon.start()

    def follow(self, spot: QPointF) -> None:
        """Show another spot, in the photo's space."""
        self._spot = spot
        if not self._soon.isActive():
            self._soon.start()

    def ask_why(self) -> None:
        """Say why the matte is what it is under the cursor; asked again at the same place, say no more."""
        bridge, x, y = self._desk.bridge, math.floor(self._spot.x()), math.floor(self._spot.y())
        if bridge is None:
            return
        shown = self.card.why
        if shown is not None and (shown.x, shown.y) == (x, y):
            self.card.show_why(None)
            return
        job, stages, history = bridge.job, bridge.session.stages, bridge.session.history
        if not (0 <= x < job.photo.width and 0 <= y < job.photo.height):
            self._desk.say("There is no photo under the cursor.", "Rest it on the photo, and ask again.")
        elif not job.has_subject:
            self._desk.say("There is no matte yet to ask about.", "Mark the subject first.")
        else:
            work = partial(why_at, job, stages, x, y, history)
            self._asker.ask(_WHY, work, self.card.show_why, wanted=lambda: self._desk.job is job)

    def _on_cured(self, cure: Cure) -> None:
        self._desk.edit(cure.label, cure.edit)

    def _soon_again(self) -> None:
        self._soon.start()

    def set_scale(self, scale: float) -> None:
        """Stay magnified against the picture."""
        self._scale = min(max(scale * _MAGNIFY, 0.5), 24.0)
        self._soon.start()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Draw again when the column is wider or narrower."""
        super().resizeEvent(event)
        self._soon.start()

    @property
    def views(self) -> list[View]:
        """What each proof shows."""
        return [proof.view for proof in self.proofs]

    def show_views(self, views: Sequence[View]) -> None:
        """Let each proof show a view."""
        for proof, view in zip(self.proofs, views, strict=True):
            self.give(proof, view)

    def give(self, proof: object, view: View) -> None:
        """Let a proof show another view."""
        if isinstance(proof, _Proof):
            proof.view = view
            proof.name_it()
            self._soon.start()

    def _on_pin_asked(self, proof: _Proof) -> None:
        proof.pinned_at = None if proof.pinned_at is not None else QPointF(self._spot)
        proof.name_it()
        self._soon.start()

    def _draw(self) -> None:
        bridge = self._desk.bridge
        if bridge is None or not self.isVisible():
            return
        job, stages, look = bridge.job, bridge.session.stages, replace(self._desk.look, hatch_px=Look.hatch_px)
        for proof in self.proofs:
            self._draw_one(proof, job, stages, look)
        spot = (math.floor(self._spot.x()), math.floor(self._spot.y()))
        self._asker.ask(_READING, lambda: _reading(job, stages, *spot), lambda said: self._on_read(*said))

    def _draw_one(self, proof: _Proof, job: Job, stages: Stages, look: Look) -> None:
        """Request what lies under a proof; only whole pixels of the level are drawn."""
        view, spot = proof.view, proof.pinned_at or self._spot
        if view.shows_sheet:
            spot = QPointF(*sheet_of(job).from_photo(spot.x(), spot.y()))
        level, scale = 0, self._scale * proof.factor
        while scale * (1 << (level + 1)) <= 1.0:
            level += 1
        step = scale * (1 << level)
        centre = spot / (1 << level)
        half_width, half_height = proof.width() / 2 / step, proof.height() / 2 / step
        rect = Rect(
            math.floor(centre.y() - half_height),
            math.floor(centre.x() - half_width),
            math.ceil(centre.y() + half_height),
            math.ceil(centre.x() + half_width),
        ).intersection(space_of(view, job).bounds(level))
        if rect.is_empty:
            return
        target = QRectF(
            proof.width() / 2 + (rect.left - centre.x()) * step,
            proof.height() / 2 + (rect.top - centre.y()) * step,
            rect.width * step,
            rect.height * step,
        )

        def draw() -> QImage:
            return image_from_rgb(render(stages, job, view, rect, level, look))

        self._asker.ask(_PROOF, draw, partial(proof.show_drawn, target), key=id(proof))

    def _on_read(self, place: str, values: str) -> None:
        self._place.setText(place)
        self._values.setText(values)

    def sizeHint(self) -> QSize:
        """Ask for a column."""
        return QSize(196, 400)


def _reading(job: Job, stages: Stages, x: int, y: int) -> tuple[str, str]:
    """Say what lies under the cursor: place and zone, matte and colour."""
    if not (0 <= x < job.photo.width and 0 <= y < job.photo.height):
        return "outside the photo,", "which is clear"
    pixel = Rect(y, x, y + 1, x + 1)
    matte = float(stages.alpha(job, pixel, 0)[0, 0])
    red, green, blue = (int(value) for value in job.photo.pixels[y, x])
    zone = _ZONE_WORDS.get(int(job.zones.read(pixel)[0, 0]), "unsure")
    return f"{x}, {y}   {zone}", f"matte {matte * 100:.0f} %   {red} {green} {blue}"
