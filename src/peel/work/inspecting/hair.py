"""How much hair a matte has: how many strands, how long together, how many of them are left out."""

from dataclasses import dataclass
from typing import Final

import numpy as np

from peel.job.edge_targets import EdgeTarget
from peel.job.edits.edge_values import FINISH
from peel.job.edits.marking import coverage_of
from peel.job.job import Job
from peel.job.settings import Finish
from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.edge.kind import Kind
from peel.matte.repair.hair import LEAST_LENGTH
from peel.work.stages import Stages
from peel.work.stages.hair import FoundHair

__all__ = ["HairCount", "count_hair", "proposed_shortest"]

_SEEN_PX: Final = 1 / 3  # width, in pixels of what is delivered, below which a strand is only haze
_FEWEST: Final = 8  # strands for which something is proposed
_SHARE: Final = 0.05  # ... and their share of all hair


@dataclass(frozen=True)
class HairCount:
    """The strands of some edges.

    Attributes
    ----------
    lengths : (N,) float32 ndarray
        What is seen of each, in pixels, the shortest first.
    """

    lengths: FloatArray

    def left_out(self, shortest_px: float) -> tuple[int, float]:
        """Return how many strands are left out, and how long they are together."""
        number = int(np.searchsorted(self.lengths, np.float32(shortest_px)))
        return number, float(self.lengths[:number].sum())

    def in_words(self, finish: Finish) -> str:
        """Say how many strands there are, and how many of them are left out."""
        if not len(self.lengths):
            return "No strands here: nothing thin stands out of these edges."
        all_ = f"{len(self.lengths):,} strands, {self.lengths.sum():,.0f} px"
        number, length = self.left_out(finish.shortest_px * (finish.strength > 0))
        return f"{all_}; {number:,} of them left out, {length:,.0f} px" if number else f"{all_} together"


def count_hair(stages: Stages, job: Job, target: EdgeTarget) -> HairCount:
    """Count the strands of some edges; may take seconds for a large matte that nobody has asked about yet."""
    found = stages.hair.found_in(job)
    lengths = np.sort(found.visible_length[_of_target(job, found, target)])
    return HairCount(lengths[lengths >= LEAST_LENGTH])


def _of_target(job: Job, found: FoundHair, target: EdgeTarget) -> BoolArray:
    if target.area is not None:
        areas = FINISH.areas_of(job)
        if target.area >= len(areas):
            return np.zeros(len(found.kind), bool)
        within = coverage_of(job, areas[target.area].outline)
        return np.asarray(within[found.middle[:, 0], found.middle[:, 1]], bool)
    if target.name == "everywhere":
        return np.ones(len(found.kind), bool)
    return np.asarray(found.kind == Kind.of(target.name), bool)


def proposed_shortest(stages: Stages, job: Job, scale: float) -> float | None:
    """Propose from which length on strands are kept in what is delivered at another size; None for all of them.

    Strands that would be thinner than a third of a pixel are haze there. The length is that which parts them best from
    the others; nothing is proposed where it would take more of the others than of them.

    Parameters
    ----------
    stages : Stages
    job : Job
    scale : float
        Pixels of what is delivered for a pixel of the photo.
    """
    found = stages.hair.found_in(job)
    order = np.argsort(found.visible_length)
    lengths = found.visible_length[order]
    is_haze = found.width[order] * scale < _SEEN_PX
    if is_haze.sum() < _FEWEST or lengths[is_haze].sum() < _SHARE * lengths.sum():
        return None
    gain = np.cumsum(np.where(is_haze, lengths, -lengths))
    best = int(gain.argmax())
    return float(np.ceil(lengths[best] + 1e-3)) if gain[best] > 0 else None
