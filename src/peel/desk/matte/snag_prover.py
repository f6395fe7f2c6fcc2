"""Mends that prove themselves: each is made on a worker and judged before it is offered."""

from functools import partial
from typing import Final

from PySide6.QtCore import Signal

from peel.desk.asking import task
from peel.desk.desk_state import DeskState
from peel.desk.matte.snag_acts import mend_snag
from peel.desk.step.lane_desk import LaneDesk
from peel.job.job import Job
from peel.matte.inspect.snags import Snag
from peel.work.inspecting.proving import Proof, prove
from peel.work.inspecting.snag_specs import SNAGS, words_of

__all__ = ["SnagProver"]

_PROVE = task("proof of a mend", "What a mend would do could not be tried.", stops=True)


_TOLD: Final = 0.0005  # difference that is worth a figure


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
        self._asked: Snag | None = None
        self._wish: Snag | None = None
        desk.session_changed.connect(self._on_session)
        desk.job_changed.connect(lambda _job, _before: self._on_job())

    def _on_session(self) -> None:
        self._wish = None
        self._on_job()

    def _on_job(self) -> None:
        """Forget what was judged: it holds for one state of a job only. A mend that was asked for is tried again."""
        self._proofs.clear()
        self._asked = None
        if self._wish is not None:
            self.try_out(self._wish)

    def is_known(self, snag: Snag) -> bool:
        """Return whether a snag's mend was judged."""
        return snag in self._proofs or SNAGS[snag.sort].mend is None

    def proof(self, snag: Snag) -> Proof | None:
        """Return what the mend of a snag would do; None if there is none, or it was not judged yet."""
        return self._proofs.get(snag)

    def words(self, snag: Snag) -> str:
        """Say what a key would do about a snag, with what it makes of the difference from the photo."""
        spec, proof = SNAGS[snag.sort].mend, self.proof(snag)
        if spec is None:
            return f"By hand: {words_of(snag)[1]}."
        if proof is None:
            return "Trying out what F2 would do…"
        if not proof.improves:
            said = "." if proof.objection == snag.doubt else f": {proof.objection[0].lower()}{proof.objection[1:]}"
            return f"F2 is not offered{said} By hand: {words_of(snag)[1]}."
        if proof.is_of_colour:
            return f"F2 {spec.does}: {proof.after:.0%} of it is left."
        if proof.before - proof.after < _TOLD:
            return f"F2 {spec.does}."
        return f"F2 {spec.does}: {proof.before:.1%} off the photo here, then {proof.after:.1%}."

    def try_out(self, snag: Snag) -> None:
        """Judge the mend of a snag on a worker, if it was not yet."""
        job, bridge = self._desk.job, self._desk.bridge
        if job is None or bridge is None or self.is_known(snag) or snag is self._asked:
            return
        self._asked = snag
        stages = bridge.session.stages
        self.ask(_PROVE, lambda: prove(stages, job, snag), partial(self._on_proved, job, snag))

    def _on_proved(self, job: Job, snag: Snag, proof: Proof | None) -> None:
        if job is not self._desk.job:
            return
        self._proofs[snag], self._asked = proof, None
        self.proved.emit()
        if snag is self._wish:
            self._wish = None
            self.mend(snag)

    def mend(self, snag: Snag) -> None:
        """Mend a snag once its mend has proved itself; say why not otherwise."""
        if not self.is_known(snag):
            self._wish = snag
            self.try_out(snag)
            return
        proof = self.proof(snag)
        if proof is not None and not proof.improves:
            self._desk.say(f"F2 would not help. {proof.objection}", f"By hand: {words_of(snag)[1]}.")
        else:
            mend_snag(self._desk, snag)
