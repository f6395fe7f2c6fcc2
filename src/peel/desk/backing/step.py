"""The step Backing: its panel, tools, commands, state, and who carries out what is asked for."""

from typing import Final

from peel.desk.backing.backing_desk import BackingDesk
from peel.desk.backing.behind_tool import BehindTool
from peel.desk.backing.gradient_tool import GradientTool
from peel.desk.backing.ground_tool import GroundTool
from peel.desk.backing.panel import BackingPanel
from peel.desk.backing.place_tool import PlaceTool
from peel.desk.backing.shade_tools import KeepBrush, ShadeBrush, ShadowBrush
from peel.desk.step.spec import Command, StepFacts, StepSpec
from peel.desk.steps import Step, StepState
from peel.work.wording import backing_words

__all__ = ["STEP"]


def _state(facts: StepFacts) -> StepState:
    job = facts.job
    backing, cutouts = job.settings.recipe.backing, job.settings.photo.cutouts
    count = f", {len(cutouts)} cutouts" if len(cutouts) != 1 else ""
    return StepState(backing_words(backing) + count, backing.kind != "nothing" or bool(count))


STEP: Final = StepSpec(
    Step.BACKING,
    BackingPanel,
    _state,
    (PlaceTool, BehindTool, GradientTool, GroundTool, ShadowBrush, ShadeBrush, KeepBrush),
    commands=(
        Command("Next backing", ("Shift+B",), lambda desk: desk.ask.backing.emit(1), meaning="next kept backing"),
        Command("Backing before", ("Ctrl+Shift+B",), lambda desk: desk.ask.backing.emit(-1), meaning="the one before"),
    ),
    controllers=lambda panel, around: (BackingDesk(around.desk, panel, around.assignment_of),),
)
