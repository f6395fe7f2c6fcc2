"""Mends that prove themselves: each is made on a worker and judged before it is offered."""

from functools import partial
from typing import Final

from PySide6.QtCore import QTimer, Signal

from peel.desk.asking import task
from peel.desk.desk_state import DeskState
from peel.desk.matte.snag_acts import mend_snag
from peel.desk.step.lane_desk import LaneDesk
from peel.job.job import Job
from peel.matte.inspect.snags import Snag
from peel.work.inspecting.proving import Proof, proof_words, prove
from peel.work.inspecting.snag_specs import SNAGS

__all__ = ["SnagProver"]

_PROVE = task("proof of a mend", "What a mend would do could not be tried.", stops=True)
_REST_MS: Final = 600  # after the hand has pressed, before a mend is tried again


class SnagProver(LaneDesk):
    """Knows what the mends of snags would do, for the job as it is.

    Signals
    -------
    proved : ()
        One more mend was judged.
    """

    proved = Signal()

    def __init__(self, desk: DeskState) -> None:
        super().__init__(desk)
        self._proofs: dict[Snag, Proof | None] = {}
        self._asked: Snag | None = None  # what is being tried out
        self._wish: Snag | None = None  # what is to be mended once it is judged
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST_MS)
        self._rest.timeout.connect(self._try_again)
        desk.session_changed.connect(self._on_session)
        desk.job_changed.connect(lambda _job, _before: self._on_job())
        desk.press_changed.connect(lambda _reverse: self._pause())

    @property
    def is_idle(self) -> bool:
        """Whether nothing is being tried out, or is to be."""
        return not self._rest.isActive() and super().is_idle

    def _on_session(self) -> None:
        self._wish = None
        self._on_job()

    def _on_job(self) -> None:
        """Forget what was judged: it holds for one state of a job only. A mend that was asked for is tried again."""
        self._proofs.clear()
        self._asker.forget()
        self._rest.stop()
        self._asked = None
        if self._wish is not None:
            self.try_out(self._wish)

    def _pause(self) -> None:
        """Leave the machine to the hand."""
        if self._asked is not None:
            self._asker.forget()
            self._rest.start()

    def _try_again(self) -> None:
        again, self._asked = self._asked, None
        if again is not None:
            self.try_out(again)

    def is_known(self, snag: Snag) -> bool:
        """Return whether a snag's mend was judged, or there is none."""
        return snag in self._proofs or SNAGS[snag.sort].mend is None

    def proof(self, snag: Snag) -> Proof | None:
        """Return what the mend of a snag would do; None if there is none, or it was not judged yet."""
        return self._proofs.get(snag)

    def words(self, snag: Snag) -> str:
        """Say what a key would do about a snag."""
        return "Trying out what F2 would do…" if snag is self._asked else proof_words(snag, self.proof(snag))

    def is_offered(self, snag: Snag) -> bool:
        """Return whether there is a mend of which it is not known that it would not help."""
        proof = self.proof(snag)
        return SNAGS[snag.sort].mend is not None and (proof is None or proof.improves)

    def try_out(self, snag: Snag) -> None:
        """Judge the mend of a snag on a worker, if it was not yet; one that is to be mended goes first."""
        job, bridge = self._desk.job, self._desk.bridge
        if job is None or bridge is None or self.is_known(snag) or snag is self._asked:
            return
        if self._wish not in {None, snag}:
            return  # the next one is asked for as soon as this one is mended
        self._asked = snag
        stages = bridge.session.stages
        self.ask(
            _PROVE,
            lambda: prove(stages, job, snag),
            partial(self._on_proved, job, snag),
            failed=lambda _error: self._on_failed(),
        )

    def _on_failed(self) -> None:
        self._asked = self._wish = None

    def _on_proved(self, job: Job, snag: Snag, proof: Proof | None) -> None:
        if job is not self._desk.job:
            return
        self._proofs[snag], self._asked = proof, None
        if snag is self._wish:
            self._wish = None
            self.mend(snag)
        self.proved.emit()

    def mend(self, snag: Snag) -> None:
        """Mend a snag once its mend has proved itself; say why not otherwise."""
        if not self.is_known(snag):
            self._wish = snag
            self.try_out(snag)
            return
        proof = self.proof(snag)
        if proof is None or not proof.improves:
            self._desk.say(proof_words(snag, proof))
        else:
            mend_snag(self._desk, snag, proof)
