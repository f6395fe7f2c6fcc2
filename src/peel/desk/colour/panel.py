"""Colour: the subject's own colours in its edge: cleaned, freed of spill and rims, tinted."""

from functools import partial
from typing import Final

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from peel.desk.controls.buttons import button
from peel.desk.controls.number_field import NumberField
from peel.desk.step.fields import field_for, field_in
from peel.desk.step.panel import Panel, words
from peel.desk.step.target_bar import TargetBar
from peel.job.edits.values import set_value
from peel.job.settings import EdgeColour, Tint
from peel.work.inspecting.colour_proposals import RimProposal
from peel.work.inspecting.fringe import Fringe, RimMeasure
from peel.work.views import View

__all__ = ["NONE_SEEN", "ColourPanel", "share_of_edge"]

# name, lowest, highest, unit, how many of the field for 1 of the setting, label, tip
_FIELDS: Final[dict[str, tuple[str, str]]] = {
    "clean": ("cleaned", "0 % keeps the photo's own colours in the edge; 100 %: the subject's"),
    "detail": ("texture kept", "The photo's fine texture of brightness, put back"),
    "roots": ("hue of roots", "Half-clear hair that leans to the backdrop gets the hue of its solid part"),
    "spill_edge": ("at the edge", "How much of the backdrop's hue is taken out of the edge"),
    "spill_inside": ("inside", "How much of it is taken off the subject itself"),
    "rim_light": ("brightness", "How far the rim is brought to the brightness further in"),
    "rim_tint": ("tint", "How far the rim is brought to the tint further in"),
    "rim_px": ("width", "How wide the rim is, inside the edge"),
}  # fmt: skip
_HUE_FIELDS: Final[dict[str, tuple[str, str]]] = {
    "width_deg": ("width of the hue", "Colours within this angle around the hue count as spill"),
    "give_back": ("brightness back", "How much of the brightness lost is given back"),
    "protect": ("spared", "How far nearly neutral, skin-like and wooden colours are left alone"),
}  # fmt: skip


NONE_SEEN: Final = 0.0005
"""Share of the edge below which nothing is said to be seen: it would read as 0.0 %."""


def share_of_edge(share: float) -> str:
    """Return a share in words.

    >>> share_of_edge(0.0004), share_of_edge(0.021)
    ('none', '2.1 %')
    """
    return "none" if share < NONE_SEEN else f"{share * 100:.1f} %"


class ColourPanel(Panel):
    """Corrections of colour, for all edges, a kind, or a drawn area; and what the edge still shows of them.

    Signals
    -------
    changed : (dict, bool)
        Amounts with their new values, and whether the gesture goes on.
    hue_asked, hue_reset, spill_asked, rim_asked, spot_asked, hue_tint_asked, tint_dropped : ()
    rim_corrected, edge_pulled : ()
    tint_chosen : (int,)
    tint_changed : (dict, bool)
    without_held : (bool,)
    view_asked : (View,)
        Show the photo's changed colours, or the rims.
    """

    title = "The edge's colours"

    changed = Signal(object, bool)
    hue_asked = Signal()
    spill_asked = Signal()
    hue_reset = Signal()
    rim_asked = Signal()
    rim_corrected = Signal()
    edge_pulled = Signal()
    spot_asked = Signal()
    hue_tint_asked = Signal()
    tint_dropped = Signal()
    tint_chosen = Signal(int)
    tint_changed = Signal(object, bool)
    without_held = Signal(bool)
    view_asked = Signal(View)

    def build(self) -> None:
        """Put corrections, tints and figures into the column."""
        self.edges = TargetBar("Which edges are corrected", "Draw around edges to correct by themselves")
        self.column.addWidget(self.edges)
        self.fields: dict[str, NumberField] = {}
        self._build_fringe()
        self.rule()
        self._amounts("clean", "detail", "roots")
        self._build_outward()
        self._build_compare()
        self.rule()
        self._build_spill()
        self.rule()
        self._build_rims()
        self.rule()
        self._build_tints()

    def _amounts(self, *names: str) -> None:
        grid = QGridLayout()
        grid.setSpacing(4)
        for place, name in enumerate(names):
            label, tip = _FIELDS[name]
            field = field_in(EdgeColour, name, label, tip=tip)
            field.changed.connect(partial(self._on_amount, name))
            self.fields[name] = field
            grid.addWidget(field, place // 2, place % 2)
        self.column.addLayout(grid)

    def _on_amount(self, name: str, value: float, dragged: bool) -> None:
        self.changed.emit({name: value / self.fields[name].scale}, dragged)

    def _build_compare(self) -> None:
        hold = button("Hold to see without", lambda: None, tip="The photo's own colours, while held")
        hold.setObjectName("compare colours")
        hold.pressed.connect(lambda: self.without_held.emit(True))
        hold.released.connect(lambda: self.without_held.emit(False))
        show = button("What changed", lambda: self.view_asked.emit(View.RECOLOURED),
                           tip="Shows what the corrections change, brightened; gray is unchanged")  # fmt: skip
        self.row(hold, show)

    def _build_spill(self) -> None:
        self.column.addWidget(words("Spill of the backdrop's light", "strong"))
        self._spill, self._spilled = words("", "muted"), words("", "muted")
        self.column.addWidget(self._spill)
        self.column.addWidget(self._spilled)
        self.chip = QLabel()
        self.chip.setFixedSize(30, 26)
        self.chip.setAccessibleName("The hue of the spill")
        self.pick_hue = button("Pick the hue", self.hue_asked.emit, tip="Press on the coloured backdrop next")
        self.reset_hue = button("As found", self.hue_reset.emit, tip="Leave the hue and its width to Peel again")
        propose = button(
            "Propose", self.spill_asked.emit, tip="The mildest way that leaves hardly any of it on the edge"
        )
        propose.setObjectName("propose spill")
        self.row(self.chip, self.pick_hue, self.reset_hue)
        self.row(propose)
        self._amounts("spill_edge", "spill_inside")
        grid = QGridLayout()
        grid.setSpacing(4)
        self.hue_fields: dict[str, NumberField] = {}
        for place, (name, (label, tip)) in enumerate(_HUE_FIELDS.items()):
            if name == "width_deg":  # unless it is set, it is as found
                field = field_for("photo.spill_width_deg", label, tip=tip)
                field.changed.connect(self._on_width)
            else:
                field = self.number(f"recipe.colour.spill.{name}", label, "Spill", tip=tip)
            self.hue_fields[name] = field
            grid.addWidget(field, place // 2, place % 2)
        self.column.addLayout(grid)

    def _on_width(self, value: float, dragged: bool) -> None:
        path = "recipe.colour.spill.width_deg"
        self.desk.edit("Spill", lambda job: set_value(job, path, value), gesture=(path,), ends=not dragged)

    def _build_rims(self) -> None:
        self.column.addWidget(words("Rims", "strong"))
        self._rims = words("", "muted")
        self.column.addWidget(self._rims)
        propose = button("Propose", self.rim_asked.emit, tip="Width and amounts that take most of the rim off")
        propose.setObjectName("propose rims")
        shown = button("Show the rims", lambda: self.view_asked.emit(View.RIMS),
                            tip="By how much the edge is lighter, darker or tinted, brightened")  # fmt: skip
        self.row(propose, shown)
        self._build_cures()
        self._amounts("rim_light", "rim_tint", "rim_px")

    def _build_cures(self) -> None:
        self._cures = QWidget()
        column = QVBoxLayout(self._cures)
        column.setContentsMargins(0, 0, 0, 0)
        self._cure = words("", "muted")
        self.correct_rim = button("Correct the colour", self.rim_corrected.emit, tip="Takes most of the rim off")
        self.pull_in = button("", self.edge_pulled.emit, tip="Moves the whole edge inwards, in Matte's profile")
        self.correct_rim.setObjectName("correct the rim")
        self.pull_in.setObjectName("pull the edge in")
        column.addWidget(self._cure)
        pair = QHBoxLayout()
        pair.addWidget(self.correct_rim)
        pair.addWidget(self.pull_in)
        column.addLayout(pair)
        self.column.addWidget(self._cures)
        self._cures.hide()

    def _build_tints(self) -> None:
        self.column.addWidget(words("Tints, brushed on patches", "strong"))
        spot = button("From a good spot…", self.spot_asked.emit,
                           tip="Press where the colour is right; then brush the patch that is to get it")  # fmt: skip
        hue = button("From a hue", self.hue_tint_asked.emit, tip="A tint by hue and saturation")
        spot.setObjectName("tint from a spot")
        hue.setObjectName("tint from a hue")
        self.row(spot, hue)
        self._chips = QButtonGroup(self)
        self._chip_row = QHBoxLayout()
        self._chip_row.setSpacing(4)
        self.column.addLayout(self._chip_row)
        self._shown_tints = 0
        self._tint = QWidget()
        grid = QGridLayout(self._tint)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(4)
        self.tint_fields = {
            "amount": field_in(Tint, "amount", "amount", tip="How much of the tint"),
            "hue_deg": field_in(Tint, "hue_deg", "hue", tip="0 rose, 90 yellow, 180 green"),
            "saturation": field_in(Tint, "saturation", "saturation", tip="0 % is gray"),
        }
        for place, (name, field) in enumerate(self.tint_fields.items()):
            field.changed.connect(partial(self._on_tint, name))
            grid.addWidget(field, place // 2, place % 2)
        self.drop_tint = button("Drop the tint", self.tint_dropped.emit, tip="Takes it away with its patch")
        grid.addWidget(self.drop_tint, 1, 1)
        self.column.addWidget(self._tint)

    def _on_tint(self, name: str, value: float, dragged: bool) -> None:
        self.tint_changed.emit({name: value / self.tint_fields[name].scale}, dragged)

    def _build_fringe(self) -> None:
        self.column.addWidget(words("What the edge still shows", "strong"))
        self._fringe = words("")
        self._fringe.setToolTip("How far the edge's colours are from those further in, on each backing (CIEDE2000)")
        self.column.addWidget(self._fringe)

    def _build_outward(self) -> None:
        self.outward = field_for(
            "recipe.colour.outward_px",
            "colour carried outward",
            tip="How far the subject's colour goes on under clear pixels",
        )
        self.outward.changed.connect(self._on_outward)
        self._bound.append(lambda job: self.outward.show_value(job.settings.recipe.colour.outward_px))
        self.column.addWidget(self.outward)

    def _on_outward(self, value: float, dragged: bool) -> None:
        if not dragged:
            px = round(value)
            self.desk.edit("Colour outward", lambda job: set_value(job, "recipe.colour.outward_px", px))

    # what is shown

    def show_amounts(self, colour: EdgeColour) -> None:
        """Show the amounts of what is corrected."""
        for name, field in self.fields.items():
            field.show_value(getattr(colour, name) * field.scale)

    def show_spill(self, text: str, hue: str | None, width_deg: float, *, is_picked: bool) -> None:
        """Say which hue counts, and how wide it is."""
        self.hue_fields["width_deg"].show_value(width_deg)
        self._spill.setText(text)
        self.chip.setStyleSheet(
            f"background: {hue or 'transparent'}; border: 1px solid palette(mid); border-radius: 5px;"
        )
        self.reset_hue.setEnabled(is_picked)
        for field in (self.fields["spill_edge"], self.fields["spill_inside"], *self.hue_fields.values()):
            field.setEnabled(hue is not None)

    def show_tints(self, tints: tuple[Tint, ...], chosen: int) -> None:
        """Show the tints as numbered buttons, and the values of the chosen one; 0 for none."""
        if len(tints) != self._shown_tints:
            self._shown_tints = len(tints)
            while (item := self._chip_row.takeAt(0)) is not None:
                old = item.widget()
                if old is not None:
                    self._chips.removeButton(old)  # type: ignore[arg-type]
                    old.hide()
                    old.deleteLater()
            for number in range(1, len(tints) + 1):
                chip = QPushButton(str(number))
                chip.setCheckable(True)
                chip.setProperty("role", "way")
                chip.setAccessibleName(f"Tint {number}")
                chip.clicked.connect(lambda _on=False, number=number: self.tint_chosen.emit(number))
                self._chips.addButton(chip, number)
                self._chip_row.addWidget(chip)
            self._chip_row.addStretch(1)
        self._tint.setVisible(0 < chosen <= len(tints))
        if not 0 < chosen <= len(tints):
            return
        self._chips.button(chosen).setChecked(True)
        tint = tints[chosen - 1]
        self.tint_fields["amount"].show_value(tint.amount * 100)
        self.tint_fields["hue_deg"].show_value(tint.hue_deg)
        self.tint_fields["saturation"].show_value(tint.saturation * 100)
        for name in ("hue_deg", "saturation"):
            self.tint_fields[name].setVisible(tint.spot is None)

    def show_unmeasured(self) -> None:
        """Show that the edge was not measured yet."""
        self._fringe.setText("Not measured yet.")
        self._rims.setText("")
        self._spilled.setText("")

    def show_fringe(self, fringe: Fringe | None, spilled: float) -> None:
        """Show the four figures, what the rim is like, and the share of the edge with the backdrop's hue."""
        if fringe is None:
            self._fringe.setText("There is no edge yet.")
            self._rims.setText("")
            self._spilled.setText("")
            return
        self._fringe.setText("   ".join(f"{name} {value:.1f}" for name, value in fringe.figures.items()))
        self._spilled.setText(f"The backdrop's hue is seen on {share_of_edge(spilled)} of the edge.")
        self._rims.setText(_rim_words(fringe.rim))

    def show_cures(self, found: RimProposal | None) -> None:
        """Offer both cures of an edge that lies too far out; nothing for None."""
        self._cures.setVisible(found is not None)
        if found is None:
            return
        self._cure.setText(
            f"As if it lay {found.pull_px:g} px too far out: pull it in, or correct its colour where it should stay."
        )
        self.pull_in.setText(f"Pull in by {found.pull_px:g} px")

    @property
    def spill_text(self) -> str:
        """What is said of the spill."""
        return self._spill.text()

    @property
    def spilled_text(self) -> str:
        """How much of the edge has the backdrop's hue, as shown."""
        return self._spilled.text()

    @property
    def fringe_text(self) -> str:
        """The four figures, as shown."""
        return self._fringe.text()


def _rim_words(rim: RimMeasure) -> str:
    """Say what stands out all along an edge."""
    parts = []
    if rim.is_light:
        parts.append(f"{abs(rim.lighter) * 100:.1f} % {'lighter' if rim.lighter > 0 else 'darker'}")
    if rim.is_tinted:
        parts.append(f"{rim.tinted * 100:.1f} % tinted")
    if parts:
        return f"The edge is {' and '.join(parts)} all along, against the subject further in."
    if rim.is_mixed:
        return "The edge has backdrop in it all along: it seems to lie too far out."
    return "No rim stands out all along the edge."
