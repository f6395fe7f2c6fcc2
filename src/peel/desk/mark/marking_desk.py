"""The parts of Mark that reach beyond its panel: proposing, changes shown before they are made, how zones look."""

from dataclasses import replace

from PySide6.QtGui import QColor, QImage

from peel.desk.asking import task
from peel.desk.desk_state import DeskState
from peel.desk.display.overlay import overlay_image
from peel.desk.mark.panel import MarkPanel
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.steps import Step
from peel.desk.tools.area import AreaTool
from peel.job.edits.marking import clear_marks
from peel.job.edits.reshaping import Change, reshape, swap_sides
from peel.job.settings import Point
from peel.matte.marking.proposal import Proposal
from peel.work.framing.proposing import BySet, mark_by_set, region_by_set
from peel.work.marking.finding import NOTHING_FOUND, proposal_words
from peel.work.views import View, zone_hues

__all__ = ["MarkingDesk"]

_HUES = task("hues of the zones", "The colours of the zones could not be chosen for this photo.")
_PROPOSE = task("propose", "The photo could not be searched for a subject.")
_CHANGE = task("change of the mark", "The change cannot be shown before it is made.")


class MarkingDesk(LaneDesk):
    """Carries out what the panel of Mark asks for."""

    def __init__(self, desk: DeskState, panel: MarkPanel) -> None:
        super().__init__(desk)
        self._panel = panel
        self._area: tuple[Point, ...] = ()
        self._area_tool = AreaTool()
        self._found = ("", "")
        self._asked: object = None
        self._guess = 0
        panel.swap_asked.connect(lambda: desk.edit("Swap sides", lambda job: swap_sides(job, self._area)))
        panel.clear_asked.connect(lambda: desk.edit("Clear", lambda job: clear_marks(job, self._area)))
        panel.area_asked.connect(lambda: desk.borrow(self._area_tool))
        panel.everywhere_asked.connect(lambda: self._set_area(()))
        panel.change_tried.connect(self._try)
        panel.change_asked.connect(self._change)
        panel.look_changed.connect(self._on_look)
        desk.ask.propose.connect(self.propose)
        desk.session_changed.connect(self._on_session)
        desk.step_changed.connect(self._on_step)
        self._area_tool.drawn.connect(self._on_area)

    def _on_session(self) -> None:
        """Start without an area or a change, and choose the hues for the photo."""
        self._set_area(())
        self._panel.try_nothing()
        bridge = self._desk.bridge
        if bridge is None:
            return
        stages, photo = bridge.session.stages, bridge.session.photo
        self.ask(_HUES, lambda: zone_hues(stages, photo), self._on_hues)

    def _on_step(self) -> None:
        """Show the area and what is being tried only while marking."""
        marking = self._desk.step is Step.MARK
        if not marking and self._panel.chosen is not None:
            self._panel.try_nothing()
        self._desk.show_area(self._area if marking else ())

    # Propose

    def propose(self) -> None:
        """Go to Mark, look for a subject and mark it."""
        bridge = self._desk.bridge
        if bridge is None:
            return
        if self._desk.step is not Step.MARK:
            self._desk.show_step(Step.MARK)
        finder, job = bridge.session.finder, bridge.job
        self._panel.propose.setText("Looking for a subject")
        self._panel.propose.setEnabled(False)
        again = bridge.session.history.current.label == "Propose"

        def look() -> tuple[BySet | None, tuple[Proposal, ...]]:
            by_set = None if again else region_by_set(job)
            return by_set, () if by_set is not None else finder.proposals

        self.ask(_PROPOSE, look, lambda found: self._on_found(*found), ended=self._show_rest)

    def _on_found(self, by_set: BySet | None, guesses: tuple[Proposal, ...]) -> None:
        """Mark what differs from the set, where there is one and this is the first press; else what is guessed."""
        if by_set is None:
            self._on_proposed(guesses)
            return
        self._desk.edit("Propose", lambda job: mark_by_set(job, by_set))
        if self._desk.view is View.PHOTO:
            self._desk.show_view(View.ZONES)
        share = f"{by_set.region.mean() * 100:.0f} % of the photo"
        self._desk.say(
            f"Marked what differs from the set without the subject ({share}). P guesses from the photo alone."
        )

    def _show_rest(self) -> None:
        self._panel.propose.setText("Propose a subject")
        self._panel.propose.setEnabled(True)

    def _next_of(self, guesses: tuple[Proposal, ...]) -> tuple[Proposal, str]:
        """Return the guess to be marked: the best, or the next one where the last edit was a guess; and its words."""
        assert self._desk.bridge is not None
        again = self._desk.bridge.session.history.current.label == "Propose"
        self._guess = (self._guess + 1) % len(guesses) if again else 0
        if len(guesses) == 1:
            return guesses[0], " Peel sees no other subject." if again else ""
        return guesses[self._guess], f" Guess {self._guess + 1} of {len(guesses)}: P shows the next one."

    def _on_proposed(self, guesses: tuple[Proposal, ...]) -> None:
        assert self._desk.bridge is not None
        if not guesses:
            self._desk.say(NOTHING_FOUND)
            return
        proposal, more = self._next_of(guesses)
        said, is_worth_it = proposal_words(proposal)
        if self._guess > 0:  # asked for on top of the best guess
            said, is_worth_it = f"Another guess ({proposal.region.mean() * 100:.0f} % of the photo).", True
        if is_worth_it:
            said += more
            finder = self._desk.bridge.session.finder
            self._desk.edit("Propose", lambda job: finder.mark_proposal(job, proposal))
            if self._desk.view is View.PHOTO:
                self._desk.show_view(View.ZONES)
        self._desk.say(said)

    # changes to all that is marked

    def _try(self, change: Change | None, amount_px: float) -> None:
        bridge = self._desk.bridge
        self._asked = (change, amount_px)
        self._panel.show_change_words("")
        if change is None or bridge is None:
            self._desk.show_overlay(None)
            return
        finder, job, area, asked = bridge.session.finder, bridge.job, self._area, self._asked
        added_hue, taken_hue = self._desk.added_hue, self._desk.taken_hue

        def show() -> tuple[QImage, str]:
            added, taken, words = finder.reshaped_shown(job, change, amount_px, area)
            return overlay_image((added, added_hue), (taken, taken_hue)), words

        def on_shown(shown: tuple[QImage, str]) -> None:
            if asked is self._asked:
                self._desk.show_overlay(shown[0])
                self._panel.show_change_words(shown[1])

        self.ask(_CHANGE, show, on_shown)

    def _change(self, change: Change, amount_px: float) -> None:
        area = self._area
        self._desk.edit(change.value, lambda job: reshape(job, change, amount_px, area))

    # the area

    def _on_area(self, area: tuple[Point, ...]) -> None:
        self._desk.take_up(self._desk.last_tool)
        self._set_area(area)

    def _set_area(self, area: tuple[Point, ...]) -> None:
        self._area = area
        self._desk.show_area(area)
        self._panel.show_area(bool(area))

    # how zones look

    def _on_hues(self, hues: tuple[str, str]) -> None:
        self._found = unsure, backdrop = hues
        self._desk.added_hue, self._desk.taken_hue = QColor(unsure), QColor(backdrop)
        self._panel.tell_look()

    def _on_look(self, strength: float, hue: str) -> None:
        unsure, backdrop = self._found
        chosen = hue or unsure
        if chosen:
            other = backdrop if backdrop != chosen else unsure
            self._desk.set_look(lambda look: replace(look, strength=strength, unsure=chosen, backdrop=other))
        else:
            self._desk.set_look(lambda look: replace(look, strength=strength))
