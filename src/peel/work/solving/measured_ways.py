"""Which way of treating a hard edge is right, measured where the answer is known: on edges that were taken for right.

What a person took for right is truth there. A way is tried on those stretches as if nothing had been done to them by
hand, and the mean difference from what they were taken for is its error; the same is done with how the hard edge is
treated now. Only what measures better is offered, and nothing is done by itself.
"""

import contextlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Final

import cv2
import numpy as np

from peel.errors import MarkError
from peel.job.edits.edge_values import FINISH
from peel.job.edits.kinds import is_said, kinds_in
from peel.job.edits.marking import coverage_of, kind_everywhere
from peel.job.edits.touching import Touch, release_region, touch_region
from peel.job.edits.values import set_value, unsolve_region
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import MOST_CONFIRMED, MOST_FINISH_AREAS, Point, Separation
from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.kind import Kind
from peel.matte.edge.zones import UNKNOWN
from peel.work.separating.choosing import add_stretch
from peel.work.solving.again import on_white, window_of
from peel.work.solving.repairing import Repair, repair_region
from peel.work.solving.solve import solve_job
from peel.work.stages import Stages

__all__ = [
    "MeasuredWay",
    "Measurement",
    "alike_region",
    "confirm",
    "confirmed_region",
    "drawn",
    "forget_confirmed",
    "measure_ways",
    "region_of",
]

_NEAREST: Final = 3  # confirmed stretches that are measured on
_SIDE_PX: Final = 700  # of the largest part of one
_FEWEST: Final = 60  # half-clear pixels that make a measurement
_BETTER: Final = 0.9  # of the error as it is, up to which a way is better
_FAR_BETTER: Final = 0.6  # ... for what throws the solve away
_OFFERED: Final = 3
_CLEAR: Final = 0.01  # alpha from which a pixel is half-clear
_MOSTLY: Final = 0.5
_ROOM_PX: Final = 9  # around edges that get a profile of their own
_REPAIR_PX: Final = 6.0

Edit = Callable[[Job, BoolArray], Job]


@dataclass(frozen=True, eq=False)
class MeasuredWay:
    """A way of treating edges.

    Attributes
    ----------
    name : str
    edit : callable
        Treats a region (H, W) of a job so.
    solves : bool
        Whether the band is solved again for it.
    better : float
        Part of the present error below which it counts as better.
    error : float
        Where the truth is known, in [0, 1].
    """

    name: str
    edit: Edit
    solves: bool
    better: float = _BETTER
    error: float = 1.0


@dataclass(frozen=True, eq=False)
class Measurement:
    """What was measured for a hard place.

    Attributes
    ----------
    as_it_is : float
        The error of how the place is treated now, on the stretches that were taken for right.
    best : tuple of MeasuredWay
        Up to three that are better, the best first.
    pixels : int
        On how many half-clear pixels that was measured.
    window : Rect
        The hard place.
    """

    as_it_is: float
    best: tuple[MeasuredWay, ...]
    pixels: int
    window: Rect


def confirm(job: Job, area: Sequence[Point]) -> Job:
    """Take the edges within an outline for right as they are.

    Raises
    ------
    MarkError
        If nothing is half-clear there, or too many are taken for right already.
    """
    if not region_of(job, area).any():
        raise MarkError("There is no edge in that area.", "Draw around a stretch of edge.")
    given = job.settings.photo.confirmed
    if len(given) >= MOST_CONFIRMED:
        message = f"{MOST_CONFIRMED} stretches are taken for right already."
        raise MarkError(message, "Forget them, and draw around fewer.")
    return set_value(job, "photo.confirmed", (*given, tuple(area)))


def forget_confirmed(job: Job) -> Job:
    """Take no edge for right any more; accepted snags stay accepted."""
    return set_value(job, "photo.confirmed", ())


def confirmed_region(job: Job) -> BoolArray:
    """Return where edges were taken for right: in drawn areas, and around accepted snags; (H, W) bool."""
    region = np.zeros((job.photo.height, job.photo.width), bool)
    for area in job.settings.photo.confirmed:
        region |= coverage_of(job, area)
    for snag in job.settings.photo.settled_snags:
        if snag.is_accepted:
            x, y, reach = *snag.at, min(snag.reach_px, _SIDE_PX / 2)
            part = Rect(int(y - reach), int(x - reach), int(y + reach) + 1, int(x + reach) + 1)
            part = part.intersection(job.photo.bounds)
            if not part.is_empty:
                rows, columns = np.ogrid[part.top : part.bottom, part.left : part.right]
                region[part.slices] |= (rows - y) ** 2 + (columns - x) ** 2 <= reach**2
    return region & (job.zones.read() == UNKNOWN)


def measure_ways(stages: Stages, job: Job, area: Sequence[Point]) -> Measurement:
    """Measure ways of treating the edges of an area on the nearest stretches that were taken for right.

    Raises
    ------
    MarkError
        If no edge was taken for right, or too little of one is half-clear.
    """
    here = region_of(job, area)
    if not here.any():
        raise MarkError("There is no unsure band in that area.", "Draw around a stretch of edge.")
    known = _nearest(confirmed_region(job) & ~here, here)
    truth = stages.alpha(job, job.photo.bounds, 0)
    counted = known & (truth > _CLEAR) & (truth < 1 - _CLEAR)
    if counted.sum() < _FEWEST:
        message = "No edge near here has been taken for right, so there is nothing to measure on."
        raise MarkError(message, "Draw around one that is right, and press Right as it is; then measure here.")
    bare = _treated_as(job, known, here)
    base = solve_job(bare)[0]
    as_it_is = _error(stages, base, truth, known)
    ways = []
    for way in _ways(stages, job, here):
        with contextlib.suppress(MarkError):  # there is no room for another separation: it is no way here
            tried = solve_job(unsolve_region(way.edit(bare, known), known))[0] if way.solves else way.edit(base, known)
            ways.append(replace(way, error=_error(stages, tried, truth, known)))
    better = sorted((way for way in ways if way.error < way.better * as_it_is), key=lambda way: way.error)
    return Measurement(as_it_is, tuple(better[:_OFFERED]), int(counted.sum()), window_of(job, area))


def drawn(stages: Stages, job: Job, way: MeasuredWay, area: Sequence[Point], window: Rect) -> ByteArray:
    """Treat an area in a way, solve it and draw it on white, (h, w, 3) sRGB."""
    return on_white(stages, solve_job(way.edit(job, region_of(job, area)))[0], window)


def region_of(job: Job, area: Sequence[Point]) -> BoolArray:
    """Return the unsure band within an outline, (H, W) bool."""
    return np.asarray(coverage_of(job, area) & (job.zones.read() == UNKNOWN), bool)


def alike_region(job: Job, area: Sequence[Point]) -> BoolArray:
    """Return all edges of the kinds that an area holds, (H, W) bool, but those that were taken for right."""
    here = region_of(job, area)
    alike = kinds_in(job, job.photo.bounds) == _usual_kind(job, here)
    everywhere = (alike & (job.zones.read() == UNKNOWN)) | here
    return np.asarray(everywhere & ~confirmed_region(job), bool)


def _nearest(known: BoolArray, here: BoolArray) -> BoolArray:
    """Keep the connected stretches of a region that are nearest to a place, no more of each than is quickly solved."""
    joined = cv2.dilate(known.astype(np.uint8), np.ones((9, 9), np.uint8))
    count, labels, stats, centres = cv2.connectedComponentsWithStats(joined, ltype=cv2.CV_32S)
    middle = np.argwhere(here).mean(axis=0)[::-1]
    order: list[int] = (1 + np.argsort(np.hypot(*(centres[1:] - middle).T))).tolist() if count > 1 else []
    kept = np.zeros_like(known)
    for number in order[:_NEAREST]:
        left, top, width, height = (int(value) for value in stats[number, :4])
        part = Rect(top, left, top + min(height, _SIDE_PX), left + min(width, _SIDE_PX)).slices
        kept[part] |= (labels[part] == number) & known[part]
    return kept


def _usual_kind(job: Job, region: BoolArray) -> int:
    return int(np.bincount(kinds_in(job, job.photo.bounds)[region], minlength=len(Kind) + 1).argmax())


def _treated_as(job: Job, known: BoolArray, here: BoolArray) -> Job:
    """Treat known stretches as a place is treated: nothing done to them by hand, and its own kind if one was said."""
    said = is_said(job, job.photo.bounds)[here].mean() > _MOSTLY
    kind = _usual_kind(job, here)
    bare = kind_everywhere(release_region(job, known), Kind(kind) if said and kind else None, known)
    separated = np.where(known, 0, job.separated.read()).astype(np.uint8)
    bare = bare.with_planes(separated=job.separated.write(job.photo.bounds, separated))
    return unsolve_region(bare.with_photo_settings(finish_areas=()), known)


def _error(stages: Stages, tried: Job, truth: FloatArray, known: BoolArray) -> float:
    """Return the mean difference from what is known, for each of its half-clear pixels."""
    rows, columns = np.nonzero(known)
    window = Rect(int(rows.min()), int(columns.min()), int(rows.max()) + 1, int(columns.max()) + 1)
    right, inside = truth[window.slices], known[window.slices]
    away = np.abs(stages.alpha(tried, window, 0) - right)
    half_clear = inside & (right > _CLEAR) & (right < 1 - _CLEAR)
    return float(away[inside].sum() / max(int(half_clear.sum()), 1))


def _ways(stages: Stages, job: Job, here: BoolArray) -> list[MeasuredWay]:
    """List what is tried: kinds, separations, profiles, repairs."""
    usual = _usual_kind(job, here)

    def by_kind(kind: Kind) -> MeasuredWay:
        return MeasuredWay(f"as {kind.id}", lambda job, region: kind_everywhere(job, kind, region), solves=True)

    def by_separation(name: str, separation: Separation, better: float = _BETTER) -> MeasuredWay:
        return MeasuredWay(name, lambda job, region: add_stretch(job, region, separation), True, better)

    def by_profile(name: str, **changes: float) -> MeasuredWay:
        return MeasuredWay(name, lambda job, region: _shaped(job, region, changes), solves=False)

    def by_repair(sort: Repair) -> MeasuredWay:
        return MeasuredWay(sort.value.lower(), lambda job, region: _repaired(stages, job, region, sort), solves=False)

    return [
        *(by_kind(kind) for kind in (Kind.STRAND, Kind.HARD, Kind.SOFT, Kind.LACY) if int(kind) != usual),
        by_separation("pulled by its best mix", Separation(use="pull", strength=3.0)),
        by_separation("cut by tone", Separation(use="matte"), _FAR_BETTER),
        by_profile("pulled in by half a pixel", pull_px=-0.5),
        by_profile("pulled out by half a pixel", pull_px=0.5),
        by_profile("crisper", crisp=0.3),
        by_profile("softer", crisp=-0.3),
        by_profile("clear below 10 %", clear_below=0.1),
        by_profile("solid above 90 %", solid_above=0.9),
        by_repair(Repair.HAZE),
        by_repair(Repair.PINHOLES),
    ]


def _shaped(job: Job, region: BoolArray, changes: dict[str, float]) -> Job:
    """Give the edges of a region a profile of their own, in areas around them."""
    near = cv2.dilate(region.astype(np.uint8), np.ones((_ROOM_PX, _ROOM_PX), np.uint8))
    outlines = [found[:, 0] for found in cv2.findContours(near, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)[0]]
    outlines = sorted((own for own in outlines if len(own) > 2), key=cv2.contourArea, reverse=True)
    for outline in outlines[: MOST_FINISH_AREAS - len(FINISH.areas_of(job))]:
        job = FINISH.add_area(job, [(float(x), float(y)) for x, y in outline], **changes)
        job = FINISH.fade_area(job, len(FINISH.areas_of(job)) - 1, _ROOM_PX / 2)
    return job


def _repaired(stages: Stages, job: Job, region: BoolArray, sort: Repair) -> Job:
    found = repair_region(stages, job, sort, _REPAIR_PX) & region
    return touch_region(job, found, job.photo.bounds, Touch.SOLID if sort.is_solid else Touch.CLEAR)
