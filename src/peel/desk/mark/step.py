"""The step Mark: its panel, tools, commands, state, and who carries out what is asked for."""

from typing import Final

from peel.desk.edge.separation_tools import KeyTool
from peel.desk.mark.alike import AlikeTool
from peel.desk.mark.contour import ContourTool
from peel.desk.mark.far_desk import FarDesk
from peel.desk.mark.frame_desk import FrameDesk
from peel.desk.mark.marking_desk import MarkingDesk
from peel.desk.mark.mask_desk import MaskDesk
from peel.desk.mark.panel import MarkPanel
from peel.desk.mark.sweep import SweepTool
from peel.desk.step.spec import Command, StepFacts, StepSpec
from peel.desk.steps import Step, StepState
from peel.desk.tools.brush import MarkBrush
from peel.desk.tools.fill import FillTool
from peel.job.edits import contours
from peel.work.inspecting.shares import zone_shares

__all__ = ["STEP"]


def _state(facts: StepFacts) -> StepState:
    job = facts.job
    if contours.open_contour(job) is not None:
        return StepState("contour open", job.has_subject)
    said = f"subject {zone_shares(job).full * 100:.0f} %" if job.has_subject else "no subject yet"
    return StepState(said, job.has_subject)


STEP: Final = StepSpec(
    Step.MARK,
    MarkPanel,
    _state,
    (ContourTool, SweepTool, AlikeTool, KeyTool, MarkBrush, FillTool),
    (Command("Propose", ("P",), lambda desk: desk.ask.propose.emit(), section="Tools"),),
    controllers=lambda panel, around: (
        MarkingDesk(around.desk, panel),
        FrameDesk(around.desk, panel),
        FarDesk(around.desk),
        MaskDesk(around.desk, panel),
    ),
)
