"""The parts of Mark that reach beyond its panel: proposing, changes shown before they are made, how zones look."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QColor, QImage

from peel.desk.display.overlay import overlay_image
from peel.desk.panels.mark import MarkPanel
from peel.desk.tools.area import AreaTool
from peel.job.marking import Change, clear_marks, reshape, swap_sides
from peel.job.settings import Point
from peel.matte.marking.proposal import Proposal
from peel.work.finding import proposal_words
from peel.work.scheduler import Lane
from peel.work.views import View, zone_hues

if TYPE_CHECKING:
    from peel.desk.window import Window

__all__ = ["MarkingDesk"]


class MarkingDesk(QObject):
    """Carries out what the panel of Mark asks for."""

    _proposed = Signal(object, object)
    _shown = Signal(object, object)
    _hues_found = Signal(object, str, str)

    def __init__(self, window: Window, panel: MarkPanel) -> None:
        super().__init__(window)
        self._window, self._panel = window, panel
        self._lane = Lane("marking")
        self._area: tuple[Point, ...] = ()
        self._area_tool = AreaTool()
        self._found = ("", "")
        self._asked: object = None
        panel.propose_asked.connect(self.propose)
        panel.swap_asked.connect(lambda: self._apply("Swap sides", lambda job: swap_sides(job, self._area)))
        panel.clear_asked.connect(lambda: self._apply("Clear", lambda job: clear_marks(job, self._area)))
        panel.area_asked.connect(self._draw_area)
        panel.everywhere_asked.connect(lambda: self._set_area(()))
        panel.change_tried.connect(self._try)
        panel.change_asked.connect(self._change)
        panel.look_changed.connect(self._on_look)
        self._area_tool.drawn.connect(self._on_area)
        self._proposed.connect(self._on_proposed)
        self._shown.connect(self._on_shown)
        self._hues_found.connect(self._on_hues)

    def close(self) -> None:
        """End the worker."""
        self._lane.close()

    @property
    def is_idle(self) -> bool:
        """Whether nothing is being looked for."""
        return self._lane.is_idle

    def begin(self) -> None:
        """Choose the hues for a photo just opened."""
        self._set_area(())
        self._panel.try_nothing()
        bridge = self._window.bridge
        if bridge is None:
            return
        stages, photo = bridge.session.stages, bridge.session.photo
        self._lane.submit(
            "hues", lambda _ticket: zone_hues(stages, photo), lambda hues: self._hues_found.emit(bridge, *hues)
        )

    def show_step(self, *, marking: bool) -> None:
        """Show the area and what is being tried only while marking."""
        if not marking and self._panel.chosen is not None:
            self._panel.try_nothing()
        self._window.canvas.show_area(self._area if marking else ())

    def _apply(self, label: str, edit: object) -> None:
        if self._window.bridge is not None:
            self._window.bridge.session.apply(label, edit)  # type: ignore[arg-type]

    # Propose

    def propose(self) -> None:
        """Look for a subject and mark it."""
        bridge = self._window.bridge
        if bridge is None:
            return
        finder = bridge.session.finder
        self._panel.propose.setText("Looking for a subject")
        self._panel.propose.setEnabled(False)
        self._lane.submit("propose", lambda _ticket: finder.propose(), lambda found: self._proposed.emit(bridge, found))

    def _on_proposed(self, bridge: object, proposal: Proposal) -> None:
        self._panel.propose.setText("Propose a subject")
        self._panel.propose.setEnabled(True)
        if bridge is not self._window.bridge or self._window.bridge is None:
            return
        said, is_worth_it = proposal_words(proposal)
        if is_worth_it:
            finder = self._window.bridge.session.finder
            self._apply("Propose", lambda job: finder.mark_proposal(job, proposal))
            if self._window.canvas.view is View.PHOTO:
                self._window.show_view(View.ZONES)
        self._window.message.say(said)

    # changes to all that is marked

    def _try(self, change: Change | None, amount_px: float) -> None:
        bridge = self._window.bridge
        self._asked = (change, amount_px)
        if change is None or bridge is None:
            self._window.canvas.show_overlay(None)
            return
        finder, job, area, asked = bridge.session.finder, bridge.job, self._area, self._asked
        canvas = self._window.canvas

        def show() -> QImage:
            added, taken = finder.reshaped_shown(job, change, amount_px, area)
            return overlay_image((added, canvas.added_hue), (taken, canvas.taken_hue))

        self._lane.submit("change", lambda _ticket: show(), lambda image: self._shown.emit(asked, image))

    def _on_shown(self, asked: object, image: QImage) -> None:
        if asked is self._asked:
            self._window.canvas.show_overlay(image)

    def _change(self, change: Change, amount_px: float) -> None:
        area = self._area
        self._apply(change.value, lambda job: reshape(job, change, amount_px, area))

    # the area

    def _draw_area(self) -> None:
        self._window.canvas.set_tool(self._area_tool)
        self._window.shelf.show_sentence(self._area_tool.sentence())

    def _on_area(self, area: tuple[Point, ...]) -> None:
        self._window.take_up(self._window.last_tool)
        self._set_area(area)

    def _set_area(self, area: tuple[Point, ...]) -> None:
        self._area = area
        self._window.canvas.show_area(area)
        self._panel.show_area(bool(area))

    # how zones look

    def _on_hues(self, bridge: object, unsure: str, backdrop: str) -> None:
        if bridge is self._window.bridge:
            self._found = (unsure, backdrop)
            self._window.canvas.added_hue, self._window.canvas.taken_hue = QColor(unsure), QColor(backdrop)
            self._panel.tell_look()

    def _on_look(self, strength: float, hue: str) -> None:
        unsure, backdrop = self._found
        chosen = hue or unsure
        if chosen:
            other = backdrop if backdrop != chosen else unsure
            self._window.set_look(lambda look: replace(look, strength=strength, unsure=chosen, backdrop=other))
        else:
            self._window.set_look(lambda look: replace(look, strength=strength))
