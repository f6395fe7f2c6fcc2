"""The page of the edge profile in the Matte panel: for everywhere, a kind of edge, or a drawn area."""

from functools import partial
from typing import Final

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from peel.desk.controls.buttons import button
from peel.desk.controls.labels import words
from peel.desk.controls.number_field import NumberField
from peel.desk.controls.profile_drawing import ProfileDrawing
from peel.desk.controls.tone_axis import ToneAxis
from peel.job.settings import Finish, Separation
from peel.work.inspecting.measuring import VALUES, Measured
from peel.work.separating.separation_sheet import Outlines

__all__ = ["ProfilePage"]

# name, lowest, highest, default, unit, step, how many of the field for 1 of the setting, tip
_FIELDS: Final[dict[str, tuple[str, float, float, float, str, float, float, str]]] = {
    "pull_px": ("pulled outward", -12, 12, 0, "px", 0.1, 1, "How far the edge is pulled outward; inward below 0"),
    "crisp": ("crisper", -100, 100, 0, "%", 1, 100, "Steeper above 0, softer below"),
    "even_px": ("bumps evened", 0, 40, 0, "px", 1, 1, "Bumps along the edge shorter than this are evened out"),
    "clear_below": ("clear below", 0, 90, 0, "%", 1, 100, "Alpha up to which everything is clear: against glow"),
    "solid_above": ("solid above", 10, 100, 100, "%", 1, 100, "Alpha from which everything is solid"),
    "middle": ("half at", 5, 95, 50, "%", 1, 100, "Where between them alpha becomes one half"),
    "strength": ("strength", 0, 100, 100, "%", 1, 100, "How much of all this is in the matte"),
}


class ProfilePage(QWidget):
    """Shows one finish and says what the person wants changed.

    Signals
    -------
    target_chosen : (int,)
    changed : (dict, bool)
        Fields of the finish with their new values, and whether the gesture goes on.
    faded : (float, bool)
        Over how many pixels the border of the area fades, and whether the gesture goes on.
    reset, area_asked, dropped : ()
    """

    target_chosen = Signal(int)
    changed = Signal(object, bool)
    faded = Signal(float, bool)
    reset = Signal()
    area_asked = Signal()
    dropped = Signal()

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(words("Edge profile", "strong"))
        self.target = QComboBox()
        self.target.setAccessibleName("Which edges are shaped")
        self.target.activated.connect(self.target_chosen.emit)
        column.addWidget(self.target)
        self.drawing = ProfileDrawing()
        self.drawing.changed.connect(self.changed.emit)
        column.addWidget(self.drawing)
        self.values = ToneAxis(
            "Half-clear values",
            "How often each value between clear and solid occurs in this matte.\n"
            "Drag the lines: what lies below clear becomes clear, above solid solid; the middle becomes one half.",
        )
        self.values.changed.connect(self._on_value)
        column.addWidget(self.values)
        grid = QGridLayout()
        grid.setSpacing(4)
        self.fields: dict[str, NumberField] = {}
        for place, (name, (label, low, high, default, unit, step, _scale, tip)) in enumerate(_FIELDS.items()):
            field = NumberField(label, low=low, high=high, default=default, unit=unit, step=step, tip=tip)
            field.changed.connect(partial(self._on_number, name))
            self.fields[name] = field
            grid.addWidget(field, place // 2, place % 2)
        self.as_solved = button("As solved", self.reset.emit, tip="Leave these edges exactly as they were solved")
        grid.addWidget(self.as_solved, 3, 1)
        column.addLayout(grid)
        self.fade = NumberField("border fades over", low=0, high=400, default=24, unit="px", curve=2.0,
                                tip="Over how many pixels of the photo the area gives way to the rest")  # fmt: skip
        self.fade.changed.connect(self.faded.emit)
        column.addWidget(self.fade)
        line = QHBoxLayout()
        self.area = button("For an area…", self.area_asked.emit, tip="Draw around edges to shape them by themselves")
        self.drop = button("Drop the area", self.dropped.emit, tip="Shape these edges like the rest again")
        for made in (self.area, self.drop):
            line.addWidget(made)
        column.addLayout(line)

    def _on_value(self, line: str, value: float, dragged: bool) -> None:
        name, low, high = {
            "low": ("clear_below", 0.0, 0.9),
            "high": ("solid_above", 0.1, 1.0),
            "middle": ("middle", 0.05, 0.95),
        }[line]
        self.changed.emit({name: min(max(round(value, 2), low), high)}, dragged)

    def _on_number(self, name: str, value: float, dragged: bool) -> None:
        self.changed.emit({name: value / _FIELDS[name][6]}, dragged)

    def show_targets(self, labels: list[str], chosen: int) -> None:
        """List what can be shaped, and say which is shown."""
        if labels != [self.target.itemText(place) for place in range(self.target.count())]:
            self.target.clear()
            self.target.addItems(labels)
        self.target.setCurrentIndex(chosen)

    def show_finish(self, finish: Finish, measured: Measured | None, fade_px: float | None) -> None:
        """Show a finish over the profile and the values that it shapes; only a drawn area has a border that fades."""
        for name, field in self.fields.items():
            field.show_value(getattr(finish, name) * _FIELDS[name][6])
        self.drawing.show_profile(measured.profile if measured is not None else None, finish)
        values = measured.values if measured is not None else np.zeros(VALUES, np.float32)
        lines = Separation(low=finish.clear_below, high=finish.solid_above, middle=finish.middle)
        self.values.show_tones(Outlines(values, np.zeros(VALUES, np.float32), 0.0, 1.0), lines)
        self.as_solved.setEnabled(finish != Finish())
        for own in (self.drop, self.fade):
            own.setVisible(fade_px is not None)
        if fade_px is not None:
            self.fade.show_value(fade_px)
