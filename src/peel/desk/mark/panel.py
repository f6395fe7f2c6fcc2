"""Mark: the subject, roughly."""

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QGridLayout

from peel.desk.controls.buttons import button
from peel.desk.controls.number_field import NumberField
from peel.desk.mark.contour import ContourTool
from peel.desk.mark.frame_page import FramePage
from peel.desk.mark.mask_menu import MaskMenu
from peel.desk.step.panel import Panel, words
from peel.desk.steps import Step
from peel.files.developing import is_developed_name
from peel.job.edits import contours
from peel.job.edits.marking import looked_at
from peel.job.edits.reshaping import Change
from peel.job.job import Job
from peel.work.inspecting.shares import zone_shares
from peel.work.views import ZONE_HUES

__all__ = ["MarkPanel"]

_TIPS = {
    Change.GROW: "Move the boundary of the mark outward",
    Change.SHRINK: "Move the boundary of the mark inward",
    Change.SMOOTH: "Even out bumps and dents smaller than this",
    Change.FILL_HOLES: "Take for subject what it encloses, up to a square of this side",
    Change.DROP_ISLANDS: "Take for backdrop what lies apart and is smaller than a square of this side",
}


_AMOUNTS: dict[Change | None, str] = {
    None: "amount",
    Change.SMOOTH: "bumps up to",
    Change.FILL_HOLES: "holes up to",
    Change.DROP_ISLANDS: "pieces up to",
}
"""What the amount of a change is; of all others, by how much the boundary moves."""


class MarkPanel(Panel):
    """What is marked so far, the contour under the hand, and changes to all that is marked.

    Signals
    -------
    swap_asked, clear_asked, area_asked, everywhere_asked : ()
    change_tried : (object, float)
        A Change (or None) and its amount in pixels, to be shown but not made yet.
    change_asked : (object, float)
    look_changed : (float, str)
        How strongly the zones are shown, and the band's hue ("" for one found by Peel).
    """

    swap_asked = Signal()
    clear_asked = Signal()
    area_asked = Signal()
    everywhere_asked = Signal()
    change_tried = Signal(object, float)
    change_asked = Signal(object, float)
    look_changed = Signal(float, str)

    title = "Mark the subject"

    def build(self) -> None:
        """Put everything into the column."""
        own = self.desk.tools[Step.MARK]
        self._contour_tool = next((tool for tool in own if isinstance(tool, ContourTool)), None)
        self._advice = words("Mark roughly, and stop short of where hair turns see-through.", "muted")
        self.propose = button("Propose a subject", self.desk.ask.propose.emit, role="chief",
                                   tip="Mark what stands out, to start from; again for another guess (P)")  # fmt: skip
        self._guess = words("", "warning")
        self.seen = button("It is right", lambda: self.desk.edit("Look at the guess", looked_at),
                           tip="Take the guess over as it is: it is delivered like any other mark")  # fmt: skip
        self._shares = words("")
        self._warning = words("", "warning")
        self.exposure = NumberField("developed", low=-2, high=3, default=0, unit="stops", step=0.1,
                                    tip="Exposure of a camera file, until something is marked")  # fmt: skip
        self.exposure.changed.connect(lambda value, dragged: None if dragged else self.desk.ask.develop.emit(value))
        self.frame = FramePage(self.desk)
        self.pin(self.propose)
        for widget in (self._advice, self.exposure, self._guess, self.seen, self._shares, self._warning,
                       self.frame):  # fmt: skip
            self.column.addWidget(widget)
        self.rule()
        self._build_contours()
        self.rule()
        self._build_changes()
        self.rule()
        self._build_look()

    def _build_contours(self) -> None:
        self._contours = words("", "muted")
        self.column.addWidget(self._contours)
        self._close = button("Close it", self._on_close, tip="Close the contour (Enter)")
        self._back = button("Take back", self._on_back, tip="Take back the last point (Backspace)")
        self._turn = button(
            "Smooth", lambda: self._ask(ContourTool.turn_selected), tip="Make the point smooth or sharp (Q)"
        )
        self._stretch = button("Exact", lambda: self._ask(ContourTool.turn_stretch),
                                    tip="Make the stretch that leads to the point exact or loose")  # fmt: skip
        self.trust = NumberField("trust in this stretch", low=0, high=100, default=50, unit="%",
                                 tip="How far the photo may move the band away from it; 100 is exact")  # fmt: skip
        self.trust.changed.connect(
            lambda value, dragged: None if dragged else self._set_trust(value / 100, whole=False)
        )
        self._trust_whole = button("All of the contour", lambda: self._set_trust(self.trust.value / 100, whole=True),
                                   tip="Trust the whole contour as this stretch")  # fmt: skip
        self._trust_dial = button("As the dial", lambda: self._set_trust(None, whole=True),
                                  tip="Leave the whole contour to the dial in Edge")  # fmt: skip
        self._remove = button("Remove", lambda: self._ask(ContourTool.remove_selected), tip="Remove the point (Delete)")
        self._whole = button("Remove the contour", lambda: self._ask(ContourTool.remove_contour),
                                  tip="Remove the contour with the point (Shift+Delete)")  # fmt: skip
        self.row(self._close, self._back)
        self.row(self._turn, self._stretch, self._remove)
        self.column.addWidget(self._whole)
        self.column.addWidget(self.trust)
        self.row(self._trust_whole, self._trust_dial)

    def _build_changes(self) -> None:
        self.column.addWidget(words("All that is marked", "strong"))
        grid = QGridLayout()
        grid.setSpacing(4)
        self._changes = QButtonGroup(self)
        self._changes.setExclusive(False)
        for number, change in enumerate(Change):
            made = button(change.value, partial(self._on_change, change), role="choice", name=f"change {change.name}",
                          tip=_TIPS[change], checks=True)  # fmt: skip
            self._changes.addButton(made, number)
            grid.addWidget(made, *divmod(number, 3))
        self.column.addLayout(grid)
        self.amount = NumberField("amount", low=1, high=400, default=8, unit="px", curve=2.2,
                                  tip="How far, or how large, in pixels of the photo")  # fmt: skip
        self.amount.changed.connect(lambda _value, _dragged: self._try(self.chosen))
        self.do_it = button("Do it", self._do, tip="Make the change that is shown (Enter)")
        self.row(self.amount, self.do_it)
        self._would = words("", "muted")
        self._would.hide()
        self.column.addWidget(self._would)
        self.area = button(
            "Only in an area",
            self._on_area,
            role="choice",
            tip="Draw around the part these changes are kept to",
            checks=True,
        )
        self._swap = button(
            "Swap sides", self.swap_asked.emit, tip="Make subject what is backdrop, and the other way round"
        )
        self._clear = button("Clear", self.clear_asked.emit, tip="Take all marks away")
        self.column.addWidget(self.area)
        self.row(self._swap, self._clear)
        self.masks = MaskMenu()
        self.column.addWidget(self.masks)

    def _build_look(self) -> None:
        self.strength = NumberField("zones shown", low=10, high=100, default=60, unit="%",
                                    tip="How strongly backdrop and band cover the photo in Zones")  # fmt: skip
        self.strength.changed.connect(lambda value, _dragged: self.tell_look())
        self._hue = ""
        self.hue = button("Other hue", self._on_hue, tip="Show the unsure band in another hue")
        self.row(self.strength, self.hue)

    @property
    def chosen(self) -> Change | None:
        """The change that is being tried."""
        number = next((n for n in range(len(Change)) if self._changes.button(n).isChecked()), -1)
        return list(Change)[number] if number >= 0 else None

    def _ask(self, what: Callable[[ContourTool], object]) -> None:
        if self._contour_tool is not None:
            what(self._contour_tool)

    def _on_change(self, change: Change) -> None:
        self._try(change if self._changes.button(list(Change).index(change)).isChecked() else None)

    def _try(self, change: Change | None) -> None:
        for number, other in enumerate(Change):
            self._changes.button(number).setChecked(other is change)
        self.do_it.setEnabled(change is not None)
        self.amount.rename(_AMOUNTS.get(change, "by"))
        self.change_tried.emit(change, self.amount.value)

    def show_change_words(self, said: str) -> None:
        """Say what the change that is tried comes to."""
        self._would.setText(said)
        self._would.setVisible(bool(said))

    def try_nothing(self) -> None:
        """Show no change any more."""
        self._try(None)

    def _do(self) -> None:
        change = self.chosen
        if change is not None:
            self._try(None)
            self.change_asked.emit(change, self.amount.value)

    def _on_area(self) -> None:
        if self.area.isChecked():
            self.area_asked.emit()
        else:
            self.everywhere_asked.emit()

    def show_area(self, drawn: bool) -> None:
        """Show whether changes are kept to an area."""
        self.area.setChecked(drawn)
        self.area.setText("Only in the drawn area" if drawn else "Only in an area")
        self._try(self.chosen)

    def tell_look(self) -> None:
        """Tell how the zones are to look."""
        self.look_changed.emit(self.strength.value / 100, self._hue)

    def _on_hue(self) -> None:
        hues = ("", *ZONE_HUES)
        self._hue = hues[(hues.index(self._hue) + 1) % len(hues)]
        self.tell_look()

    def show_rest(self, job: Job) -> None:
        """Show what is marked."""
        self.frame.show_job(job)
        self.masks.show_kept([kept.name for kept in job.settings.photo.kept_marks])
        bridge = self.desk.bridge
        project = bridge.session.project if bridge is not None else None
        self.exposure.setVisible(project is not None and is_developed_name(job.photo.name))
        self.exposure.setEnabled(not job.has_subject and not job.settings.photo.contours)
        guess = job.settings.photo.guess
        for shown in (self._guess, self.seen):
            shown.setVisible(job.settings.photo.is_unseen)
        what = "Carried over from other photos," if guess is None else f"A guess of Peel's, {guess * 100:.0f} % sure,"
        self._guess.setText(f"{what} and nobody has looked at it yet.")
        shares = zone_shares(job)
        self._shares.setText(
            f"subject {shares.full * 100:.1f} %   unsure {shares.some * 100:.1f} %   backdrop {shares.none * 100:.1f} %"
        )
        self._warning.setText(_warning(shares.none, shares.full))
        self._warning.setVisible(bool(self._warning.text()))
        self._show_contours(job)
        if self.chosen is not None:
            self._try(self.chosen)  # what it would do may have changed with the job
        self.do_it.setEnabled(self.chosen is not None)
        self._clear.setEnabled(job.has_subject or bool(job.settings.photo.contours))

    def _show_contours(self, job: Job) -> None:
        drawn = job.settings.photo.contours
        drawing = contours.open_contour(job)
        holes = sum(contour.hole for contour in drawn)
        point = self._contour_tool.selected_node() if self._contour_tool is not None else None
        text = f"{_counted(len(drawn) - holes, 'contour')}, {_counted(holes, 'hole')}"
        if drawing is not None:
            text = f"Drawing: {_counted(len(drawing.nodes), 'point')} so far"
        elif point is not None:
            text = f"A {'smooth' if point.smooth else 'sharp'} point, {'exact' if point.exact else 'loose'} up to it"
            self._turn.setText("Sharp" if point.smooth else "Smooth")
            self._stretch.setText("Loose" if point.exact else "Exact")
        elif drawn:
            text += ". Press a point to change it."
        self._contours.setText(text)
        self._close.setEnabled(drawing is not None and len(drawing.nodes) > 2)
        for shown in (self._close, self._back):
            shown.setVisible(drawing is not None)
        if point is not None:
            dial = job.settings.recipe.band.trust
            self.trust.show_value(100 * (dial if point.trust is None else point.trust))
        trust = (self.trust, self._trust_whole, self._trust_dial)
        for part in (self._turn, self._stretch, self._remove, self._whole, *trust):
            part.setVisible(drawing is None and point is not None)

    def _set_trust(self, trust: float | None, *, whole: bool) -> None:
        self._ask(lambda tool: tool.trust_selected(trust, whole=whole))

    def _on_close(self) -> None:
        self._ask(ContourTool.close_line)

    def _on_back(self) -> None:
        self.desk.edit("Take back a point", contours.take_back_node)


def _warning(backdrop: float, subject: float) -> str:
    if backdrop < 0.005:
        return "Hardly any backdrop is left: everything is marked."
    if subject == 0 and backdrop < 1:
        return "All of the mark is unsure: mark more of the inside, or lay a narrower band."
    return ""


def _counted(number: int, noun: str) -> str:
    return f"{number or 'no'} {noun}{'' if number == 1 else 's'}"
