"""Snags beyond their page: inspecting on a worker whenever the matte rests, the walk, and what is done about each."""

from functools import partial
from typing import Final

import numpy as np
from PySide6.QtCore import QPointF, QTimer, Signal
from PySide6.QtGui import QColor, QImage

from peel.desk.asking import task
from peel.desk.canvas.proofs import Proofs
from peel.desk.controls.outline_map import MapMark
from peel.desk.desk_state import DeskState
from peel.desk.display.overlay import overlay_image
from peel.desk.matte.panel import MattePanel
from peel.desk.matte.snag_page import SnagWords, counts_text, order_of
from peel.desk.matte.strip_desk import StripDesk
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.steps import Step
from peel.job.edits.snags import accept, is_seen_at_once, mend, mends, name_of, open_again, settled_by
from peel.job.job import Job
from peel.matte.inspect.faults import SnagSort
from peel.matte.inspect.snags import Snag
from peel.work.inspecting.inspector import Inspection, Inspector, is_accepted, words_of
from peel.work.views import View

__all__ = ["SnagDesk"]

_INSPECT = task("inspect", "The edge could not be inspected.", stops=True)
_MENDED = task("mended snag", "The mended snag cannot be shown.")
_TINT = task("tinted snag", "What a mend would change cannot be shown.")

_REST_MS: Final = 600  # after the last change, before the inspection begins
_AROUND_PX: Final = 260.0  # of the photo shown around a snag at least
_SOLID = (SnagSort.PINHOLE, SnagSort.SEE_THROUGH)
_PROOFS: Final[dict[SnagSort, tuple[View, View, View, View]]] = {
    SnagSort.PINHOLE: (View.PHOTO, View.MATTE, View.LOUD, View.WHITE),
    SnagSort.SPECK: (View.PHOTO, View.FAINT, View.WHITE, View.BLACK),
    SnagSort.HAZE: (View.PHOTO, View.FAINT, View.BLACK, View.WHITE),
    SnagSort.SEE_THROUGH: (View.PHOTO, View.FAINT, View.LOUD, View.BLACK),
    SnagSort.BACKDROP_LEFT: (View.PHOTO, View.MATTE, View.LOUD, View.WHITE),
    SnagSort.STRAND_CUT: (View.PHOTO, View.MATTE, View.WHITE, View.BLACK),
    SnagSort.HARD_CUT: (View.PHOTO, View.MATTE, View.WHITE, View.BLACK),
    SnagSort.STEPPED: (View.PHOTO, View.MATTE, View.WHITE, View.BLACK),
    SnagSort.FRAME: (View.PHOTO, View.MATTE, View.WHITE, View.LOUD),
    SnagSort.FRINGE_LIGHT: (View.PHOTO, View.RIMS, View.BLACK, View.WHITE),
    SnagSort.FRINGE_DARK: (View.PHOTO, View.RIMS, View.WHITE, View.BLACK),
    SnagSort.FRINGE_TINTED: (View.PHOTO, View.RIMS, View.WHITE, View.BLACK),
    SnagSort.SPILL: (View.PHOTO, View.RECOLOURED, View.WHITE, View.BLACK),
    SnagSort.RESIDUE: (View.PHOTO, View.RESIDUE, View.WHITE, View.BLACK),
}
"""What the proofs show of each sort: the photo, the matte, and the two backings that show it best."""


class SnagDesk(LaneDesk):
    """Keeps the page of snags in step with the job.

    Signals
    -------
    went_to : (QPointF,)
        The proofs are to show this point of the photo.
    counted : ()
        The number of snags is known, or another one.
    """

    went_to = Signal(QPointF)
    counted = Signal()

    def __init__(self, desk: DeskState, panel: MattePanel, strip: StripDesk, proofs: Proofs) -> None:
        super().__init__(desk)
        self._panel, self.page, self._proofs, self._strip = panel, panel.snags, proofs, strip
        self._side = desk.asker(self)  # its own, so that no picture waits for the inspection
        self._inspector: Inspector | None = None
        self.found = Inspection()
        self._job: Job | None = None  # that was inspected
        self._is_laid = self._shows_mended = self._holds = False
        self._at = 0  # place in the order of the walk
        self._own_proofs: list[View] | None = None
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST_MS)
        self._rest.timeout.connect(self._inspect)
        self._connect()

    def _connect(self) -> None:
        desk, page, strip = self._desk, self.page, self._strip
        page.walked.connect(self.walk)
        page.mend_asked.connect(self.mend)
        page.reopen_asked.connect(self._reopen)
        page.accepted.connect(self.accept)
        page.mended_shown.connect(self._show_mended)
        page.order_changed.connect(self._show)
        page.map.chosen.connect(self._go_to)
        page.strip_asked.connect(self.show_strip)
        strip.went_to.connect(self._on_place)
        strip.snag_chosen.connect(self._go_to)
        desk.ask.walk.connect(self._on_walk)
        desk.ask.mend.connect(self.mend)  # both only while the walk is shown; Deliver has a list of its own
        desk.ask.accept.connect(lambda: self.accept(page.reason.text()))
        desk.ask.strip.connect(self.show_strip)
        desk.session_changed.connect(self._on_session)
        desk.step_changed.connect(self._on_step)
        desk.job_changed.connect(lambda _job, _before: self._on_job())
        desk.solving_changed.connect(self._on_job)
        self._panel.page_turned.connect(self._on_step)

    def close(self) -> None:
        """End the workers."""
        super().close()
        self._side.close()

    @property
    def is_idle(self) -> bool:
        """Whether the latest matte has been inspected and everything asked for is shown."""
        return not self._rest.isActive() and super().is_idle and self._side.is_idle

    @property
    def _is_shown(self) -> bool:
        return self._desk.step is Step.MATTE and self._panel.shows_snags

    # inspecting

    def _on_session(self) -> None:
        self._asker.forget()
        self.found, self._job = Inspection(), None
        self._strip.show_found(self.found)
        bridge = self._desk.bridge
        self._inspector = Inspector(bridge.session.stages) if bridge is not None else None
        self._on_job()

    def _on_job(self) -> None:
        job = self._desk.job
        if job is None or job is self._job:
            return
        self.pause()
        if self._desk.solving is not None or not job.is_solved:
            self._rest.stop()
        self._show_counts()

    def pause(self) -> None:
        """Leave the machine to the hand; what was looked at so far is kept."""
        self._asker.forget()
        job = self._desk.job
        if job is not None and job is not self._job and job.is_solved and job.has_subject:
            self._rest.start()

    def _inspect(self) -> None:
        job, inspector = self._desk.job, self._inspector
        if job is None or inspector is None or not job.is_solved or not job.has_subject:
            return

        self.ask(_INSPECT, lambda: inspector.inspect(job), partial(self._on_inspected, job))

    def _on_inspected(self, job: Job, found: Inspection) -> None:
        self.found, self._job = found, job
        self._desk.note_inspection(job, found)
        outline = found.outline
        if outline is not None:
            self.page.map.show_outline(outline.points, outline.starts, (job.photo.width, job.photo.height))
        self._show()
        self._strip.show_found(found)
        self.counted.emit()
        if self._desk.job is not job:
            self._on_job()

    # the walk

    @property
    def current(self) -> int | None:
        """The number of the snag that the walk is at, or None."""
        noted = self._desk.snag
        if noted is None:
            return None
        sort, x, y = noted
        away = [
            (float(np.hypot(snag.at[0] - x, snag.at[1] - y)), number)
            for number, snag in enumerate(self.found.snags)
            if name_of(snag.sort) == sort
        ]
        near = min(away, default=(np.inf, -1))
        return near[1] if near[0] <= _AROUND_PX / 2 else None

    def _on_walk(self, by: int) -> None:
        """Walk on by a key, in every step that has no places of its own."""
        if self._desk.step not in (Step.EDGE, Step.DELIVER):
            self.walk(by)

    def walk(self, by: int) -> None:
        """Go some open snags on; to Matte first."""
        job = self._desk.job
        if job is None or not job.has_subject:
            self._desk.say("There is no matte yet: mark the subject first.")
            return
        if self._desk.step is not Step.MATTE:
            self._desk.show_step(Step.MATTE)
        self._panel.turn_page(snags=True)
        if self._job is None:
            self._desk.say("The edge has not been inspected yet.", "It is once the matte is solved.")
            return
        order = order_of(self.found.places, along=self.page.goes_along)
        still_open = [number for number in order if not is_accepted(job, self.found.snags[number])]
        if not still_open:
            self._desk.say("Peel sees nothing wrong with this matte.")
            return
        current = self.current
        # one that was mended has left its place to the next
        at = order.index(current) if current is not None else self._at - (by > 0)
        self._go_to(_next_of(order, still_open, at, by))

    def _go_to(self, number: int) -> None:
        if not 0 <= number < len(self.found.snags):
            return
        snag = self.found.snags[number]
        self._desk.snag = (name_of(snag.sort), *snag.at)
        self._at = order_of(self.found.places, along=self.page.goes_along).index(number)
        if self._desk.view is View.ZONES:
            self._desk.show_view(_PROOFS[snag.sort][2])
        top, left, bottom, right = snag.finds[0].box
        self._desk.ask.look_at.emit(QPointF(*snag.at), max(_AROUND_PX, 1.6 * max(bottom - top, right - left)))
        self._set_proofs(snag)
        self.went_to.emit(QPointF(*snag.at))
        self._show()

    def _set_proofs(self, snag: Snag) -> None:
        if self._own_proofs is None:
            self._own_proofs = [proof.view for proof in self._proofs.proofs]
        for proof, view in zip(self._proofs.proofs, _PROOFS[snag.sort], strict=True):
            self._proofs.give(proof, view)

    def _on_step(self) -> None:
        """Give the proofs back their own views when the walk is left."""
        if not self._is_shown and self._own_proofs is not None:
            for proof, view in zip(self._proofs.proofs, self._own_proofs, strict=True):
                self._proofs.give(proof, view)
            self._own_proofs = None
        self._show()

    # what is done about a snag

    def mend(self) -> None:
        """Mend the snag that the walk is at."""
        snag = self._snag()
        if snag is not None and mends(snag.sort) and self._is_shown:
            self._show_mended(False)
            self._desk.edit(f"Mend: {snag.sort.value.lower()}", lambda job: mend(job, snag))

    def accept(self, reason: str) -> None:
        """Take the snag that the walk is at for right."""
        snag, job = self._snag(), self._desk.job
        if snag is None or job is None or not self._is_shown or is_accepted(job, snag):
            return
        self._desk.edit("Accept a snag", lambda job: accept(job, snag, reason))

    def _reopen(self) -> None:
        snag = self._snag()
        if snag is not None:
            self._desk.edit("Open a snag again", lambda job: open_again(job, snag))

    def _snag(self) -> Snag | None:
        number = self.current
        return None if number is None else self.found.snags[number]

    def _show_mended(self, on: bool) -> None:
        """Show the job with the snag mended while a button is held; it is made on a worker."""
        snag, job = self._snag(), self._desk.job
        self._holds = on
        if on and snag is not None and job is not None:
            self._side.ask(_MENDED, lambda: mend(job, snag), partial(self._on_mended, job))
        elif self._shows_mended:
            self._shows_mended = False
            self._desk.compare(None)

    def _on_mended(self, job: Job, mended: Job) -> None:
        if self._holds and job is self._desk.job:
            self._shows_mended = True
            self._desk.compare(mended)

    # showing

    def _show(self) -> None:
        self._show_counts()
        job, number = self._desk.job, self.current
        if job is None:
            return
        self.page.show_snag(None if number is None else self._words(job, number))
        marks = [MapMark(snag.at, snag.severity.rank, is_accepted(job, snag)) for snag in self.found.snags]
        self.page.map.show_marks(marks, -1 if number is None else number)
        self._lay(job, number)

    def _words(self, job: Job, number: int) -> SnagWords:
        snag = self.found.snags[number]
        order = order_of(self.found.places, along=self.page.goes_along)
        says, tool = words_of(snag)
        done = settled_by(job, snag)
        does = mends(snag.sort)
        settled = (done.reason or "accepted") if done is not None and done.how == "accepted" else ""
        place = f"{order.index(number) + 1} of {len(order)} · {snag.severity.value}"
        seen = is_seen_at_once(snag.sort)
        return SnagWords(place, snag.sort.value, says, tool, f"F2 {does}." if does else "", seen, settled)

    def _show_counts(self) -> None:
        job = self._desk.job
        if job is None or self._job is None:
            text = "The edge is inspected once it is solved" if job is not None else "No photo is open"
            self.page.show_counts(text, any_open=False)
            return
        opened = self.found.open_snags(job)
        mended = sum(done.how == "mended" for done in job.settings.photo.settled_snags)
        text = counts_text(len(opened), len(self.found.snags) - len(opened), mended)
        self.page.show_counts(text, any_open=bool(self.found.snags))

    def _lay(self, job: Job, number: int | None) -> None:
        """Tint what a mend would change."""
        if number is None or not self._is_shown or is_accepted(job, self.found.snags[number]):
            if self._is_laid:
                self._is_laid = False
                self._desk.show_overlay(None)
            return
        snag, hue = self.found.snags[number], self._hue(self.found.snags[number].sort)

        def draw() -> QImage:
            region = np.zeros((job.photo.height, job.photo.width), bool)
            top, left, bottom, right = snag.box
            region[top:bottom, left:right] = snag.mask()
            return overlay_image((region, hue))

        self._side.ask(_TINT, draw, partial(self._on_laid, snag))

    def _hue(self, sort: SnagSort) -> QColor:
        return self._desk.added_hue if sort in _SOLID else self._desk.taken_hue

    def _on_laid(self, snag: Snag, image: QImage) -> None:
        if self._is_shown and snag is self._snag():
            self._is_laid = True
            self._desk.show_overlay(image)

    # round the edge

    def show_strip(self) -> None:
        """Show the whole edge unrolled, or the picture again."""
        if self._strip.can_show and self._desk.step is not Step.MATTE:
            self._desk.show_step(Step.MATTE)
        if self._strip.toggle():
            self._panel.turn_page(snags=True)

    def _on_place(self, at: QPointF) -> None:
        self._desk.ask.look_at.emit(at, _AROUND_PX)
        self.went_to.emit(at)


def _next_of(order: list[int], still_open: list[int], at: int, by: int) -> int:
    """Return the open snag that comes after, or before, a place in the order, going round."""
    step = 1 if by > 0 else -1
    places = [(at + step * k) % len(order) for k in range(1, len(order) + 1)]
    return next(order[place] for place in places if order[place] in still_open)
