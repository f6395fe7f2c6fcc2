"""The step Edge: its panel, tools, commands, state, and who carries out what is asked for."""

from typing import Final

from peel.desk.edge.edge_desk import EdgeDesk
from peel.desk.edge.panel import EdgePanel
from peel.desk.edge.separation_desk import SeparationDesk
from peel.desk.edge.separation_tools import EndsTool, KeyTool, StretchTool
from peel.desk.step.spec import Command, StepFacts, StepSpec
from peel.desk.steps import Step, StepState
from peel.desk.tools.brush import BandBrush, KindBrush, TrustBrush, ZoneBrush
from peel.work.inspecting.shares import zone_shares

__all__ = ["STEP"]


def _state(facts: StepFacts) -> StepState:
    job = facts.job
    unsure = zone_shares(job).some
    return StepState(f"unsure {unsure * 100:.1f} %" if job.has_subject else "no band yet", unsure > 0)


STEP: Final = StepSpec(
    Step.EDGE,
    EdgePanel,
    _state,
    (BandBrush, ZoneBrush, KindBrush, TrustBrush, StretchTool, EndsTool, KeyTool),
    (Command("Open all gaps", ("Shift+F2",), lambda desk: desk.mend(everything=True)),),
    controllers=lambda panel, around: (EdgeDesk(around.desk, panel), SeparationDesk(around.desk, panel)),
)
