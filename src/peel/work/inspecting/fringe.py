"""How far the edge stands out from the subject further in, on four backings; its rim; and the backdrop's hue on it."""

from dataclasses import dataclass
from typing import Final

import numpy as np

from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.placing.sheet import sheet_of
from peel.matte.arrays import FloatArray
from peel.matte.colour.rims import Rim, measured_rim
from peel.matte.colour.roots import SPILL_SEEN, spill_over
from peel.matte.composite.over import composite_over
from peel.matte.inspect.measures import ciede2000
from peel.matte.srgb import to_lab
from peel.work.stages import Stages

__all__ = ["Fringe", "SpillProposal", "measure_fringe", "measure_spill", "proposed_rim", "proposed_spill"]

_BACKINGS: Final = {"white": (1.0, 1.0, 1.0), "black": (0.0, 0.0, 0.0), "grey": (0.5, 0.5, 0.5)}
_LONGEST: Final = 1600  # side of the picture that is measured
_SOME: Final = 0.05
_EDGE: Final = 0.1  # alpha from which hues are looked at
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
class Fringe:
    """What was measured of a job's edge.

    Attributes
    ----------
    figures : dict of str to float
        CIEDE2000 between the edge and the same edge in the colours further in, over white, black, grey and the chosen
        backing: averaged along the edge.
    lighter, tinted : float
        By how much the rim is lighter (darker below 0), and by how much it is tinted, of full brightness.
    """

    figures: dict[str, float]
    lighter: float
    tinted: float


def _small(stages: Stages, job: Job, width_px: float) -> tuple[Rim, FloatArray]:
    level = job.photo.space.level_within(_LONGEST)
    rect = job.photo.space.bounds(level)
    alpha, colours = stages.alpha(job, rect, level), stages.foreground(job, rect, level)
    return measured_rim(colours, alpha, width_px / (1 << level)), alpha


def _chosen(stages: Stages, job: Job) -> FloatArray:
    """Return what lies under the photo on its sheet, shadows and all, at the level that is measured."""
    level, sheet = job.photo.space.level_within(_LONGEST), sheet_of(job)
    under = job.photo.space.bounds(level).moved(round(sheet.top / (1 << level)), round(sheet.left / (1 << level)))
    return stages.sheets.ground(sheet, under, level, lambda rect: np.ones((rect.height, rect.width, 3), np.float32))


def measure_fringe(stages: Stages, job: Job) -> Fringe | None:
    """Measure the edge of a job as it would be delivered; None without an edge. Quick: in a small picture."""
    (excess, further, share), alpha = _small(stages, job, job.settings.recipe.colour.rim_px)
    where = (share > _SOME) & (alpha > _SOME)
    if not where.any():
        return None
    own, solid = excess[where], alpha[where][None]
    aim = further[where][None]
    backings: dict[str, FloatArray | tuple[float, float, float]] = dict(_BACKINGS)
    backings["backing"] = _chosen(stages, job)[where][None]
    linear = job.settings.photo.is_linear
    edge = np.clip(aim + own[None], 0, 1)
    figures = {}
    for name, behind in backings.items():
        pair = [to_lab(composite_over(part, behind, solid, linear=linear)) for part in (edge, aim)]
        figures[name] = float(ciede2000(*pair).mean())
    gray = own.mean(axis=1)
    tint = float(np.linalg.norm(own.mean(axis=0) - gray.mean()))
    return Fringe(figures, float(gray.mean()), tint)


def measure_spill(stages: Stages, job: Job) -> float:
    """Return the share of the edge whose hue leans to the backdrop, from that of the solid parts near by."""
    level = job.photo.space.level_within(_LONGEST)
    rect = job.photo.space.bounds(level)
    alpha = stages.alpha(job, rect, level)
    edge = (alpha > _EDGE) & (alpha < 1)
    if not edge.any():
        return 0.0
    photo, colours = stages.pyramid.colours(rect, level), stages.foreground(job, rect, level)
    over = spill_over(photo, colours, alpha, rect.within(rect), 1 << level)
    return float((over[edge] > SPILL_SEEN).mean())


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


def proposed_rim(stages: Stages, job: Job) -> dict[str, float]:
    """Propose amounts of `EdgeColour` for the rim: the width at which it stands out most, and how much.

    Notes
    -----
    Most of a rim that stands out by more than 2 % of full brightness is taken off; one that does not is left alone.
    """
    bare = job.with_recipe(colour=job.settings.recipe.colour.model_copy(update={"rim_light": 0.0, "rim_tint": 0.0}))
    found = []
    for width in (2.0, 4.0, 7.0, 11.0):
        (excess, _, share), _ = _small(stages, bare, width)
        where = share > _SOME
        if where.any():
            own = excess[where]
            gray = own.mean(axis=1)
            found.append((abs(float(gray.mean())), float(np.linalg.norm(own - gray[:, None], axis=1).mean()), width))
    if not found:
        return {}
    light, tint, width = max(found)
    return {"rim_px": width, "rim_light": 0.8 if light > 0.02 else 0.0, "rim_tint": 0.8 if tint > 0.04 else 0.0}
