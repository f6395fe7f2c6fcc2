"""The step Colour: its panel, tools, commands, state, and who carries out what is asked for."""

from typing import Final

from peel.desk.colour.colour_desk import ColourDesk
from peel.desk.colour.colour_tools import COLOUR_TOOLS
from peel.desk.colour.panel import ColourPanel
from peel.desk.step.spec import StepFacts, StepSpec
from peel.desk.steps import Step, StepState

__all__ = ["STEP"]


def _state(facts: StepFacts) -> StepState:
    job = facts.job
    clean = job.settings.recipe.colour.clean
    return StepState(f"cleaned {clean * 100:.0f} %", clean > 0)


STEP: Final = StepSpec(
    Step.COLOUR,
    ColourPanel,
    _state,
    COLOUR_TOOLS,
    controllers=lambda panel, around: (ColourDesk(around.desk, panel),),
)
