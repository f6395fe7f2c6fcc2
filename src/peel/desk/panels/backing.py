"""Backing: what the cutout stands on."""

from typing import Final

from PySide6.QtCore import QRegularExpression, QSize
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QRegularExpressionValidator
from PySide6.QtWidgets import QAbstractButton, QGridLayout, QLineEdit, QPushButton, QWidget

from peel.desk.controls.number_field import NumberField
from peel.desk.panels.panel import Panel, words
from peel.desk.panels.spec import StepSpec
from peel.desk.steps import Step, StepState
from peel.desk.theme import current
from peel.job.edits import set_value
from peel.job.job import Job
from peel.job.settings import Backing
from peel.work.stages import Stages
from peel.work.views import View

__all__ = ["STEP", "BackingPanel"]

_SWATCHES: Final = (
    "#ffffff", "#f2f2f0", "#d9d9d6", "#8f8f8c", "#3a3a39", "#000000",
    "#f4e9d8", "#e8c9a0", "#c8553d", "#7a9e7e", "#3f6c8f", "#2d2a4a",
)  # fmt: skip


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
    """Nothing, or a plain colour; choosing one shows it."""

    title = "What it stands on"

    def build(self) -> None:
        """Put the choices and the colour into the column."""
        self.nothing = self._choice("Nothing", "nothing")
        self.plain = self._choice("A colour", "colour")
        self.row(self.nothing, self.plain)
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

    def _choice(self, text: str, kind: str) -> QPushButton:
        button = self.button(text, lambda: self._choose(kind), role="choice")
        button.setCheckable(True)
        return button

    def show_rest(self, job: Job) -> None:
        """Show the backing."""
        backing = job.settings.recipe.backing
        plain = backing.kind == "colour"
        self.nothing.setChecked(not plain)
        self.plain.setChecked(plain)
        self.code.setText(backing.colour)
        for swatch in self.swatches:
            swatch.setChecked(plain and swatch.colour == backing.colour)
            swatch.update()
        colour = QColor(backing.colour)
        if colour.saturation() > 0:
            self._parts[0].show_value(max(colour.hue(), 0))
        self._parts[1].show_value(round(colour.saturationF() * 100))
        self._parts[2].show_value(round(colour.valueF() * 100))

    @property
    def _colour(self) -> str:
        job = self.desk.job
        return job.settings.recipe.backing.colour if job is not None else "#ffffff"

    def _choose(self, kind: str) -> None:
        self._apply(Backing(kind="colour" if kind == "colour" else "nothing", colour=self._colour))
        if self.desk.job is not None:
            self.show_rest(self.desk.job)

    def _choose_colour(self, colour: str, *, gesture: object = None, ends: bool = True) -> None:
        self._apply(Backing(kind="colour", colour=colour), gesture=gesture, ends=ends)

    def _apply(self, backing: Backing, *, gesture: object = None, ends: bool = True) -> None:
        self.desk.edit("Backing", lambda job: set_value(job, "recipe.backing", backing), gesture=gesture, ends=ends)
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
    plain = backing.kind == "colour"
    return StepState(backing.colour if plain else "nothing", plain)


STEP = StepSpec(Step.BACKING, BackingPanel, _state)
