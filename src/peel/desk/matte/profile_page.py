"""The page of the edge profile in the Matte panel: for everywhere, a kind of edge, or a drawn area."""

from functools import partial
from typing import Final

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from peel.desk.controls.buttons import button
from peel.desk.controls.hair_dial import HairDial
from peel.desk.controls.labels import words
from peel.desk.controls.number_field import NumberField
from peel.desk.controls.profile_drawing import ProfileDrawing
from peel.desk.controls.tone_axis import ToneAxis
from peel.desk.step.fields import field_in
from peel.desk.step.target_bar import TargetBar
from peel.job.settings import Finish, Separation
from peel.job.settings.bounds import bounds_in
from peel.work.inspecting.hair import HairCount
from peel.work.inspecting.measuring import VALUES, Measured
from peel.work.separating.separation_sheet import Outlines

_NOTHING: Final = np.zeros(0, np.float32)

__all__ = ["ProfilePage"]

_FIELDS: Final = {
    "pull_px": ("pulled outward", 0.1, "How far the edge is pulled outward; inward below 0"),
    "crisp": ("crisper", 1.0, "Steeper above 0, softer below"),
    "even_px": ("bumps evened", 1.0, "Bumps along the edge shorter than this are evened out"),
    "clear_below": ("clear below", 1.0, "Alpha up to which everything is clear: against glow"),
    "solid_above": ("solid above", 1.0, "Alpha from which everything is solid"),
    "middle": ("half at", 1.0, "Where between them alpha becomes one half"),
    "strength": ("strength", 1.0, "How much of all this is in the matte"),
}
"""The name, the step and the tip of each part of the profile."""

_HAIR: Final = {
    "shortest_px": ("shortest kept", 1.0, "Strands of which less is seen are left out; faint ones count less"),
    "faint": ("faint ones", 1.0, "How far faint strands that the photo shows are brought out"),
}
"""... and of hair."""


class ProfilePage(QWidget):
    """Shows one finish and says what the person wants changed.

    Signals
    -------
    changed : (dict, bool)
        Fields of the finish with their new values, and whether the gesture goes on.
    reset : ()
    """

    changed = Signal(object, bool)
    reset = Signal()

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(words("Edges", "strong"))
        self.edges = TargetBar("Which edges are shaped", "Draw around edges to shape them by themselves")
        column.addWidget(self.edges)
        self.fields: dict[str, NumberField] = {}
        column.addLayout(self._hair_part())
        column.addWidget(words("Edge profile", "strong"))
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
        for place, (name, (label, step, tip)) in enumerate(_FIELDS.items()):
            field = field_in(Finish, name, label, step=step, tip=tip)
            field.changed.connect(partial(self._on_number, name))
            self.fields[name] = field
            grid.addWidget(field, place // 2, place % 2)
        self.as_solved = button("As solved", self.reset.emit, tip="Leave these edges exactly as they were solved")
        grid.addWidget(self.as_solved, 3, 1)
        column.addLayout(grid)

    def _hair_part(self) -> QVBoxLayout:
        """Make the dial, its numbers, and the line that counts."""
        column = QVBoxLayout()
        column.setSpacing(6)
        column.addWidget(words("How much hair", "strong"))
        self.hair = HairDial()
        self.hair.changed.connect(self.changed.emit)
        column.addWidget(self.hair)
        self.counted = words("", "muted")
        column.addWidget(self.counted)
        row = QHBoxLayout()
        row.setSpacing(4)
        for name, (label, step, tip) in _HAIR.items():
            field = field_in(Finish, name, label, step=step, tip=tip, curve=3.0 if name == "shortest_px" else 1.0)
            field.changed.connect(partial(self._on_number, name))
            self.fields[name] = field
            row.addWidget(field)
        column.addLayout(row)
        return column

    def _on_value(self, lines: dict[str, float], dragged: bool) -> None:
        ((line, value),) = lines.items()
        name = {"low": "clear_below", "high": "solid_above", "middle": "middle"}[line]
        bounds = bounds_in(Finish, name)
        self.changed.emit({name: min(max(round(value, 2), bounds.low), bounds.high)}, dragged)

    def _on_number(self, name: str, value: float, dragged: bool) -> None:
        self.changed.emit({name: value / self.fields[name].scale}, dragged)

    def show_finish(self, finish: Finish, measured: Measured | None) -> None:
        """Show a finish over the profile and the values that it shapes."""
        for name, field in self.fields.items():
            field.show_value(getattr(finish, name) * field.scale)
        self.drawing.show_profile(measured.profile if measured is not None else None, finish)
        values = measured.values if measured is not None else np.zeros(VALUES, np.float32)
        lines = Separation(low=finish.clear_below, high=finish.solid_above, middle=finish.middle)
        self.values.show_tones(Outlines(values, np.zeros(VALUES, np.float32), 0.0, 1.0), lines)
        self.as_solved.setEnabled(finish != Finish())

    def show_hair(self, count: HairCount | None, finish: Finish, *, is_counting: bool) -> None:
        """Show how much hair the edges have; None where it has not been counted."""
        self.hair.show_hair(_NOTHING if count is None else count.lengths, finish)
        waiting = "Counting the strands…" if is_counting else "Point at the dial to count the strands."
        self.counted.setText(waiting if count is None else count.in_words(finish))
