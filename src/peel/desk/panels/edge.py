"""Edge: the unsure band around the marked boundary."""

from peel.desk.controls.number_field import NumberField
from peel.desk.panels.panel import Panel, words
from peel.desk.panels.spec import StepSpec
from peel.desk.steps import Step, StepState
from peel.desk.tools.brush import BandBrush, ExactBrush, ZoneBrush
from peel.job.job import Job
from peel.job.settings import Band
from peel.work.shares import zone_shares
from peel.work.stages import Stages

__all__ = ["STEP", "EdgePanel"]


class EdgePanel(Panel):
    """How wide the band is."""

    title = "The unsure band"

    def build(self) -> None:
        """Put the widths into the column."""
        advice = (
            "Inside the band each pixel is computed. Too narrow loses strands; too deep makes the inside see-through."
        )
        self.column.addWidget(words(advice, "muted"))
        default = Band()
        self.outward = NumberField(
            "outward, into the backdrop", low=0, high=200, default=default.outward_px, unit="px", curve=1.8,
            tip="How far the band reaches from the mark into the backdrop: over wisps and glow.",
        )  # fmt: skip
        self.inward = NumberField(
            "inward, into the subject", low=0, high=200, default=default.inward_px, unit="px", curve=1.8,
            tip="How far the band reaches from the mark into the subject: to where it is surely solid.",
        )  # fmt: skip
        self.exact = NumberField(
            "both ways, where exact", low=0, high=40, default=default.exact_px, unit="px", step=0.5,
            tip="How far the band reaches along edges that were drawn or brushed as exact.",
        )  # fmt: skip
        for field, name in ((self.outward, "outward_px"), (self.inward, "inward_px"), (self.exact, "exact_px")):
            self.column.addWidget(field)
            # Laying the band over a whole photo takes longer than a frame.
            self.bind(field, f"recipe.band.{name}", "Band width", live=False)
        self._shares = words("")
        self.column.addWidget(self._shares)
        self.rule()
        self.column.addWidget(
            words(
                "Brush Band over wisps that reach further, Exact along hard edges. "
                "Certain says what is surely subject, or with the right button backdrop.",
                "muted",
            )
        )

    def show_rest(self, job: Job) -> None:
        """Show how much is unsure."""
        self._shares.setText(f"unsure: {zone_shares(job).some * 100:.1f} % of the photo")


def _state(job: Job, stages: Stages, solving: float | None) -> StepState:
    del stages, solving
    unsure = zone_shares(job).some
    return StepState(f"unsure {unsure * 100:.1f} %" if job.has_subject else "no band yet", unsure > 0)


STEP = StepSpec(Step.EDGE, EdgePanel, _state, (BandBrush, ZoneBrush, ExactBrush))
