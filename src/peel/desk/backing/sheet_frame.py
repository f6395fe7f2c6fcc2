"""Frame: how large the sheet is, and what it is laid around."""

from functools import partial
from typing import Final

from PySide6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QSpinBox

from peel.desk.step.panel import Panel, words
from peel.job.job import Job
from peel.job.placing.sheet import sheet_of
from peel.job.settings import MOST_SIDE, value_of
from peel.work.views import View

__all__ = ["FramePage"]

_ASPECTS: Final[tuple[tuple[str, float | None], ...]] = (
    ("As it comes", None),
    ("Square", 1.0),
    ("4 : 5, upright", 0.8),
    ("2 : 3, upright", 2 / 3),
    ("3 : 2", 1.5),
    ("16 : 9", 16 / 9),
)


class FramePage(Panel):
    """The sheet's size: around the photo or the subject, with room, in an aspect, or as many pixels as are typed."""

    def build(self) -> None:
        """Put the choices into the column."""
        self.column.setContentsMargins(0, 0, 0, 0)
        self.around, self.unit, self.aspect = QComboBox(), QComboBox(), QComboBox()
        self.around.setAccessibleName("What the sheet is laid around")
        self.around.addItem("The photo's own frame", "photo")
        self.around.addItem("Around the subject", "subject")
        self.unit.setAccessibleName("Unit of the margins")
        for unit in ("px", "%"):
            self.unit.addItem(unit, unit)
        self.aspect.setAccessibleName("Aspect of the sheet")
        for name, aspect in _ASPECTS:
            self.aspect.addItem(name, aspect)
        for choice, name in ((self.around, "around"), (self.unit, "unit"), (self.aspect, "aspect")):
            choice.activated.connect(partial(self._on_choice, name, choice))
            self._bound.append(partial(_show_choice, choice, f"recipe.frame.{name}"))
        self.row(self.around, self.unit)
        grid = QGridLayout()
        grid.setSpacing(4)
        self.margins = {}
        for place, side in enumerate(("top", "bottom", "left", "right")):
            field = self.number(
                f"recipe.frame.{side}",
                f"room, {side}",
                "Room around",
                tip="Room added on this side, in the unit above; taken off below 0",
                track=(-2000, 4000),
            )
            field.changed.connect(lambda _value, _dragged: self.desk.show_view(View.BACKING))
            self.margins[side] = field
            grid.addWidget(field, place // 2, place % 2)
        self.column.addLayout(grid)
        self.column.addWidget(self.aspect)
        self._build_size()

    def _build_size(self) -> None:
        self.sized = QCheckBox("Exactly this size")
        self.sized.setToolTip("So many pixels, around the same middle; room and aspect do not count then")
        self.sized.clicked.connect(lambda _on: self._on_size())
        self.column.addWidget(self.sized)
        self.sides = []
        for name in ("Width", "Height"):
            side = QSpinBox()
            side.setRange(1, MOST_SIDE)
            side.setSuffix(" px")
            side.lineEdit().setTextMargins(5, 0, 0, 0)
            side.setAccessibleName(f"{name} of the sheet")
            side.setKeyboardTracking(False)
            side.valueChanged.connect(lambda _value: self._on_size(typed=True))
            self.sides.append(side)
        self.row(*self.sides)
        self.centred = QCheckBox("Subject in the middle")
        self.centred.setToolTip("The sheet is moved so that the subject's own box stands in its middle")
        self.bind_tick(self.centred, "recipe.frame.centred", "Sheet")
        self.centred.clicked.connect(lambda _on: self.desk.show_view(View.BACKING))
        self.column.addWidget(self.centred)
        self._size = words("", "muted")
        self.column.addWidget(self._size)

    def _on_choice(self, name: str, choice: QComboBox, _index: int) -> None:
        self._set("Sheet", f"recipe.frame.{name}", choice.currentData())
        self.desk.show_view(View.BACKING)

    def _on_size(self, *, typed: bool = False) -> None:
        if typed and not self.sized.isChecked():
            return
        size = tuple(side.value() for side in self.sides) if self.sized.isChecked() else None
        self._set("Sheet", "recipe.frame.size", size)
        self.desk.show_view(View.BACKING)

    def show_rest(self, job: Job) -> None:
        """Show the size."""
        space, size = sheet_of(job).space, job.settings.recipe.frame.size
        self.sized.setChecked(size is not None)
        for side, value in zip(self.sides, size or (space.width, space.height), strict=True):
            if not side.hasFocus():
                side.blockSignals(True)
                side.setValue(value)
                side.blockSignals(False)
            side.setEnabled(size is not None)
        for field in (*self.margins.values(), self.aspect):
            field.setEnabled(size is None)
        self._size.setText(f"The flat file will be {space.width} × {space.height} px; {MOST_SIDE} is the most a side.")


def _show_choice(choice: QComboBox, path: str, job: Job) -> None:
    choice.setCurrentIndex(max(choice.findData(value_of(job.settings, path)), 0))
