"""A preset's own page: every part of an order set by hand, and what a format cannot hold said at once."""

from collections.abc import Mapping
from contextlib import suppress
from typing import Any, Final

from pydantic import ValidationError
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QLineEdit,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from peel.desk.controls.buttons import button, side_by_side
from peel.desk.controls.colour_field import ColourField
from peel.desk.controls.labels import words
from peel.files.json_settings import said_of
from peel.job.preset import FORMATS, Preset, SizeRule, file_name
from peel.job.settings import Backing, SheetFrame

__all__ = ["PresetForm"]

_Choice = Mapping[str, Any]
_PRODUCT: Final[_Choice] = {
    "Cutout": "cutout", "On its backing": "flat", "Matte": "matte", "Shadow apart": "shadow",
    "Backing apart": "backing", "Layers in one file": "layers", "Outline": "outline",
}  # fmt: skip
_FORMAT: Final[_Choice] = {able.label: name for name, able in FORMATS.items()}
_BITS: Final[_Choice] = {"8 bit": 8, "16 bit": 16, "32 bit": 32}
_FIT: Final[_Choice] = {
    "As it is": "as it is", "Longest": "longest", "Width": "width", "Height": "height", "Scaled": "scale",
}  # fmt: skip
_PROFILE: Final[_Choice] = {
    "As the photo": "photo", "sRGB": "srgb", "Display P3": "display-p3", "opRGB": "oprgb", "Gray": "gray",
}  # fmt: skip
_INTENT: Final[_Choice] = {
    "Perceptual": "perceptual", "Relative": "relative", "Saturation": "saturation", "Absolute": "absolute",
}  # fmt: skip
_ALPHA: Final[_Choice] = {"Straight": "straight", "Premultiplied": "premultiplied"}
_METADATA: Final[_Choice] = {"Rights and credit": "rights", "All kept": "kept", "Stripped": "stripped"}
_EXISTING: Final[_Choice] = {"Replace it": "replace", "Number the new": "number", "Ask first": "ask"}
_ASPECT: Final[_Choice] = {
    "as it comes": None,
    "1 : 1": 1.0,
    "4 : 5": 0.8,
    "2 : 3": 2 / 3,
    "3 : 2": 1.5,
    "16 : 9": 16 / 9,
}
_SHEET, _PHOTO, _SUBJECT, _OWN = "sheet", "photo", "subject", "own"
_FRAME: Final[_Choice] = {"The sheet's": _SHEET, "Around the subject": _SUBJECT}
_AS_PHOTO, _OVER_PHOTO = "The photo's", ("cutout", "matte", "outline")  # products that lie over the photo
_BACKING: Final[_Choice] = {"As on the sheet": _SHEET, "A colour": "colour", "Nothing": "nothing"}
_AS_IN_FILE: Final = "As in its file"
_CHOSEN: Final = ("product", "format", "bits", "profile", "intent", "alpha", "metadata", "existing")
_TICKED: Final = ("lossless", "continued", "clipping_path")


class PresetForm(QWidget):
    """Shows one preset and lets it be changed.

    Signals
    -------
    kept : (Preset,)
    left : ()
        Without keeping anything.
    """

    kept = Signal(object)
    left = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._own_frame: SheetFrame | None = None
        self._own_backing: Backing | None = None
        self._own_scale = (0, 1.0)  # as it was shown, in whole per cent, and as it is
        self._showing = False
        self._lines = QFormLayout()
        self._lines.setContentsMargins(0, 0, 0, 0)
        self._lines.setSpacing(5)
        self._lines.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        self._lines.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        self._build_what()
        self._build_where()
        self._build_how()
        self.says = words("")
        self.keep = button("Keep it", self._on_keep, name="preset keep",
                           tip="Keeps it among your own presets. Under another name it is a new one")  # fmt: skip
        leave = button("Leave it", self.left.emit, name="preset leave")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(self._lines)
        column.addWidget(self.says)
        column.addLayout(side_by_side(self.keep, leave, spacing=4))

    # parts

    def _build_what(self) -> None:
        self.name = QLineEdit()
        self.name.setMaxLength(80)
        self.name.textChanged.connect(lambda _text: self._on_change())
        self._line("Name", self.name)
        self.product = self._combo("What", _PRODUCT)
        self.format, self.bits = self._combo("Format", _FORMAT, lay=False), self._combo("Bits", _BITS, lay=False)
        self.format.activated.connect(lambda _index: self._follow_format())
        self._line("Format", self.format, self.bits)
        self.quality, self.lossless = self._number("Quality", 1, 100, " %"), self._tick("Lossless")
        self._line("Quality", self.quality, self.lossless)

    def _build_where(self) -> None:
        self.fit, self.px = self._combo("Size", _FIT, lay=False), self._number("Pixels", 1, 30_000, " px")
        self.scale = self._number("Scale", 1, 800, " %")
        self._line("Size", self.fit, self.px, self.scale)
        self.enlarges = self._tick("May be enlarged")
        self._line("", self.enlarges)
        self.frame = self._combo("Frame", _FRAME)
        self.margin, self.aspect = self._number("Margin", 0, 200, " %"), self._combo("Aspect", _ASPECT, lay=False)
        self._line("Margin", self.margin, self.aspect)
        self.backing = self._combo("Backing", _BACKING)
        self.colour = ColourField("")
        self.colour.pick.hide()
        self.colour.code.setAccessibleName("Colour of the preset's backing as #rrggbb")
        self.colour.changed.connect(self._on_colour)
        self._lines.addRow(self.colour)

    def _build_how(self) -> None:
        self.profile = self._combo("Colours", _PROFILE, lay=False)
        self.intent = self._combo("Rendering intent", _INTENT, lay=False)
        self._line("Colours", self.profile, self.intent)
        self.ppi = self._number("Resolution", 0, 10_000, " ppi")
        self.ppi.setSpecialValueText("not noted")
        self._line("Resolution", self.ppi)
        self.alpha = self._combo("Alpha", _ALPHA)
        self.continued = self._tick("Colour outside the edge")
        self.continued.setToolTip(
            "The subject's colour goes on a few pixels under clear ones, so that no edge turns dark"
        )
        self.clipping_path = self._tick("Outline as a clipping path")
        self._line("", self.continued)
        self._line("", self.clipping_path)
        self.metadata = self._combo("Metadata", _METADATA)
        self.file_name = QLineEdit()
        self.file_name.setMaxLength(120)
        self.file_name.setToolTip("{name}, {product}, {preset}, {size}, {number:03} and {date} are filled in")
        self.file_name.textChanged.connect(lambda _text: self._on_change())
        self._line("File name", self.file_name)
        self.existing = self._combo("If there", _EXISTING)

    def _line(self, label: str, *parts: QWidget) -> None:
        for part in parts:
            if not part.accessibleName():
                part.setAccessibleName(f"{label} of the preset")
        line = side_by_side(*parts, spacing=4)
        for place in range(len(parts)):
            line.setStretch(place, 1)
        self._lines.addRow(words(label), line)

    def _combo(self, label: str, choices: _Choice, *, lay: bool = True) -> QComboBox:
        made = QComboBox()
        made.setAccessibleName(f"{label} of the preset")
        made.setMinimumContentsLength(4)
        made.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        for text, value in choices.items():
            made.addItem(text, value)
        made.currentIndexChanged.connect(lambda _index: self._on_change())
        if lay:
            self._line(label, made)
        return made

    def _number(self, label: str, low: int, high: int, unit: str) -> QSpinBox:
        made = QSpinBox()
        made.setRange(low, high)
        made.setSuffix(unit)
        made.lineEdit().setTextMargins(5, 0, 0, 0)
        made.setAccessibleName(f"{label} of the preset")
        made.valueChanged.connect(lambda _value: self._on_change())
        return made

    def _tick(self, text: str) -> QCheckBox:
        made = QCheckBox(text)
        made.toggled.connect(lambda _on: self._on_change())
        return made

    def _follow_format(self) -> None:
        """Choose bits and alpha that the format chosen by hand can hold."""
        able = FORMATS[self.format.currentData()]
        if self.bits.currentData() not in able.bits:
            _choose(self.bits, able.bits[0])
        if able.alpha and self.alpha.currentData() not in able.alpha:
            _choose(self.alpha, able.alpha[0])

    # showing and reading

    def show_preset(self, preset: Preset) -> None:
        """Show a preset to be changed."""
        self._showing = True
        self.name.setText(preset.name)
        for field in _CHOSEN:
            _choose(getattr(self, field), getattr(preset, field))
        for field in _TICKED:
            getattr(self, field).setChecked(getattr(preset, field))
        self.quality.setValue(preset.quality)
        _choose(self.fit, preset.size.fit)
        self.px.setValue(preset.size.px)
        self.scale.setValue(round(preset.size.scale * 100))
        self._own_scale = (self.scale.value(), preset.size.scale)
        self.enlarges.setChecked(preset.size.enlarges)
        self.ppi.setValue(preset.ppi or 0)
        self.file_name.setText(preset.file_name)
        self._show_frame(preset)
        self._show_backing(preset)
        self._showing = False
        self._on_change()

    def _show_frame(self, preset: Preset) -> None:
        frame = preset.frame
        if frame is not None:
            self.margin.setValue(round(frame.top))
            _choose(self.aspect, frame.aspect)
        as_form = frame is not None and frame == self._frame_of_form()
        self._own_frame = None if as_form else frame
        _offer(self.frame, _AS_IN_FILE, _OWN, offered=self._own_frame is not None)
        _offer(self.frame, _AS_PHOTO, _PHOTO, offered=preset.product in _OVER_PHOTO)
        plain = _SHEET if preset.is_framed else _PHOTO
        _choose(self.frame, plain if frame is None else _SUBJECT if as_form else _OWN)

    def _show_backing(self, preset: Preset) -> None:
        backing = preset.backing
        self.colour.show_colour(backing.colour if backing is not None else "#ffffff")
        as_form = backing is None or (
            backing.kind in {"colour", "nothing"} and backing == Backing(kind=backing.kind, colour=backing.colour)
        )
        self._own_backing = None if as_form else backing
        _offer(self.backing, _AS_IN_FILE, _OWN, offered=self._own_backing is not None)
        _choose(self.backing, _SHEET if backing is None else backing.kind if as_form else _OWN)

    def _scale(self) -> float:
        shown, own = self._own_scale
        return own if self.scale.value() == shown else self.scale.value() / 100

    def _frame_of_form(self) -> SheetFrame:
        room = float(self.margin.value())
        return SheetFrame(
            around="subject", unit="%", top=room, right=room, bottom=room, left=room, aspect=self.aspect.currentData()
        )

    def _backing_of_form(self) -> Backing | None:
        kind = self.backing.currentData()
        if kind in {_SHEET, _OWN}:
            return self._own_backing if kind == _OWN else None
        return Backing(kind=kind, colour=self.colour.colour)

    def preset(self) -> Preset:
        """Return what the form says.

        Raises
        ------
        pydantic.ValidationError
            If it cannot be delivered so.
        """
        chosen = self.frame.currentData()
        frame = {_SUBJECT: self._frame_of_form(), _OWN: self._own_frame}.get(chosen)
        product = self.product.currentData()
        return Preset(
            name=self.name.text().strip(),
            **{field: getattr(self, field).currentData() for field in _CHOSEN},
            **{field: getattr(self, field).isChecked() for field in _TICKED},
            quality=self.quality.value(),
            size=SizeRule(
                fit=self.fit.currentData(),
                px=self.px.value(),
                scale=self._scale(),
                enlarges=self.enlarges.isChecked(),
            ),
            frame=frame,
            framed=chosen == _SHEET and product in {"cutout", "matte"},
            backing=self._backing_of_form(),
            ppi=self.ppi.value() or None,
            file_name=self.file_name.text().strip(),
        )

    def _on_colour(self, colour: str) -> None:
        self.colour.show_colour(colour)
        self._on_change()

    def _on_change(self) -> None:
        """Say what it comes to, or what is wrong with it."""
        if self._showing:
            return
        self._show_what_counts()
        try:
            made = self.preset()
        except ValidationError as error:
            said = said_of(error)
            self.says.setText(f"{said[:1].upper()}{said[1:]}.")
            self.keep.setEnabled(False)
            return
        example = file_name(made, "photo", size=(2400, 1600), number=1, date="2026-01-31")
        self.says.setText(f"{made.words[:1].upper()}{made.words[1:]}; such as {example}")
        self.keep.setEnabled(True)

    def _show_what_counts(self) -> None:
        """Enable what the product and the format leave to choose."""
        able, product = FORMATS[self.format.currentData()], self.product.currentData()
        self.quality.setEnabled(able.has_quality and not (able.can_be_lossless and self.lossless.isChecked()))
        self.lossless.setEnabled(able.can_be_lossless)
        self.bits.setEnabled(len(able.bits) > 1 or self.bits.currentData() not in able.bits)
        self.px.setVisible(self.fit.currentData() in {"longest", "width", "height"})
        self.scale.setVisible(self.fit.currentData() == "scale")
        self.enlarges.setEnabled(self.fit.currentData() != "as it is")
        _offer(self.frame, _AS_PHOTO, _PHOTO, offered=product in _OVER_PHOTO)
        self.frame.setEnabled(product != "outline")  # which lies over the photo
        in_own_box = self.frame.currentData() == _SUBJECT and product != "outline"
        self.margin.setEnabled(in_own_box)
        self.aspect.setEnabled(in_own_box)
        self.backing.setEnabled(product in {"flat", "backing", "layers"})
        self.colour.setVisible(self.backing.currentData() == "colour" and self.backing.isEnabled())
        self.intent.setEnabled(self.profile.currentData() != "photo")
        has_alpha = product in {"cutout", "shadow"}
        self.alpha.setEnabled(has_alpha)
        self.continued.setEnabled(product == "cutout" and self.alpha.currentData() == "straight")
        self.clipping_path.setEnabled(self.clipping_path.isChecked() or able.clips(product))

    def _on_keep(self) -> None:
        with suppress(ValidationError):
            self.kept.emit(self.preset())


def _choose(choice: QComboBox, value: object) -> None:
    """Choose a value; one that is not offered chooses the first."""
    choice.setCurrentIndex(next((k for k in range(choice.count()) if choice.itemData(k) == value), 0))


def _offer(choice: QComboBox, text: str, value: str, *, offered: bool) -> None:
    """Offer a choice that not every preset has, or do not."""
    at = choice.findData(value)
    if offered and at < 0:
        choice.addItem(text, value)
    elif not offered and at >= 0:
        if choice.currentIndex() == at:
            choice.setCurrentIndex(0)  # rather than the one beside it
        choice.removeItem(at)
