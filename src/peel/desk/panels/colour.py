"""Colour: the subject's own colours in the half-clear edge."""

from peel.desk.controls.number_field import NumberField
from peel.desk.panels.panel import Panel, words
from peel.desk.panels.spec import StepSpec
from peel.desk.steps import Step, StepState
from peel.job.edits import set_value
from peel.job.job import Job
from peel.work.stages import Stages

__all__ = ["STEP", "ColourPanel"]

_CLEAN = "recipe.colour.clean"


class ColourPanel(Panel):
    """How much of the old backdrop is taken out of the edge's colour."""

    title = "Clean edge colours"

    def build(self) -> None:
        """Put the strength and the comparison into the column."""
        advice = (
            "Half-clear pixels still carry the old backdrop. "
            "Peel replaces their colour by the subject's own, found nearby."
        )
        self.column.addWidget(words(advice, "muted"))
        self.clean = NumberField(
            "strength", low=0, high=100, default=100, unit="%",
            tip="0 % keeps the photo's own colours in the edge, 100 % gives all of it the subject's.",
        )  # fmt: skip
        self.bind(self.clean, _CLEAN, "Edge colour strength", scale=100)
        self.column.addWidget(self.clean)
        hold = self.button(
            "Hold to see it without",
            lambda: None,
            tip="Shows the edge with the photo's own colours while held",
        )
        hold.setObjectName("compare colours")
        hold.pressed.connect(self._on_held)
        hold.released.connect(lambda: self.desk.compare(None))
        self.column.addWidget(hold)
        self.column.addWidget(
            words("Solid pixels are never touched: they are delivered exactly as photographed.", "small")
        )

    def _on_held(self) -> None:
        if self.desk.job is not None:
            self.desk.compare(set_value(self.desk.job, _CLEAN, 0.0))


def _state(job: Job, stages: Stages, solving: float | None) -> StepState:
    del stages, solving
    clean = job.settings.recipe.colour.clean
    return StepState(f"cleaned {clean * 100:.0f} %", clean > 0)


STEP = StepSpec(Step.COLOUR, ColourPanel, _state)
