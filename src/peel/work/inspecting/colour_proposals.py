"""What Peel proposes for the colours of an edge: a way to take spill out, and what to do about a rim."""

from dataclasses import dataclass, field
from itertools import pairwise
from typing import Final

from peel.job.edge_targets import EdgeTarget
from peel.job.edits.edge_values import COLOUR, FINISH
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.matte.repair.profile import MOST_PULL
from peel.work.inspecting.fringe import measure_rim, measure_spill
from peel.work.stages import Stages

__all__ = ["RimProposal", "SpillProposal", "proposed_rim", "proposed_spill"]

_WIDTHS: Final = (2.0, 4.0, 7.0, 11.0, 15.0)
"""Of rims that are looked for, in pixels; the last is only compared with."""

_PULLS: Final = (1.0, 1.5, 2.0, 3.0, 4.0, 6.0)
"""By which an edge that lies too far out is pulled in, in pixels."""

_MOST: Final = 0.8  # of a rim that is taken off
_HARDLY: Final = 0.002  # share of the edge that needs no better way
_BETTER: Final = 0.7  # of what is left, up to which a stronger way is worth it
_FULLY: Final = {"clean": 1.0, "roots": 1.0, "spill_edge": 1.0}
_WAYS: Final[dict[str, dict[str, object]]] = {
    "hue of roots": {"clean": 1.0, "roots": 1.0},
    "spill, as wide as found": {**_FULLY, "spill.width_deg": None},
    "spill of a wider hue": {**_FULLY, "spill.width_deg": 130.0},
    "spill of the widest hue": {**_FULLY, "spill.width_deg": 160.0, "spill.protect": 0.0},
}
"""Ways to take spill out, from the mildest on, as settings of colour."""


@dataclass(frozen=True)
class SpillProposal:
    """A way to take the backdrop's hue off the edge.

    Attributes
    ----------
    way : str
        What is done, in words; empty if nothing does better than what is.
    before, after : float
        Share of the edge whose hue leans to the backdrop.
    """

    way: str
    before: float
    after: float

    def applied(self, job: Job) -> Job:
        """Return a job with it done."""
        return _with_way(job, self.way) if self.way else job


def _with_way(job: Job, way: str) -> Job:
    for path, value in _WAYS[way].items():
        job = set_value(job, f"recipe.colour.{path}", value)
    return job


def proposed_spill(stages: Stages, job: Job) -> SpillProposal:
    """Try the ways to take the backdrop's hue off the edge, and return the mildest that leaves hardly any.

    Each is judged by `peel.matte.colour.roots.spill_over`, which is none of them. A hue that was picked stays.
    """
    before = measure_spill(stages, job)
    best = SpillProposal("", before, before)
    for way in _WAYS:
        changed = _with_way(job, way)
        if best.after <= _HARDLY or changed.settings == job.settings:
            continue
        after = measure_spill(stages, changed)
        if after < _BETTER * best.after:
            best = SpillProposal(way, before, after)
    return best


@dataclass(frozen=True)
class RimProposal:
    """What to do about a rim, in one or both of two ways.

    Attributes
    ----------
    colour : dict of str to float
        Amounts of `EdgeColour` that correct its colour; empty where nothing is to be done.
    pull_px : float
        By how much to pull the edge in, because it has backdrop in it; 0 where it lies right.
    """

    colour: dict[str, float] = field(default_factory=dict)
    pull_px: float = 0.0

    def coloured(self, job: Job, target: EdgeTarget) -> Job:
        """Return a job with the rim's colour corrected."""
        return COLOUR.changed(job, target, self.colour) if self.colour else job

    def pulled(self, job: Job) -> Job:
        """Return a job with its edge pulled in, all along."""
        return _pulled(job, self.pull_px)


def _pulled(job: Job, by_px: float) -> Job:
    now = FINISH.of(job, EdgeTarget()).pull_px
    return FINISH.changed(job, EdgeTarget(), {"pull_px": max(now - by_px, -MOST_PULL)})


def proposed_rim(stages: Stages, job: Job) -> RimProposal:
    """Propose what to do about a rim that stands out along the whole edge.

    Notes
    -----
    A rim of its own colour is contamination: its width is that at which it stands out most. Beyond it the difference is
    less even; that of a shaded or round subject is the more even the wider one looks. One that has gone towards
    the backdrop beside it all along is a misplaced edge: it is pulled in by the least that leaves none of it.
    """
    bare = job.with_recipe(colour=job.settings.recipe.colour.model_copy(update={"rim_light": 0.0, "rim_tint": 0.0}))
    found = [(width, rim) for width in _WIDTHS if (rim := measure_rim(stages, bare, width)) is not None]
    colour: dict[str, float] = {}
    standing = []
    for (width, rim), (_, wider) in pairwise(found):
        light = rim.is_light and rim.evenly_lighter > wider.evenly_lighter
        tint = rim.is_tinted and rim.evenly_tinted > wider.evenly_tinted
        if light or tint:
            standing.append((abs(rim.lighter) + rim.tinted, width, light, tint))
    if standing:
        _, width, light, tint = max(standing)
        colour = {"rim_px": width, "rim_light": _MOST * light, "rim_tint": _MOST * tint}
    mixed = [(rim.mixed, width) for width, rim in found[:-1] if rim.is_mixed]
    if not mixed:
        return RimProposal(colour)
    _, width = max(mixed)
    pull_px = _least_pull(stages, bare, width)
    if pull_px and not colour:  # where it should stay, what it has of the backdrop's colour can be taken off
        colour = {"rim_px": width, "rim_light": _MOST, "rim_tint": _MOST}
    return RimProposal(colour, pull_px)


def _least_pull(stages: Stages, job: Job, width: float) -> float:
    """Return the least by which the edge has to be pulled in to leave no backdrop in it; 0 if nothing helps."""
    for by_px in _PULLS:
        rim = measure_rim(stages, _pulled(job, by_px), width)
        if rim is None or not rim.is_mixed:
            return by_px if rim is not None else 0.0
    return 0.0
