"""Snags beyond their page: what is said and shown of the one that the walk is at, and what is done about it."""

from functools import partial

import numpy as np
from PySide6.QtGui import QImage

from peel.desk.asking import task
from peel.desk.controls.outline_map import MapMark
from peel.desk.desk_state import DeskState
from peel.desk.display.overlay import overlay_image
from peel.desk.matte.panel import MattePanel
from peel.desk.matte.snag_acts import accept_snag
from peel.desk.matte.snag_feed import SnagFeed
from peel.desk.matte.snag_page import SnagWords, counts_text
from peel.desk.matte.snag_prover import SnagProver
from peel.desk.matte.snag_walk import SnagWalk
from peel.desk.matte.strip_desk import StripDesk
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.steps import Step
from peel.job.edits.snags import open_again
from peel.job.job import Job
from peel.job.settings import SettledSnag
from peel.matte.inspect.snags import Severity, Snag
from peel.work.inspecting.inspector import Findings
from peel.work.inspecting.snag_specs import SNAGS, accepted_because, is_accepted, words_of

__all__ = ["SnagDesk"]

_TINT = task("tinted snag", "What a mend would change cannot be shown.")


class SnagDesk(LaneDesk):
    """Keeps the page of snags in step with the job."""

    def __init__(
        self,
        desk: DeskState,
        panel: MattePanel,
        feed: SnagFeed,
        walk: SnagWalk,
        strip: StripDesk,
        prover: SnagProver,
    ) -> None:
        super().__init__(desk)
        self._panel, self.page = panel, panel.snags
        self._feed, self._walk, self._strip, self._prover = feed, walk, strip, prover
        self._shown: Findings | None = None
        self._settled: tuple[SettledSnag, ...] = ()
        self._is_laid = self._shows_mended = False
        page = self.page
        page.walked.connect(walk.walk)
        page.mend_asked.connect(lambda: self.on_mend(everything=False))
        page.reopen_asked.connect(self._reopen)
        page.accepted.connect(self._accept)
        page.mended_shown.connect(self._show_mended)
        page.order_changed.connect(self._show)
        page.map.chosen.connect(walk.go_to)
        page.strip_asked.connect(self.show_strip)
        strip.went_to.connect(walk.go_to_place)
        strip.snag_chosen.connect(walk.go_to)
        feed.changed.connect(self._on_found)
        walk.moved.connect(self._show)
        prover.proved.connect(self._show)
        desk.ask.strip.connect(self.show_strip)
        desk.step_changed.connect(self._on_step)
        panel.page_turned.connect(self._on_step)

    @property
    def _is_shown(self) -> bool:
        return self._desk.step is Step.MATTE and self._panel.shows_snags

    def _on_found(self) -> None:
        found, job = self._feed.found, self._desk.job
        settled = job.settings.photo.settled_snags if job is not None else ()
        if found is not self._shown or settled is not self._settled:
            self._shown, self._settled = found, settled
            outline = found.outline
            if outline is not None and job is not None:
                self.page.map.show_outline(outline.points, outline.starts, (job.photo.width, job.photo.height))
            self._strip.show_found(found)
            self._show()
        self._show_counts()

    def _on_step(self) -> None:
        if not self._is_shown:
            self._walk.leave()
        self._show()

    # what is done about a snag

    def on_mend(self, *, everything: bool) -> bool:
        """Mend the snag that the walk is at."""
        snag = self._walk.snag
        if snag is not None and self._is_shown and not everything:
            self._show_mended(False)
            self._prover.mend(snag)
        return True

    def on_accept(self) -> bool:
        """Take the snag that the walk is at for right, for the reason that is written."""
        self._accept(self.page.reason.text())
        return True

    def _accept(self, reason: str) -> None:
        snag = self._walk.snag
        if snag is not None and self._is_shown:
            accept_snag(self._desk, snag, reason)

    def _reopen(self) -> None:
        snag = self._walk.snag
        if snag is not None:
            self._desk.edit("Open a snag again", lambda job: open_again(job, snag))

    def _show_mended(self, on: bool) -> None:
        """Show the job with the snag mended while a button is held."""
        snag = self._walk.snag
        proof = None if snag is None else self._prover.proof(snag)
        if on and proof is not None:
            self._shows_mended = True
            self._desk.compare(proof.mended)
        elif self._shows_mended:
            self._shows_mended = False
            self._desk.compare(None)

    # showing

    def _show(self) -> None:
        self._show_counts()
        job, number, snags = self._desk.job, self._walk.current, self._feed.found.snags
        if job is None:
            return
        if number is not None and self._is_shown and not is_accepted(job, snags[number]):
            self._prover.try_out(snags[number])
        self.page.show_snag(None if number is None else self._words(job, number))
        marks = [MapMark(snag.at, snag.severity.rank, is_accepted(job, snag)) for snag in snags]
        self.page.map.show_marks(marks, -1 if number is None else number)
        self._lay(job, number)

    def _words(self, job: Job, number: int) -> SnagWords:
        snag = self._feed.found.snags[number]
        order = self._walk.order
        proof = self._prover.proof(snag)
        severity = Severity.SLIGHT if proof is not None and not proof.improves else snag.severity
        return SnagWords(
            f"{order.index(number) + 1} of {len(order)} · {severity.value}",
            snag.sort.value,
            words_of(snag)[0],
            self._prover.words(snag),
            proof is not None and proof.improves,
            accepted_because(job, snag),
        )

    def _show_counts(self) -> None:
        job, found = self._desk.job, self._feed.found
        if job is None or not self._feed.has_looked:
            text = "The edge is inspected once it is solved" if job is not None else "No photo is open"
            self.page.show_counts(text, any_open=False)
            return
        opened, showing = found.open_snags(job), found.showing(job)
        mended = sum(done.how == "mended" for done in job.settings.photo.settled_snags)
        text = counts_text(len(showing), len(opened) - len(showing), len(found.snags) - len(opened), mended)
        self.page.show_counts(text, any_open=bool(found.snags))

    def _lay(self, job: Job, number: int | None) -> None:
        """Tint what a mend would change."""
        if number is None or not self._is_shown or is_accepted(job, self._feed.found.snags[number]):
            if self._is_laid:
                self._is_laid = False
                self._desk.show_overlay(None)
            return
        snag = self._feed.found.snags[number]
        mend = SNAGS[snag.sort].mend
        hue = self._desk.added_hue if mend is not None and mend.is_solid else self._desk.taken_hue

        def draw() -> QImage:
            region = np.zeros((job.photo.height, job.photo.width), bool)
            top, left, bottom, right = snag.box
            region[top:bottom, left:right] = snag.mask()
            return overlay_image((region, hue))

        self.ask(_TINT, draw, partial(self._on_laid, snag))

    def _on_laid(self, snag: Snag, image: QImage) -> None:
        if self._is_shown and snag is self._walk.snag:
            self._is_laid = True
            self._desk.show_overlay(image)

    # round the edge

    def show_strip(self) -> None:
        """Show the whole edge unrolled, or the picture again."""
        if self._strip.can_show and self._desk.step is not Step.MATTE:
            self._desk.show_step(Step.MATTE)
        if self._strip.toggle():
            self._panel.turn_page(snags=True)
