"""Backing: what the cutout stands on."""

from collections.abc import Callable
from functools import partial
from typing import Final

import numpy as np
from PySide6.QtCore import QRegularExpression, QSize
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QRegularExpressionValidator
from PySide6.QtWidgets import (
    QAbstractButton,
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from peel.desk.controls.gradient_bar import GradientBar
from peel.desk.controls.number_field import NumberField
from peel.desk.panels.panel import Panel, words
from peel.desk.panels.spec import StepSpec
from peel.desk.steps import Step, StepState
from peel.desk.theme import current
from peel.desk.tools.gradient_tool import GradientTool
from peel.job.edits import set_value
from peel.job.job import Job
from peel.job.settings import Backing, Gradient, GradientStop, value_of
from peel.job.sheet import sheet_of
from peel.work.stages import Stages
from peel.work.views import View
from peel.work.wording import backing_words

__all__ = ["STEP", "BackingPanel"]

_SWATCHES: Final = (
    "#ffffff", "#f2f2f0", "#d9d9d6", "#8f8f8c", "#3a3a39", "#000000",
    "#f4e9d8", "#e8c9a0", "#c8553d", "#7a9e7e", "#3f6c8f", "#2d2a4a",
)  # fmt: skip


_ASPECTS: Final[tuple[tuple[str, float | None], ...]] = (
    ("As it comes", None),
    ("Square", 1.0),
    ("4 : 5, upright", 0.8),
    ("2 : 3, upright", 2 / 3),
    ("3 : 2", 1.5),
    ("16 : 9", 16 / 9),
)


class _Swatch(QAbstractButton):
    """A colour to choose."""

    def __init__(self, colour: str) -> None:
        super().__init__()
        self.colour = colour
        self.setObjectName(f"swatch {colour}")
        self.setAccessibleName(f"Backing {colour}")
        self.setToolTip(colour)
        self.setCheckable(True)
        self.setFixedHeight(26)

    def sizeHint(self) -> QSize:
        """Ask for a small field."""
        return QSize(38, 26)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Paint the colour, framed when chosen or focused."""
        theme = current()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        marked = self.isChecked() or self.hasFocus()
        painter.setPen(theme.colour("accent" if marked else "line"))
        painter.setBrush(QColor(self.colour))
        inset = 2 if self.isChecked() else 1
        painter.drawRoundedRect(self.rect().adjusted(inset, inset, -inset, -inset), 4, 4)
        if self.isChecked():
            painter.setBrush(QColor(0, 0, 0, 0))
            painter.drawRoundedRect(self.rect().adjusted(0, 0, -1, -1), 5, 5)


class BackingPanel(Panel):
    """Nothing, a plain colour or a gradient, and how large the sheet is; choosing one shows it."""

    title = "What it stands on"

    def build(self) -> None:
        """Put the choices and the colour into the column."""
        self.nothing = self._choice("Nothing", "nothing")
        self.plain = self._choice("A colour", "colour")
        self.graded = self._choice("A gradient", "gradient")
        self.row(self.nothing, self.plain, self.graded)
        self._build_gradient()
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(5)
        self.swatches = [_Swatch(colour) for colour in _SWATCHES]
        for number, swatch in enumerate(self.swatches):
            grid.addWidget(swatch, number // 6, number % 6)
            swatch.clicked.connect(lambda _checked=False, colour=swatch.colour: self._choose_colour(colour))
        self.column.addWidget(holder)
        self.code = QLineEdit()
        self.code.setAccessibleName("Backing colour as #rrggbb")
        self.code.setValidator(QRegularExpressionValidator(QRegularExpression("#?[0-9a-fA-F]{6}"), self))
        self.code.editingFinished.connect(self._on_code)
        self.column.addWidget(self.code)
        self._parts = [
            NumberField("hue", low=0, high=359, default=0, unit="°", tip="Around the colour circle"),
            NumberField("saturation", low=0, high=100, default=0, unit="%", tip="0 % is grey"),
            NumberField("brightness", low=0, high=100, default=100, unit="%", tip="0 % is black"),
        ]
        for part in self._parts:
            self.column.addWidget(part)
            part.changed.connect(self._on_part)
        self.column.addWidget(
            words("The cutout file stays transparent whatever is chosen here; the flat file stands on it.")
        )
        self.rule()
        self._build_frame()

    def _build_gradient(self) -> None:
        self._gradient = QWidget()
        box = QVBoxLayout(self._gradient)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        self.bar = GradientBar()
        self.bar.changed.connect(self._on_stops)
        self.bar.chosen_changed.connect(self._show_chosen)
        box.addWidget(self.bar)
        self.is_round = QCheckBox("In circles")
        self.is_round.setToolTip("In circles around where it begins, rather than in straight bands")
        self.is_round.clicked.connect(lambda on: self._set_gradient(shape="round" if on else "straight"))
        turn = self.button("Turn it round", self._turn_round, tip="What it ends in is what it begins with")
        turn.setObjectName("turn gradient")
        line = QHBoxLayout()
        line.addWidget(self.is_round, 1)
        line.addWidget(turn)
        box.addLayout(line)
        self.angle = NumberField("angle", low=-180, high=180, default=90, unit="°",
                                 tip="Which way it runs: 0 to the right, 90 downward")  # fmt: skip
        self.extent = NumberField("extent", low=1, high=300, default=100, unit="%", curve=1.5,
                                  tip="How far it runs, of the sheet's height")  # fmt: skip
        for field in (self.angle, self.extent):
            field.changed.connect(self._on_line)
            box.addWidget(field)
        box.addWidget(words("Gradient, on the shelf: drag on the picture from its beginning to its end.", "muted"))
        self.column.addWidget(self._gradient)

    def _build_frame(self) -> None:
        """Offer the sheet's size: around the photo or the subject, with room, in an aspect."""
        self.column.addWidget(words("The sheet", "strong"))
        self.around = QComboBox()
        self.around.setAccessibleName("What the sheet is laid around")
        self.around.addItem("The photo's own frame", "photo")
        self.around.addItem("Around the subject", "subject")
        self.unit = QComboBox()
        self.unit.setAccessibleName("Unit of the margins")
        for unit in ("px", "%"):
            self.unit.addItem(unit, unit)
        for choice, name in ((self.around, "around"), (self.unit, "unit")):
            choice.activated.connect(partial(self._on_choice, name, choice))
            self._bound.append(partial(_show_choice, choice, f"recipe.frame.{name}"))
        self.row(self.around, self.unit)
        grid = QGridLayout()
        grid.setSpacing(4)
        self.margins = {}
        for place, side in enumerate(("top", "bottom", "left", "right")):
            field = NumberField(f"room, {side}", low=-2000, high=4000, default=0,
                                tip="Room added on this side, in the unit above; taken off below 0")  # fmt: skip
            self.bind(field, f"recipe.frame.{side}", "Room around", live=True)
            field.changed.connect(lambda _value, _dragged: self.desk.show_view(View.BACKING))
            self.margins[side] = field
            grid.addWidget(field, place // 2, place % 2)
        self.column.addLayout(grid)
        self.aspect = QComboBox()
        self.aspect.setAccessibleName("Aspect of the sheet")
        for name, aspect in _ASPECTS:
            self.aspect.addItem(name, aspect)
        self.aspect.activated.connect(partial(self._on_choice, "aspect", self.aspect))
        self._bound.append(partial(_show_choice, self.aspect, "recipe.frame.aspect"))
        self._size = words("", "muted")
        self.column.addWidget(self.aspect)
        self.column.addWidget(self._size)

    def _on_choice(self, name: str, choice: QComboBox, _index: int) -> None:
        self._set("Sheet", f"recipe.frame.{name}", choice.currentData())
        self.desk.show_view(View.BACKING)

    # the gradient

    @property
    def _own(self) -> Gradient:
        job = self.desk.job
        return job.settings.recipe.backing.gradient if job is not None else Gradient()

    def _set_gradient(self, *, gesture: object = None, ends: bool = True, **changes: object) -> None:
        def change(backing: Backing) -> Backing:
            made = Gradient.model_validate({**dict(backing.gradient), **changes})
            return backing.model_copy(update={"kind": "gradient", "gradient": made})

        self._apply(change, gesture=gesture, ends=ends)

    def _on_stops(self, stops: tuple[GradientStop, ...], goes_on: bool) -> None:
        self._set_gradient(stops=stops, gesture="gradient stops", ends=not goes_on)

    def _turn_round(self) -> None:
        def change(backing: Backing) -> Backing:
            turned = (stop.model_copy(update={"at": 1 - stop.at}) for stop in reversed(backing.gradient.stops))
            own = backing.gradient.model_copy(update={"stops": tuple(turned)})
            return backing.model_copy(update={"gradient": own})

        self._apply(change)

    def _on_line(self, _value: float, dragged: bool) -> None:
        """Lay the ends anew by angle and extent, around the middle between them."""
        job = self.desk.job
        if job is None:
            return
        sheet, own = sheet_of(job), self._own
        size = np.array([sheet.space.width, sheet.space.height], float)
        middle = (np.array(own.start) + np.array(own.end)) / 2
        turned, length = np.deg2rad(self.angle.value), self.extent.value / 100 * size[1]
        half = np.array([np.cos(turned), np.sin(turned)]) * length / 2 / size
        start, end = (tuple(float(part) for part in np.clip(middle + way * half, -4, 5)) for way in (-1, 1))
        self._set_gradient(start=start, end=end, gesture="gradient line", ends=not dragged)

    def _show_gradient(self, job: Job) -> None:
        backing, sheet = job.settings.recipe.backing, sheet_of(job)
        self._gradient.setVisible(backing.kind == "gradient")
        own = backing.gradient
        self.bar.show_stops(own.stops)
        self.is_round.setChecked(own.shape == "round")
        run = (np.array(own.end) - np.array(own.start)) * (sheet.space.width, sheet.space.height)
        self.angle.show_value(float(np.rad2deg(np.arctan2(run[1], run[0]))))
        self.extent.show_value(float(np.hypot(*run)) / sheet.space.height * 100)
        self._size.setText(f"The flat file will be {sheet.space.width} × {sheet.space.height} px.")

    def _show_chosen(self) -> None:
        if self.desk.job is not None:
            self.show_rest(self.desk.job)

    def _choice(self, text: str, kind: str) -> QPushButton:
        button = self.button(text, lambda: self._choose(kind), role="choice")
        button.setCheckable(True)
        return button

    def show_rest(self, job: Job) -> None:
        """Show the backing."""
        backing = job.settings.recipe.backing
        self._show_gradient(job)
        for button, kind in ((self.nothing, "nothing"), (self.plain, "colour"), (self.graded, "gradient")):
            button.setChecked(backing.kind == kind)
        shown = self._colour
        self.code.setText(shown)
        for swatch in self.swatches:
            swatch.setChecked(backing.kind != "nothing" and swatch.colour == shown)
            swatch.update()
        colour = QColor(shown)
        if colour.saturation() > 0:
            self._parts[0].show_value(max(colour.hue(), 0))
        self._parts[1].show_value(round(colour.saturationF() * 100))
        self._parts[2].show_value(round(colour.valueF() * 100))

    @property
    def _colour(self) -> str:
        """The colour that is being set: the backing's own, or that of the chosen stop."""
        job = self.desk.job
        if job is None:
            return "#ffffff"
        backing = job.settings.recipe.backing
        # a stop that was just added is on the bar before it is in the job
        return (
            self.bar.stops[self.bar.chosen].colour if backing.kind == "gradient" and self.bar.stops else backing.colour
        )

    def _choose(self, kind: str) -> None:
        self._apply(lambda backing: Backing.model_validate({**dict(backing), "kind": kind}))
        if self.desk.job is not None:
            self.show_rest(self.desk.job)

    def _choose_colour(self, colour: str, *, gesture: object = None, ends: bool = True) -> None:
        chosen = self.bar.chosen

        def change(backing: Backing) -> Backing:
            if backing.kind != "gradient":
                return backing.model_copy(update={"kind": "colour", "colour": colour})
            stops = list(backing.gradient.stops)
            number = min(chosen, len(stops) - 1)
            stops[number] = stops[number].model_copy(update={"colour": colour})
            own = backing.gradient.model_copy(update={"stops": tuple(stops)})
            return backing.model_copy(update={"gradient": own})

        self._apply(change, gesture=gesture, ends=ends)

    def _apply(self, change: Callable[[Backing], Backing], *, gesture: object = None, ends: bool = True) -> None:
        """Change the backing as it is when its turn comes: edits before this one may still be on their way."""

        def edit(job: Job) -> Job:
            return set_value(job, "recipe.backing", change(job.settings.recipe.backing))

        self.desk.edit("Backing", edit, gesture=gesture, ends=ends)
        self.desk.show_view(View.BACKING)

    def _on_code(self) -> None:
        text = self.code.text().lower()
        code = text if text.startswith("#") else f"#{text}"
        if len(code) == 7 and code != self._colour:
            self._choose_colour(code)

    def _on_part(self, _value: float, dragged: bool) -> None:
        hue, saturation, brightness = (part.value for part in self._parts)
        colour = QColor.fromHsvF(hue / 360, saturation / 100, brightness / 100).name()
        if colour != self._colour or not dragged:
            self._choose_colour(colour, gesture="backing colour", ends=not dragged)


def _state(job: Job, stages: Stages, solving: float | None) -> StepState:
    del stages, solving
    backing = job.settings.recipe.backing
    return StepState(backing_words(backing), backing.kind != "nothing")


def _show_choice(choice: QComboBox, path: str, job: Job) -> None:
    choice.setCurrentIndex(max(choice.findData(value_of(job.settings, path)), 0))


STEP = StepSpec(Step.BACKING, BackingPanel, _state, (GradientTool,))
