"""The walk through the snags: from one to the next, with the picture and the proofs on each."""

from typing import Final

import numpy as np
from PySide6.QtCore import QPointF, Signal

from peel.desk.desk_state import DeskState
from peel.desk.matte.panel import MattePanel
from peel.desk.matte.snag_acts import next_open
from peel.desk.matte.snag_feed import SnagFeed
from peel.desk.matte.snag_page import order_of
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.step.spec import ProofHost
from peel.desk.steps import Step
from peel.matte.inspect.snags import Snag
from peel.work.inspecting.snag_specs import SNAGS, is_accepted
from peel.work.views import View

__all__ = ["SnagWalk"]

_AROUND_PX: Final = 260.0  # of the photo shown around a snag at least


class SnagWalk(LaneDesk):
    """Knows which snag the walk is at, and goes on.

    Signals
    -------
    moved : ()
        The walk is at another snag.
    """

    moved = Signal()
    walks_everywhere = True

    def __init__(self, desk: DeskState, feed: SnagFeed, panel: MattePanel, proofs: ProofHost) -> None:
        super().__init__(desk)
        self._feed, self._panel, self._proofs = feed, panel, proofs
        self._at = 0  # place in the order of the walk
        self._own_proofs: list[View] | None = None

    @property
    def current(self) -> int | None:
        """The number of the snag that the walk is at, or None."""
        noted = self._desk.snag
        if noted is None:
            return None
        sort, x, y = noted
        away = [
            (float(np.hypot(snag.at[0] - x, snag.at[1] - y)), number)
            for number, snag in enumerate(self._feed.found.snags)
            if snag.sort.id == sort
        ]
        near = min(away, default=(np.inf, -1))
        return near[1] if near[0] <= _AROUND_PX / 2 else None

    @property
    def snag(self) -> Snag | None:
        """The snag that the walk is at."""
        number = self.current
        return None if number is None else self._feed.found.snags[number]

    @property
    def order(self) -> list[int]:
        """The numbers of all snags in the order of the walk."""
        return order_of(self._feed.found.places, along=self._panel.snags.goes_along)

    def on_walk(self, by: int) -> bool:
        """Walk on by a key."""
        self.walk(by)
        return True

    def walk(self, by: int) -> None:
        """Go some open snags on; to Matte first."""
        job, found = self._desk.job, self._feed.found
        if job is None or not job.has_subject:
            self._desk.say("There is no matte yet: mark the subject first.")
            return
        if self._desk.step is not Step.MATTE:
            self._desk.show_step(Step.MATTE)
        self._panel.turn_page(snags=True)
        if not self._feed.has_looked:
            self._desk.say("The edge has not been inspected yet.", "It is once the matte is solved.")
            return
        order, current = self.order, self.current
        # one that was mended has left its place to the next
        at = order.index(current) if current is not None else self._at - (by > 0)
        number = next_open(order, {number for number in order if not is_accepted(job, found.snags[number])}, at, by)
        if number is None:
            self._desk.say("Peel sees nothing wrong with this matte.")
        else:
            self.go_to(number)

    def go_to(self, number: int) -> None:
        """Go to a snag by its number."""
        if not 0 <= number < len(self._feed.found.snags):
            return
        snag = self._feed.found.snags[number]
        self._desk.snag = (snag.sort.id, *snag.at)
        self._at = self.order.index(number)
        proofs = SNAGS[snag.sort].proofs
        if self._desk.view is View.ZONES:
            self._desk.show_view(proofs[2])
        top, left, bottom, right = snag.finds[0].box
        self._desk.ask.look_at.emit(QPointF(*snag.at), max(_AROUND_PX, 1.6 * max(bottom - top, right - left)))
        if self._own_proofs is None:
            self._own_proofs = self._proofs.views
        self._proofs.show_views(proofs)
        self._desk.ask.follow.emit(QPointF(*snag.at))
        self.moved.emit()

    def go_to_place(self, at: QPointF) -> None:
        """Show a place of the edge."""
        self._desk.ask.look_at.emit(at, _AROUND_PX)
        self._desk.ask.follow.emit(at)

    def leave(self) -> None:
        """Give the proofs back their own views."""
        if self._own_proofs is not None:
            self._proofs.show_views(self._own_proofs)
            self._own_proofs = None
