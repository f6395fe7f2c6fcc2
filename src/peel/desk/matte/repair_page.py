"""Repairs in the Matte panel: by one press, and what was touched up by hand."""

from functools import partial
from typing import Final

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QCheckBox, QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from peel.desk.controls.buttons import button
from peel.desk.controls.labels import words
from peel.desk.controls.number_field import NumberField
from peel.desk.desk_state import DeskState
from peel.job.edits.touching import TOUCH_PLANES, Touch, has_touches, release_all
from peel.job.job import Job
from peel.job.settings import Point
from peel.work.solving.repairing import Repair
from peel.work.wording import grouped

__all__ = ["RepairPage"]

_TIPS = {
    Repair.PINHOLES: "Holes in what is solid, up to this size, become solid",
    Repair.SPECKS: "What floats in the clear, up to this size, is cleared",
    Repair.INSIDE: "What lies farther inside than this from anything clear becomes solid",
    Repair.OUTSIDE: "What lies farther outside than this from anything solid is cleared",
    Repair.HAZE: "Low values without the structure of strands are cleared",
}

_BUTTON_PX: Final = 28


class RepairPage(QWidget):
    """Says what is to be repaired, and shows what was touched up.

    Signals
    -------
    tried : (Repair or None, float)
        A repair to be shown before it is made, and its amount in pixels; None shows none.
    asked : (Repair, float)
        A repair to be made.
    fill_asked : (Touch or None,)
        A touch-up for all of the drawn area; None releases it.
    again_asked : (tuple of points,)
        The drawn area, to be solved again in other ways.
    confirm_asked, measure_asked : (tuple of points,)
        The drawn area, to be taken for right, or for which ways are to be measured.
    forget_asked : ()
        No edge is taken for right any more.
    area_asked, everywhere_asked : ()
    touched_shown, touches_hidden : (bool,)
    """

    fill_asked = Signal(object)
    again_asked = Signal(object)
    confirm_asked = Signal(object)
    measure_asked = Signal(object)
    forget_asked = Signal()
    tried = Signal(object, float)
    asked = Signal(object, float)
    area_asked = Signal()
    everywhere_asked = Signal()
    touched_shown = Signal(bool)
    touches_hidden = Signal(bool)

    def __init__(self, desk: DeskState) -> None:
        super().__init__()
        self._desk = desk
        self._area: tuple[Point, ...] = ()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(6)
        self._build_repairs()
        self._build_touches()

    def _build_repairs(self) -> None:
        self.column.addWidget(words("Repair by one press", "strong"))
        grid = QGridLayout()
        grid.setSpacing(4)
        self._sorts = QButtonGroup(self)
        self._sorts.setExclusive(False)
        for number, sort in enumerate(Repair):
            made = button(sort.value, partial(self._on_sort, sort), role="way", name=f"repair {sort.name}",
                          tip=_TIPS[sort], checks=True)  # fmt: skip
            made.setMinimumHeight(_BUTTON_PX)
            self._sorts.addButton(made, number)
            grid.addWidget(made, number // 2, number % 2)
        self.area = button("Only in an area", self._on_area, role="way",
                           tip="Draw around the part that repairs are kept to", checks=True)  # fmt: skip
        self.area.setMinimumHeight(_BUTTON_PX)
        grid.addWidget(self.area, 2, 1)
        self.column.addLayout(grid)
        self.amount = NumberField("size or distance", low=1, high=200, default=6, unit="px", curve=2.0,
                                  tip="Largest size, or distance from the edge, in pixels of the photo")  # fmt: skip
        self.amount.changed.connect(lambda _value, _dragged: self.try_sort(self.chosen))
        self.do_it = button("Do it", self._do, tip="Make the repair that is shown")
        self.do_it.setEnabled(False)
        line = QHBoxLayout()
        line.addWidget(self.amount)
        line.addWidget(self.do_it)
        self.column.addLayout(line)
        self.found = words("", "muted")
        self.found.hide()
        self.column.addWidget(self.found)

        self._build_fills()

    def _build_fills(self) -> None:
        """Offer every touch-up for the whole of a drawn area."""
        self._fills = QWidget()
        grid = QGridLayout(self._fills)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(4)
        grid.addWidget(words("All of the drawn area", "muted"), 0, 0, 1, 3)
        for place, sort in enumerate((*Touch, None)):
            name = "Release" if sort is None else sort.name.capitalize()
            tip = "Take touch-ups back in the drawn area" if sort is None else f"{name} all of the drawn area"
            made = button(name, partial(self.fill_asked.emit, sort), role="way", name=f"fill {name}", tip=tip)
            made.setMinimumHeight(_BUTTON_PX)
            grid.addWidget(made, 1 + place // 3, place % 3)
        again = button(
            "Solve it again in other ways",
            lambda: self.again_asked.emit(self._area),
            name="again",
            tip="Shows up to four other answers for the drawn area side by side; press one to take it",
        )
        grid.addWidget(again, 3, 0, 1, 3)
        right = button(
            "Right as it is",
            lambda: self.confirm_asked.emit(self._area),
            name="confirm",
            tip="Takes the edges in the drawn area for right: ways for hard places are measured there",
        )
        measured = button(
            "Measure ways",
            lambda: self.measure_asked.emit(self._area),
            name="measure",
            tip="Tries ways for the drawn area on edges that were taken for right, and offers the best",
        )
        line = QHBoxLayout()
        line.setSpacing(4)
        line.addWidget(right)
        line.addWidget(measured)
        grid.addLayout(line, 4, 0, 1, 3)
        self._fills.hide()
        self.column.addWidget(self._fills)
        self.confirmed = words("", "muted")
        self.forget = button("Forget", self.forget_asked.emit, role="link", name="forget confirmed",
                             tip="Take no drawn edge for right any more")  # fmt: skip
        held = QHBoxLayout()
        held.addWidget(self.confirmed, 1)
        held.addWidget(self.forget)
        self.column.addLayout(held)

    def _build_touches(self) -> None:
        self.column.addWidget(words("Touched up by hand", "strong"))
        line = QHBoxLayout()
        self.show_touched, self.hide_touches = QCheckBox("Show where"), QCheckBox("Hide them")
        self.show_touched.setToolTip("Tint what was touched up")
        self.hide_touches.setToolTip("Look at the matte as it was solved; nothing is lost")
        self.show_touched.toggled.connect(self.touched_shown.emit)
        self.hide_touches.toggled.connect(self.touches_hidden.emit)
        line.addWidget(self.show_touched)
        line.addWidget(self.hide_touches)
        self.column.addLayout(line)
        grid = QGridLayout()
        grid.setSpacing(4)
        self.clear: dict[str, QPushButton] = {}
        for place, sort in enumerate(TOUCH_PLANES):
            made = button(f"Clear {sort}", partial(self._on_clear, sort), role="way",
                          tip=f"Take back every touch-up: {sort}")  # fmt: skip
            made.setMinimumHeight(_BUTTON_PX)
            self.clear[sort] = made
            grid.addWidget(made, place // 2, place % 2)
        self.column.addLayout(grid)

    @property
    def chosen(self) -> Repair | None:
        """The repair that is being shown."""
        return next((sort for number, sort in enumerate(Repair) if self._sorts.button(number).isChecked()), None)

    def _on_sort(self, sort: Repair) -> None:
        number = list(Repair).index(sort)
        self.try_sort(sort if self._sorts.button(number).isChecked() else None)

    def try_sort(self, sort: Repair | None) -> None:
        """Show what a repair would do; None shows none."""
        for number, other in enumerate(Repair):
            self._sorts.button(number).setChecked(other is sort)
        self.do_it.setEnabled(sort is not None)
        self.amount.setEnabled(sort is None or sort.has_amount)
        self.found.setVisible(sort is not None)
        self.tried.emit(sort, self.amount.value)

    def show_found(self, pixels: int) -> None:
        """Say how much the repair that is shown would change."""
        self.found.setText(f"{grouped(pixels)} pixels would change." if pixels else "There is nothing to change.")

    def _do(self) -> None:
        sort = self.chosen
        if sort is not None:
            self.try_sort(None)
            self.asked.emit(sort, self.amount.value)

    def _on_area(self) -> None:
        if self.area.isChecked():
            self.area_asked.emit()
        else:
            self.everywhere_asked.emit()

    def show_area(self, area: tuple[Point, ...]) -> None:
        """Show whether repairs are kept to an area."""
        drawn, self._area = bool(area), area
        self.area.setChecked(drawn)
        self.area.setText("In the drawn area" if drawn else "Only in an area")
        self._fills.setVisible(drawn)
        self.try_sort(self.chosen)

    def _on_clear(self, sort: str) -> None:
        self._desk.edit(f"Clear {sort}", lambda job: release_all(job, sort))

    def show_job(self, job: Job) -> None:
        """Show which touch-ups there are."""
        for sort, clear in self.clear.items():
            clear.setEnabled(has_touches(job, sort=sort))
        any_touches = has_touches(job)
        self.show_touched.setEnabled(any_touches)
        self.hide_touches.setEnabled(any_touches)
        count = len(job.settings.photo.confirmed)
        self.confirmed.setText(f"{count} {'stretch' if count == 1 else 'stretches'} taken for right")
        self.confirmed.setVisible(count > 0)
        self.forget.setVisible(count > 0)
