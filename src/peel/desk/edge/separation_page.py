"""The page of Edge on which a rendering of the photo is chosen that tells its subject from its backdrop."""

from functools import partial
from typing import Any, Final

from PySide6.QtCore import QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QIcon, QImage, QPainter, QPixmap
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from peel.desk.controls.buttons import button
from peel.desk.controls.labels import words
from peel.desk.controls.number_field import NumberField
from peel.desk.controls.tone_axis import ToneAxis
from peel.desk.step.fields import field_in
from peel.job.settings import Separation
from peel.work.separating.separation_sheet import Outlines, RenderingSheet, Row

__all__ = ["NAMES", "SeparationPage"]

NAMES: Final = {
    "red": "Red",
    "green": "Green",
    "blue": "Blue",
    "lightness": "Lightness",
    "green to rose": "Green to rose",
    "blue to yellow": "Blue to yellow",
    "saturation": "Saturation",
    "red less green": "Red – green",
    "red less blue": "Red – blue",
    "green less blue": "Green – blue",
    "mix": "Best mix",
    "key": "Key",
}
"""What the renderings are called."""

_USES: Final = {
    "look": ("Look", "Only looked at in Tone; the matte does not use it"),
    "guide": ("Guide", "The solver looks at it as much as at the photo"),
    "pull": ("Pull", "The matte is pulled towards it"),
    "matte": ("Matte", "Between its ends it is the matte; the inside is solid, the outside clear by the zones"),
}
_COLUMNS: Final = 3
_THUMB: Final = QSize(80, 50)
_SIDE: Final = QSize(86, 74)


class SeparationPage(QWidget):
    """Shows one separation and the sheet it is chosen from; says what the person wants changed.

    Signals
    -------
    target_chosen : (int,)
        Which entry of the list of targets.
    row_chosen : (Row,)
        A rendering of the sheet.
    changed : (dict, bool)
        Fields of the separation with their new values, and whether the gesture goes on.
    turned, proposed, dropped, begun : ()
    """

    target_chosen = Signal(int)
    row_chosen = Signal(object)
    changed = Signal(object, bool)
    turned = Signal()
    proposed = Signal()
    dropped = Signal()
    begun = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._separation = Separation()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(8)
        self._build_target()
        self._build_use()
        self.advice = words("", "muted")
        self.begin = button("Begin from this tone", self.begun.emit, role="chief",
                            tip="Mark what is more than half-way to solid; the tone is the matte")  # fmt: skip
        self.begin.hide()
        self.column.addWidget(self.advice)
        self.column.addWidget(self.begin)
        self._grid = QGridLayout()
        self._grid.setSpacing(4)
        self._grid.setColumnStretch(_COLUMNS, 1)
        self.column.addLayout(self._grid)
        self.rows: dict[str, QToolButton] = {}
        self._build_ends()
        self._build_numbers()

    def _build_target(self) -> None:
        self.target = QComboBox()
        self.target.setAccessibleName("For which part of the edge")
        self.target.setToolTip(
            "Which part of the edge this is chosen for: stretches come before kinds, kinds before all"
        )
        self.target.activated.connect(self.target_chosen.emit)
        self.column.addWidget(self.target)

    def _build_ends(self) -> None:
        self.axis = ToneAxis(
            "Tones at the edge",
            "How often each tone occurs just inside the edge (full line) and just outside (dashed).\n"
            "Drag the lines: clear and beyond is backdrop, solid and beyond is subject, half is one half.",
        )
        self.axis.changed.connect(self.changed)
        self.column.addWidget(self.axis)
        self.detail = words("", "muted")
        self.show_lost = QCheckBox("Show where, in Tone")
        self.show_lost.setToolTip("Mark in Tone the strands that the ends clip away")
        self.column.addWidget(self.detail)
        self.column.addWidget(self.show_lost)
        self.turn = button("Turn over", self.turned.emit, tip="Exchange what is solid and what is clear")
        self.propose = button("Propose ends", self.proposed.emit, tip="Set ends and middle from the samples again")
        line = QHBoxLayout()
        for widget in (self.turn, self.propose):
            line.addWidget(widget)
        self.column.addLayout(line)

    def _build_numbers(self) -> None:
        shown: dict[str, tuple[str, str, dict[str, Any]]] = {
            "low": ("clear end", "The tone that is surely backdrop, of white", {"step": 0.1, "track": (-100, 200)}),
            "high": ("solid end", "The tone that is surely subject, of white", {"step": 0.1, "track": (-100, 200)}),
            "middle": ("half at", "How far between them alpha is one half", {}),
            "gain": ("gain of the key", "How strongly the hue counts", {"curve": 1.6}),
            "local_contrast": (
                "local contrast",
                "Contrast to the surroundings, added for the computation only",
                {"curve": 1.6},
            ),
            "sharpening": ("sharpening", "Contrast to the neighbours, added for the computation only", {"curve": 1.6}),
        }
        self.fields = {
            part: field_in(Separation, part, name, tip=tip, **more) for part, (name, tip, more) in shown.items()
        }
        self.weights = [
            NumberField(colour, low=-100, high=100, default=0, unit="%", tip=f"How much {colour} counts in the mix")
            for colour in ("red", "green", "blue")
        ]
        grid = QGridLayout()
        grid.setSpacing(4)
        for place, name in enumerate(self.fields):
            field = self.fields[name]
            field.changed.connect(partial(self._on_number, name))
            grid.addWidget(field, place // 2, place % 2)
        self.column.addLayout(grid)
        for place, field in enumerate(self.weights, len(self.fields)):
            field.changed.connect(self._on_weight)
            grid.addWidget(field, place // 2, place % 2)
        self.drop = button("Use none here", self.dropped.emit, tip="Take this separation away; its stretch as well")
        self.column.addWidget(self.drop)

    def _build_use(self) -> None:
        self.uses = QButtonGroup(self)
        line = QHBoxLayout()
        line.setSpacing(4)
        self.use_buttons: dict[str, QPushButton] = {}
        for use, (label, tip) in _USES.items():
            made = button(label, partial(self.changed.emit, {"use": use, "strength": None}, False), role="way", tip=tip,
                          checks=True)  # fmt: skip
            made.setMinimumHeight(26)
            self.uses.addButton(made)
            self.use_buttons[use] = made
            line.addWidget(made)
        self.column.addLayout(line)
        self.strength = field_in(
            Separation, "strength", "strength", curve=1.6, track=(0, 300),
            tip="How strongly it guides or pulls; proposed as far as the tone can be trusted",
        )  # fmt: skip
        self.strength.changed.connect(lambda value, dragged: self.changed.emit({"strength": value / 100}, dragged))
        self.column.addWidget(self.strength)

    def _on_number(self, name: str, value: float, dragged: bool) -> None:
        self.changed.emit({name: value / 100}, dragged)

    def _on_weight(self, _value: float, dragged: bool) -> None:
        weights = tuple(field.value / 100 for field in self.weights)
        if any(weights):
            self.changed.emit({"rendering": "mix", "weights": weights}, dragged)

    def show_targets(self, labels: list[str], chosen: int) -> None:
        """List the parts of the edge, and say which one is shown."""
        if labels != [self.target.itemText(place) for place in range(self.target.count())]:
            self.target.clear()
            self.target.addItems(labels)
        self.target.setCurrentIndex(chosen)

    def show_separation(self, separation: Separation, *, stored: bool) -> None:
        """Show one separation; `stored` says whether it is the job's or only what Peel would begin with."""
        self._separation = separation
        for name, field in self.fields.items():
            value = getattr(separation, name)
            field.show_value(100 * (value if value is not None else 0.0))
        for field, weight in zip(self.weights, separation.weights or (0.0, 0.0, 0.0), strict=True):
            field.show_value(100 * weight)
            field.setVisible(separation.rendering == "mix")
        self.fields["gain"].setEnabled(separation.rendering == "key")
        for use, way in self.use_buttons.items():
            way.setChecked(use == separation.use)
            way.setEnabled(stored)
        self.strength.setVisible(separation.use in ("guide", "pull"))
        self.strength.show_value(100 * (separation.strength or 0.0))
        self.drop.setEnabled(stored)
        self.turn.setEnabled(stored)
        self.propose.setEnabled(stored)
        for name, thumb in self.rows.items():
            thumb.setChecked(name == separation.rendering)

    def show_sheet(self, sheet: RenderingSheet) -> None:
        """Show the ranked renderings."""
        while (item := self._grid.takeAt(0)) is not None:
            old = item.widget()
            if old is not None:
                old.setObjectName("")
                old.hide()
                old.deleteLater()
        self.rows = {}
        for place, row in enumerate(sheet.rows):
            thumb = self._thumb(row, is_start=sheet.is_start)
            self._grid.addWidget(thumb, place // _COLUMNS, place % _COLUMNS)
            self.rows[row.separation.rendering] = thumb
        self.advice.setText(_advice(sheet))
        self.begin.setVisible(sheet.is_start)

    def _thumb(self, row: Row, *, is_start: bool) -> QToolButton:
        thumb = QToolButton()
        name = NAMES[row.separation.rendering]
        thumb.setObjectName(f"rendering {row.separation.rendering}")
        thumb.setText(name)
        thumb.setIcon(QIcon(_picture(row, figure="" if is_start else f"{row.separability * 100:.1f} %")))
        thumb.setIconSize(_THUMB)
        thumb.setFixedSize(_SIDE)
        thumb.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        thumb.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        thumb.setCheckable(True)
        thumb.setChecked(row.separation.rendering == self._separation.rendering)
        if is_start:
            thumb.setToolTip(f"{name}: the photo between the ends that Peel proposes; set them by pressing, with Ends")
            thumb.setAccessibleName(name)
        else:
            thumb.setToolTip(f"{name}: tells {row.separability * 100:.1f} % of pairs of samples at the edge apart")
            thumb.setAccessibleName(f"{name}, separates {row.separability * 100:.1f} %")
        thumb.clicked.connect(partial(self._on_thumb, row))
        return thumb

    def _on_thumb(self, row: Row) -> None:
        self.row_chosen.emit(row)

    def show_tones(self, outlines: Outlines | None, separation: Separation) -> None:
        """Show where the ends stand among the samples."""
        self.axis.show_tones(outlines, separation)

    def show_detail(self, lost: float | None) -> None:
        """Show what share of strand detail the ends clip away."""
        self.detail.setText("" if lost is None else f"The ends clip {lost * 100:.0f} % of the strand detail.")


def _picture(row: Row, figure: str) -> QPixmap:
    """Draw a thumbnail with a figure, if there is one, in the corner."""
    height, width = row.thumb.shape
    image = QImage(row.thumb.tobytes(), width, height, width, QImage.Format.Format_Grayscale8)
    picture = (
        QPixmap.fromImage(image)
        .scaled(_THUMB, Qt.AspectRatioMode.KeepAspectRatioByExpanding, Qt.TransformationMode.SmoothTransformation)
        .copy(QRect(QPoint(0, 0), _THUMB))
    )
    if not figure:
        return picture
    painter = QPainter(picture)
    font = painter.font()
    font.setPixelSize(11)
    painter.setFont(font)
    box = QRect(0, _THUMB.height() - 15, painter.fontMetrics().horizontalAdvance(figure) + 8, 15)
    painter.fillRect(box, QColor("#1d1d1d"))
    painter.setPen(QColor("#ffffff"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, figure)
    painter.end()
    return picture


def _advice(sheet: RenderingSheet) -> str:
    if sheet.is_start:
        return (
            "Nothing is marked. Take the rendering that shows the subject white, press what is surely subject and, "
            "with the right button, surely backdrop; the mark can begin from that."
        )
    if not sheet.rows:
        return "Mark subject and backdrop first: a rendering is judged by both sides of the edge."
    if sheet.alike:
        return "No rendering tells the two sides apart: both have the same colours. Better widen and brush the band."
    if sheet.keyable:
        return "The backdrop has one hue of its own: a key suits it (Key, then press on the backdrop)."
    return "Ranked by how well each tells subject from backdrop at the edge; shown at its hardest part."
