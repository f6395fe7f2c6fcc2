"""Cutouts: what stands on the sheet, and where."""

from collections.abc import Sequence
from functools import partial
from typing import Final

from PySide6.QtCore import QItemSelectionModel, QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import QAbstractItemView, QCheckBox, QComboBox, QGridLayout, QListWidgetItem

from peel.desk.controls.buttons import button
from peel.desk.controls.growing_list import GrowingList
from peel.desk.controls.number_field import NumberField
from peel.desk.step.panel import Panel, words
from peel.job.job import Job
from peel.job.placing.cutouts import corners_of, numbers_of
from peel.job.settings import PlacedCutout

__all__ = ["CutoutsPage", "cutout_name"]

_NUMBERS: Final = (
    ("across", "x", 1.0, -6000, 6000, 0, "px", "From its own place, to the right"),
    ("down", "y", 1.0, -6000, 6000, 0, "px", "From its own place, downward"),
    ("width", "width", 100.0, 1, 1000, 100, "%", "Of its own width"),
    ("height", "height", 100.0, 1, 1000, 100, "%", "Of its own height"),
    ("turned", "turn_deg", 1.0, -180, 180, 0, "°", "Clockwise, about its middle"),
    ("skewed", "skew_deg", 1.0, -75, 75, 0, "°", "By how much its sides lean"),
)


def cutout_name(number: int, cutout: PlacedCutout) -> str:
    """Name a cutout for people."""
    return cutout.name or ("The subject" if cutout.source == "subject" and number == 0 else f"Copy {number}")


class CutoutsPage(Panel):
    """Lists cutouts, the topmost first, and shows the place of those that are chosen.

    Signals
    -------
    chosen : (tuple of int,)
    add_asked, copy_asked, drop_asked, home_asked, mirror_asked : ()
    order_asked : (str,)
        "up", "down", "top" or "bottom".
    hidden_asked : (int, bool)
    casts_asked : (bool,)
    number_changed : (dict, bool)
        Parts of `PlaceNumbers` with their new values, and whether the gesture goes on.
    corner_changed : (int, float, float, bool)
        Where a corner of its picture lies, by its number from the top left.
    """

    chosen = Signal(object)
    add_asked = Signal()
    copy_asked = Signal()
    drop_asked = Signal()
    home_asked = Signal()
    mirror_asked = Signal()
    order_asked = Signal(str)
    hidden_asked = Signal(int, bool)
    casts_asked = Signal(bool)
    number_changed = Signal(object, bool)
    corner_changed = Signal(int, float, float, bool)

    def build(self) -> None:
        """Put the list, its buttons and the numbers into the column."""
        self.column.setContentsMargins(0, 0, 0, 0)
        self.list = GrowingList("Cutouts on the sheet, the topmost first", most=8)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.itemSelectionChanged.connect(self._on_selected)
        self.list.itemChanged.connect(self._on_ticked)
        self.column.addWidget(self.list)
        add = button("Add…", self.add_asked.emit, tip="Another job, or any picture with transparency")
        self._needing = [
            button("Copy", self.copy_asked.emit, tip="Place the chosen ones once more"),
            button("Remove", self.drop_asked.emit, tip="Take the chosen ones off the sheet; nothing else changes"),
        ]
        self.row(add, *self._needing)
        grid = QGridLayout()
        grid.setSpacing(4)
        for place, (text, way, tip) in enumerate(
            (
                ("Forward", "up", "Before the next one"),
                ("Back", "down", "Behind the one below"),
                ("Foremost", "top", "Before all others"),
                ("Hindmost", "bottom", "Behind all others"),
            )
        ):
            made = button(text, partial(self.order_asked.emit, way), role="way", name=f"order {way}", tip=tip)
            self._needing.append(made)
            grid.addWidget(made, place // 2, place % 2)
        self.column.addLayout(grid)
        self._build_numbers()

    def _build_numbers(self) -> None:
        grid = QGridLayout()
        grid.setSpacing(4)
        self.numbers: dict[str, NumberField] = {}
        for place, (name, key, scale, low, high, default, unit, tip) in enumerate(_NUMBERS):
            step = 1.0 if unit == "px" else 0.1
            field = NumberField(name, low=low, high=high, default=default, unit=unit, step=step, tip=tip)
            field.changed.connect(partial(self._on_number, key, scale))
            self.numbers[key] = field
            grid.addWidget(field, place // 2, place % 2)
        self.column.addLayout(grid)
        self.corner = QComboBox()
        self.corner.setAccessibleName("Which corner the numbers beside it place")
        self.corner.addItems(["Top left", "Top right", "Bottom right", "Bottom left"])
        self.corner.activated.connect(lambda _index: self._show_corner())
        self.corners: tuple[tuple[float, float], ...] = ()
        self.corner_at = [
            NumberField(
                name, low=-20_000, high=20_000, default=0, unit="px", tip="In perspective: where this corner lies"
            )
            for name in ("lies across", "lies down")
        ]
        for field in self.corner_at:
            field.changed.connect(self._on_corner)
        self.column.addWidget(self.corner)
        self.row(*self.corner_at)
        self.together = QCheckBox("Width and height together")
        self.together.setChecked(True)
        self.together.setToolTip("Scale in proportion")
        self.column.addWidget(self.together)
        self.casts = QCheckBox("Has a shadow")
        self.casts.setToolTip("Kept and made shadows lie under the chosen ones, or do not")
        self.casts.clicked.connect(lambda on: self.casts_asked.emit(on))
        self.column.addWidget(self.casts)
        home = button("Back to its own place", self.home_asked.emit, tip="As it was photographed")
        mirror = button("Mirror", self.mirror_asked.emit, tip="Left to right")
        self._needing += [home, mirror]
        self.row(home, mirror)
        self._says = words("", "muted")
        self.column.addWidget(self._says)

    def mark_pointed(self, number: int | None) -> None:
        """Mark the cutout that is under the cursor."""
        with QSignalBlocker(self.list):
            for row in range(self.list.count()):
                item = self.list.item(row)
                is_it = number is not None and int(item.data(Qt.ItemDataRole.UserRole)) == number
                font = item.font()
                font.setUnderline(is_it)
                item.setFont(font)

    def _on_selected(self) -> None:
        picked = sorted(int(item.data(Qt.ItemDataRole.UserRole)) for item in self.list.selectedItems())
        self.chosen.emit(tuple(picked))

    def _on_ticked(self, item: QListWidgetItem) -> None:
        self.hidden_asked.emit(int(item.data(Qt.ItemDataRole.UserRole)), item.checkState() != Qt.CheckState.Checked)

    def _on_number(self, key: str, scale: float, value: float, dragged: bool) -> None:
        self.number_changed.emit({key: value / scale}, dragged)

    def _on_corner(self, _value: float, dragged: bool) -> None:
        x, y = (field.value for field in self.corner_at)
        self.corner_changed.emit(self.corner.currentIndex(), x, y, dragged)

    def _show_corner(self) -> None:
        if self.corners:
            for field, value in zip(self.corner_at, self.corners[self.corner.currentIndex()], strict=True):
                field.show_value(value)

    def show_cutouts(self, job: Job, picked: Sequence[int]) -> None:
        """Show the cutouts of a job, and the place of the first that is chosen."""
        cutouts = job.settings.photo.cutouts
        with QSignalBlocker(self.list):
            self.list.clear()
            for number, cutout in reversed(list(enumerate(cutouts))):
                gone = cutout.source != "subject" and cutout.source not in job.assets
                item = QListWidgetItem(cutout_name(number, cutout) + (" – its picture is missing" if gone else ""))
                item.setData(Qt.ItemDataRole.UserRole, number)
                item.setToolTip("Ticked ones are seen")
                item.setCheckState(Qt.CheckState.Unchecked if cutout.hidden else Qt.CheckState.Checked)
                self.list.addItem(item)
                if number in picked:
                    self.list.setCurrentItem(item, QItemSelectionModel.SelectionFlag.Select)
        for widget in (*self._needing, *self.numbers.values(), *self.corner_at, self.corner, self.casts):
            widget.setEnabled(bool(picked))
        if picked:
            first = cutouts[picked[0]]
            found = numbers_of(job, first)
            for _, key, scale, *_rest in _NUMBERS:
                self.numbers[key].show_value(getattr(found, key) * scale)
            self.casts.setChecked(first.casts)
            self.corners = corners_of(job, first)
            self._show_corner()
        self._says.setText(_advice(len(picked)))


def _advice(picked: int) -> str:
    if picked == 0:
        return "Place, on the shelf: press a cutout on the picture to choose it, Shift to choose more."
    many = f"{picked} are changed together. " if picked > 1 else ""
    return many + "On the picture: corners scale, sides stretch, the knob turns; with Ctrl they lean and pull."
