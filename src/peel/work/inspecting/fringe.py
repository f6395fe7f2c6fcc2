"""How far the edge stands out from the subject further in, on four backings; its rim; and the backdrop's hue on it."""

from dataclasses import dataclass
from typing import Final

import numpy as np

from peel.job.job import Job
from peel.job.placing.sheet import sheet_of
from peel.matte.arrays import FloatArray
from peel.matte.colour.outward import mean_around
from peel.matte.colour.rims import measured_rim
from peel.matte.colour.roots import SPILL_SEEN, spill_over
from peel.matte.composite.over import composite_over
from peel.matte.inspect.measures import ciede2000
from peel.matte.srgb import to_lab
from peel.work.stages import Stages

__all__ = ["Fringe", "RimMeasure", "measure_fringe", "measure_rim", "measure_spill"]

_BACKINGS: Final = {"white": (1.0, 1.0, 1.0), "black": (0.0, 0.0, 0.0), "grey": (0.5, 0.5, 0.5)}
_LONGEST: Final = 1600  # side of the picture that is measured
_SOME: Final = 0.05
_CLEAR: Final = 0.02  # alpha below which a pixel is backdrop
_BESIDE: Final = 2.4  # sigma, in widths of the rim, over which the backdrop beside it is averaged
_TOLD: Final = 0.02  # square of the difference of colours from which subject and backdrop can be told apart
_LEAST: Final = 1e-6
_EVENLY: Final = 1.2
_LIGHT: Final = 0.02
_TINT: Final = 0.02
_MIXED: Final = 0.15
_ELSEWHERE: Final = 0.5  # of the way to the backdrop, beyond which an excess is no mixture with it
_EDGE: Final = 0.1  # alpha from which hues are looked at


@dataclass(frozen=True)
class Fringe:
    """What was measured of a job's edge.

    Attributes
    ----------
    figures : dict of str to float
        CIEDE2000 between the edge and the same edge in the colours further in, over white, black, grey and the chosen
        backing: averaged along the edge.
    rim : RimMeasure
    """

    figures: dict[str, float]
    rim: "RimMeasure"


@dataclass(frozen=True)
class RimMeasure:
    """How an edge differs from the subject further in, on average along it.

    Attributes
    ----------
    lighter, tinted : float
        By how much it is lighter (darker below 0), and by how much it is tinted, of full brightness.
    mixed : float
        How far it has gone towards the backdrop's colour beside it: 1 all the way.
    evenly_lighter, evenly_tinted, evenly_mixed : float
        Each as a multiple of its own deviation along the edge. A rim lies along all of an edge; what is above 1.2 is
        one, as measured on drawn rims (1.4 to 2) and on subjects without any (below 1).
    """

    lighter: float
    tinted: float
    mixed: float
    evenly_lighter: float
    evenly_tinted: float
    evenly_mixed: float

    @property
    def is_light(self) -> bool:
        """Whether a lighter or darker rim stands out."""
        return abs(self.lighter) > _LIGHT and self.evenly_lighter > _EVENLY

    @property
    def is_tinted(self) -> bool:
        """Whether a tinted rim stands out."""
        return self.tinted > _TINT and self.evenly_tinted > _EVENLY

    @property
    def is_mixed(self) -> bool:
        """Whether the edge has backdrop in it, which is so where it lies too far out."""
        return self.mixed > _MIXED and self.evenly_mixed > _EVENLY


@dataclass(frozen=True)
class _Edge:
    """An edge in a small picture: what differs from further in, the tone there, where, and the backdrop's beside it."""

    excess: FloatArray
    further: FloatArray
    share: FloatArray
    behind: FloatArray
    near: FloatArray
    alpha: FloatArray


def _edge(stages: Stages, job: Job, width_px: float) -> _Edge:
    level = job.photo.space.level_within(_LONGEST)
    rect, width = job.photo.space.bounds(level), width_px / (1 << level)
    alpha, colours = stages.alpha(job, rect, level), stages.foreground(job, rect, level)
    behind, near = mean_around(stages.pyramid.colours(rect, level), alpha < _CLEAR, max(width, 1.0) * _BESIDE)
    return _Edge(*measured_rim(colours, alpha, width), behind, near, alpha)


def _rim_of(edge: _Edge) -> RimMeasure | None:
    """Average along an edge; None without one."""
    where = edge.share > _SOME
    if not where.any():
        return None
    own = edge.excess[where]
    gray = own.mean(axis=1)
    tint = own - gray[:, None]
    away = float(np.linalg.norm(tint.mean(axis=0)))
    spread = float(np.sqrt(((tint - tint.mean(axis=0)) ** 2).sum(axis=1).mean()))
    aim = (edge.behind - edge.further)[where]
    length = (aim**2).sum(axis=1)
    told = (length > _TOLD) & (edge.near[where] > 0)
    mixed, evenly_mixed = _mixed(own[told], aim[told]) if told.any() else (0.0, 0.0)
    return RimMeasure(float(gray.mean()), away, mixed, _evenness(gray), away / max(spread, _LEAST), evenly_mixed)


def _mixed(own: FloatArray, aim: FloatArray) -> tuple[float, float]:
    """Return how far an edge's excess has gone towards the backdrop, and how evenly; 0 if it goes elsewhere as well."""
    along = (own * aim).sum(axis=1) / (aim**2).sum(axis=1)
    towards = along[:, None] * aim
    elsewhere = float(np.linalg.norm((own - towards).mean(axis=0)))
    if elsewhere > _ELSEWHERE * float(np.linalg.norm(towards, axis=1).mean()):
        return 0.0, 0.0
    return float(along.mean()), _evenness(along)


def _evenness(values: FloatArray) -> float:
    return abs(float(values.mean())) / max(float(values.std()), _LEAST)


def measure_rim(stages: Stages, job: Job, width_px: float | None = None) -> RimMeasure | None:
    """Measure a job's rim, of the width that is set or another; None without an edge. Quick: in a small picture."""
    return _rim_of(_edge(stages, job, width_px or job.settings.recipe.colour.rim_px))


def _chosen(stages: Stages, job: Job) -> FloatArray:
    """Return what lies under the photo on its sheet, shadows and all, at the level that is measured."""
    level, sheet = job.photo.space.level_within(_LONGEST), sheet_of(job)
    under = job.photo.space.bounds(level).moved(round(sheet.top / (1 << level)), round(sheet.left / (1 << level)))
    return stages.sheets.ground(sheet, under, level, lambda rect: np.ones((rect.height, rect.width, 3), np.float32))


def measure_fringe(stages: Stages, job: Job) -> Fringe | None:
    """Measure the edge of a job as it would be delivered; None without an edge. Quick: in a small picture."""
    seen = _edge(stages, job, job.settings.recipe.colour.rim_px)
    where, rim = (seen.share > _SOME) & (seen.alpha > _SOME), _rim_of(seen)
    if rim is None or not where.any():
        return None
    own, solid = seen.excess[where], seen.alpha[where][None]
    aim = seen.further[where][None]
    backings: dict[str, FloatArray | tuple[float, float, float]] = dict(_BACKINGS)
    backings["backing"] = _chosen(stages, job)[where][None]
    linear = job.settings.photo.is_linear
    edge = np.clip(aim + own[None], 0, 1)
    figures = {}
    for name, behind in backings.items():
        pair = [to_lab(composite_over(part, behind, solid, linear=linear)) for part in (edge, aim)]
        figures[name] = float(ciede2000(*pair).mean())
    return Fringe(figures, rim)


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
