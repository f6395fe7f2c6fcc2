"""Colour beyond its panel: what a correction is for, picked hues and spots, tints, and figures measured on a worker."""

from collections.abc import Callable
from functools import partial
from typing import Final

import numpy as np

from peel.desk.asking import task
from peel.desk.colour.colour_tools import TintBrush
from peel.desk.colour.panel import NONE_SEEN, ColourPanel, share_of_edge
from peel.desk.desk_state import DeskState
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.step.target_bar import TargetChoice
from peel.desk.steps import Step
from peel.desk.tools.pick import PickTool
from peel.errors import MarkError
from peel.job.edge_targets import EdgeTarget
from peel.job.edits.colouring import (
    add_tint,
    change_tint,
    drop_tint,
    without_colours,
)
from peel.job.edits.edge_values import COLOUR
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import Tint, hex_from_rgb
from peel.matte.colour.tinting import chroma_of
from peel.work.inspecting.colour_proposals import RimProposal, SpillProposal, proposed_rim, proposed_spill
from peel.work.inspecting.fringe import Fringe, measure_fringe, measure_spill
from peel.work.stages import Stages
from peel.work.stages.colour_chain import spill_width_of

__all__ = ["ColourDesk"]

_FRINGE = task("fringe", "The colours of the edge could not be measured.")
_SPILL = task("spill", "No way to take the spill out could be proposed.")
_RIM = task("rims", "Rims could not be proposed for this edge.")

_SPOT_PX: Final = 12  # around a pressed spot, from which its colours are taken
_CLEAR: Final = 0.05


class ColourDesk(LaneDesk):
    """Carries out what the panel of colours asks for."""

    def __init__(self, desk: DeskState, panel: ColourPanel) -> None:
        super().__init__(desk)
        self._panel = panel
        self.choice = TargetChoice(desk, panel.edges, COLOUR)
        self.tint = 0
        self._asked: object = None
        self._cures: tuple[EdgeTarget, RimProposal] | None = None
        self._compares = False
        self._hue_tool = PickTool("Press on the coloured backdrop: its hue is the spill")
        self._spot_tool = PickTool("Press where the subject's colour is right; then brush the patch")
        self._brush = next(tool for tool in desk.tools[Step.COLOUR] if isinstance(tool, TintBrush))
        self._connect()

    def _connect(self) -> None:
        desk, panel = self._desk, self._panel
        self.choice.chosen.connect(self._look)
        panel.changed.connect(self._on_changed)
        panel.hue_asked.connect(lambda: desk.borrow(self._hue_tool))
        panel.hue_reset.connect(self._reset_hue)
        panel.spill_asked.connect(self._propose_spill)
        panel.rim_asked.connect(self._propose_rim)
        panel.rim_corrected.connect(self._correct_rim)
        panel.edge_pulled.connect(self._pull_in)
        panel.spot_asked.connect(lambda: desk.borrow(self._spot_tool))
        panel.hue_tint_asked.connect(lambda: self._add_tint(lambda _job: Tint()))
        panel.tint_chosen.connect(self._choose_tint)
        panel.tint_changed.connect(self._on_tint_changed)
        panel.tint_dropped.connect(self._drop_tint)
        panel.without_held.connect(self._hold_without)
        panel.view_asked.connect(desk.show_view)
        self._hue_tool.picked.connect(self._on_hue)
        self._spot_tool.picked.connect(self._on_spot)
        desk.session_changed.connect(self._on_session)
        desk.step_changed.connect(self._look)
        desk.job_changed.connect(self._on_job)

    @property
    def _stages(self) -> Stages | None:
        bridge = self._desk.bridge
        return bridge.session.stages if bridge is not None else None

    def _on_session(self) -> None:
        self.choice.reset()
        self._asked = None
        self._drop_cures()
        self._choose_tint(0)
        self._look()

    def _on_job(self, _job: Job, _before: Job) -> None:
        self._drop_cures()
        self._look()

    def _look(self) -> None:
        job, stages = self._desk.job, self._stages
        if job is None or stages is None or self._desk.step is not Step.COLOUR:
            return
        if self.tint > len(job.settings.photo.tints):
            self._choose_tint(len(job.settings.photo.tints))
        self._show(job)
        if job is not self._asked and job.is_solved and job.has_subject:
            self._asked = job
            self.ask(
                _FRINGE,
                lambda: (measure_fringe(stages, job), measure_spill(stages, job)),
                partial(self._on_measured, job),
            )
        elif self._asked is None:
            self._panel.show_unmeasured()

    def _on_measured(self, job: Job, measured: tuple[Fringe | None, float]) -> None:
        if job is self._asked:
            self._panel.show_fringe(*measured)

    def _show(self, job: Job) -> None:
        self.choice.show(job)
        self._panel.show_amounts(COLOUR.of(job, self.choice.target))
        self._panel.show_tints(job.settings.photo.tints, self.tint)
        photo, picked = job.settings.photo, job.settings.recipe.colour.spill.hue
        found = photo.spill_found if photo.spill_found != "none" else None
        if picked is not None:
            text = "Taken out: the hue that was picked."
        elif photo.spill_found is None:
            text = "Not looked for yet: the backdrop's hue is found when the photo is solved."
        elif found is None:
            text = "The backdrop is not coloured: there is no spill to take out, unless you pick a hue."
        elif photo.spill_shared:
            text = "The subject has the backdrop's hue itself and is left alone. Pick the hue to take it out."
        else:
            text = "Taken out: the backdrop's hue near the subject."
        hue = picked or (None if photo.spill_shared else found)
        is_picked = picked is not None or job.settings.recipe.colour.spill.width_deg is not None
        self._panel.show_spill(text, hue, spill_width_of(job), is_picked=is_picked)

    def _on_changed(self, changes: dict[str, float], dragged: bool) -> None:
        def change(job: Job, target: EdgeTarget) -> Job:
            return COLOUR.changed(job, target, changes)

        self.choice.edit("Edge colour", change, gesture=tuple(changes), ends=not dragged)

    # spill and rims

    def _set_hue(self, hue: str | None) -> None:
        self._desk.edit("Hue of the spill", lambda job: set_value(job, "recipe.colour.spill.hue", hue))

    def _reset_hue(self) -> None:
        def reset(job: Job) -> Job:
            return set_value(set_value(job, "recipe.colour.spill.hue", None), "recipe.colour.spill.width_deg", None)

        self._desk.edit("Spill as found", reset)

    def _on_hue(self, across: float, down: float) -> None:
        self._desk.take_up(self._desk.last_tool)
        job = self._desk.job
        if job is not None:
            self._set_hue(hex_from_rgb(np.median(job.photo.colours(_spot(job, across, down)), axis=(0, 1))))

    def _propose_spill(self) -> None:
        job, stages = self._desk.job, self._stages
        if job is not None and stages is not None and job.has_subject:
            self.ask(_SPILL, lambda: proposed_spill(stages, job), self._on_spill)

    def _on_spill(self, found: SpillProposal) -> None:
        before, after = share_of_edge(found.before), share_of_edge(found.after)
        if found.way:
            self._desk.edit("Propose spill", found.applied)
            self._desk.say(
                f"{found.way.capitalize()}: the backdrop's hue was seen on {before} of the edge, now on {after}."
            )
        elif found.before >= NONE_SEEN:
            self._desk.say(f"Nothing takes more out: {before} of the edge. Try a tint from a good spot there.")
        else:
            self._desk.say("The backdrop's hue is not seen on this edge.")

    def _propose_rim(self) -> None:
        job, stages = self._desk.job, self._stages
        if job is not None and stages is not None and job.has_subject:
            target = self.choice.target
            self.ask(_RIM, lambda: proposed_rim(stages, job), partial(self._on_proposed, target))

    def _on_proposed(self, target: EdgeTarget, found: RimProposal) -> None:
        if found.pull_px:
            self._cures = target, found
            self._panel.show_cures(found)
            self._desk.say("The edge seems to lie too far out: pull it in, or correct its colour, under Rims.")
        elif found.colour:
            self._desk.edit("Propose rims", lambda job: found.coloured(job, target))
            self._desk.say(f"A rim {found.colour['rim_px']:g} px wide stands out all along: most of it is taken off.")
        else:
            self._desk.say("No rim stands out all along this edge.")

    def _correct_rim(self) -> None:
        if self._cures is not None:
            target, found = self._cures
            self._desk.edit("Propose rims", lambda job: found.coloured(job, target))

    def _pull_in(self) -> None:
        if self._cures is not None:
            self._desk.edit("Pull the edge in", self._cures[1].pulled)

    def _drop_cures(self) -> None:
        """Take an offer back once the job is another."""
        self._cures = None
        self._panel.show_cures(None)

    # tints

    def _on_spot(self, across: float, down: float) -> None:
        self._desk.take_up(self._desk.last_tool)
        stages = self._stages
        if stages is None:
            return

        def measured(job: Job) -> Tint:
            window = _spot(job, across, down)
            alpha = stages.alpha(job, window, 0)
            found = chroma_of(stages.foreground(job, window, 0), np.where(alpha > _CLEAR, alpha, 0).astype(np.float32))
            if found is None:
                raise MarkError("There is nothing of the subject at this spot.", "Press where its colour is right.")
            return Tint(spot=(*found.mean, *found.spread))

        self._add_tint(measured)

    def _add_tint(self, make: Callable[[Job], Tint]) -> None:
        job = self._desk.job
        if job is None:
            return
        self._desk.edit("Tint", lambda job: add_tint(job, make(job)))
        self._choose_tint(len(job.settings.photo.tints) + 1)
        self._desk.take_up(self._brush)

    def _choose_tint(self, number: int) -> None:
        self.tint = self._brush.number = number
        self._desk.ways_changed.emit()
        if self._desk.job is not None and self._desk.step is Step.COLOUR:
            self._panel.show_tints(self._desk.job.settings.photo.tints, number)

    def _on_tint_changed(self, changes: dict[str, float], dragged: bool) -> None:
        number = self.tint
        self._desk.edit(
            "Tint",
            lambda job: change_tint(job, number, **changes),
            gesture=("tint", *changes, number),
            ends=not dragged,
        )

    def _drop_tint(self) -> None:
        number = self.tint
        self._desk.edit("Drop a tint", lambda job: drop_tint(job, number))

    # comparing

    def _hold_without(self, on: bool) -> None:
        job = self._desk.job
        if on and job is not None:
            self._compares = True
            self._desk.compare(without_colours(job))
        elif self._compares:
            self._compares = False
            self._desk.compare(None)


def _spot(job: Job, across: float, down: float) -> Rect:
    row, column = int(down), int(across)
    return Rect(row - _SPOT_PX, column - _SPOT_PX, row + _SPOT_PX, column + _SPOT_PX).intersection(job.photo.bounds)
