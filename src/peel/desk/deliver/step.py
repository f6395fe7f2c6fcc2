"""The step Deliver: its panel, tools, commands, state, and who carries out what is asked for."""

from typing import Final

from peel.desk.deliver.deliver_desk import DeliverDesk
from peel.desk.deliver.panel import DeliverPanel
from peel.desk.matte.snag_feed import SnagFeed
from peel.desk.matte.snag_prover import SnagProver
from peel.desk.step.spec import Command, StepFacts, StepSpec
from peel.desk.steps import Step, StepState

__all__ = ["STEP"]


def _state(facts: StepFacts) -> StepState:
    delivery = facts.job.settings.recipe.delivery
    files = sum((delivery.cutout, delivery.flat, delivery.matte)) + len(delivery.presets)
    return StepState(f"{files or 'no'} file{'' if files == 1 else 's'}", False)


STEP: Final = StepSpec(
    Step.DELIVER,
    DeliverPanel,
    _state,
    commands=(Command("Deliver", ("Ctrl+Return",), lambda desk: desk.ask.deliver.emit()),),
    controllers=lambda panel, around: (
        DeliverDesk(around.desk, panel, around.find(SnagFeed), around.find(SnagProver), around.canvas),
    ),
)
