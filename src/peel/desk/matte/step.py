"""The step Matte: its panel, tools, commands, state, and who carries out what is asked for."""

from typing import Final

from peel.desk.matte.again_desk import AgainDesk
from peel.desk.matte.finish_desk import FinishDesk
from peel.desk.matte.measure_desk import MeasureDesk
from peel.desk.matte.panel import MattePanel
from peel.desk.matte.repair_desk import RepairDesk
from peel.desk.matte.snag_desk import SnagDesk
from peel.desk.matte.snag_feed import SnagFeed
from peel.desk.matte.snag_prover import SnagProver
from peel.desk.matte.snag_walk import SnagWalk
from peel.desk.matte.strip_desk import StripDesk
from peel.desk.matte.touch import TOUCH_TOOLS
from peel.desk.matte.version_desk import VersionDesk
from peel.desk.matte.wisp import WispTool
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.step.spec import Command, StepFacts, StepSpec, Surroundings
from peel.desk.steps import Step, StepState
from peel.desk.tools.brush import BandBrush
from peel.work.inspecting.shares import matte_shares

__all__ = ["STEP"]


def _state(facts: StepFacts) -> StepState:
    job, solving = facts.job, facts.solving
    if solving is not None:
        return StepState(f"solving {solving * 100:.0f} %", False)
    if not job.has_subject:
        return StepState("nothing to solve", False)
    if not job.is_solved:
        return StepState("mark both sides", False)
    if facts.found is not None:
        left = len(facts.found.showing(job))
        return StepState(f"{left or 'no'} snag{'' if left == 1 else 's'}", left == 0)
    return StepState(f"solved, solid {matte_shares(facts.stages, job).full * 100:.0f} %", True)


def _controllers(panel: MattePanel, around: Surroundings) -> tuple[LaneDesk, ...]:
    desk = around.desk
    strip, feed = StripDesk(desk, around.canvas), SnagFeed(desk)
    walk, prover = SnagWalk(desk, feed, panel, around.proofs), SnagProver(desk)
    return (
        RepairDesk(desk, panel),
        FinishDesk(desk, panel),
        AgainDesk(desk, panel, around.canvas),
        VersionDesk(desk, around.canvas),
        MeasureDesk(desk, panel, around.canvas),
        strip,
        feed,
        walk,
        prover,
        SnagDesk(desk, panel, feed, walk, strip, prover),
    )


STEP: Final = StepSpec(
    Step.MATTE,
    MattePanel,
    _state,
    (BandBrush, *TOUCH_TOOLS, WispTool),
    (
        Command("Mend the snag", ("F2",), lambda desk: desk.mend()),
        Command("Accept the snag", ("F3",), lambda desk: desk.accept()),
        Command("Round the edge", ("F4",), lambda desk: desk.ask.strip.emit(), "Views", "the edge unrolled"),
    ),
    controllers=_controllers,
)
