"""What repairs do: scripted defects put into true mattes, scripted repairs, error removed and error added elsewhere."""

import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np

from bench.cases import demo_case
from peel.demo.photos import NAMES
from peel.job.edge_targets import EdgeTarget
from peel.job.edits.edge_values import FINISH
from peel.job.edits.touching import SoftStroke, Touch, touch, touch_area
from peel.job.edits.values import use_zones, with_matte
from peel.job.job import Job, Photo, new_job
from peel.job.settings import Finish
from peel.work.solving.repairing import Repair, repair
from peel.work.stages import Cache, Stages

__all__ = ["table"]

_PASSES = 10


@dataclass(frozen=True)
class _Defect:
    """How a true matte is spoiled, and what mends it."""

    name: str
    spoil: Callable[[np.ndarray, np.random.Generator], np.ndarray]
    mend: Callable[[Stages, Job], Job]
    photos: tuple[str, ...] = NAMES


def _spots(alpha: np.ndarray, rng: np.random.Generator, where: np.ndarray, value: float, radius: int) -> np.ndarray:
    out, places = alpha.copy(), np.argwhere(where)
    for row, column in places[rng.integers(0, len(places), 40)]:
        cv2.circle(out, (int(column), int(row)), radius, value, -1)
    return out


def _deep(alpha: np.ndarray, *, solid: bool, px: float) -> np.ndarray:
    side = alpha >= 1 if solid else alpha <= 0
    return cv2.distanceTransform(side.astype(np.uint8), cv2.DIST_L2, 5) > px


def _pinholes(alpha: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    return _spots(alpha, rng, _deep(alpha, solid=True, px=8), 0.3, 2)


def _specks(alpha: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    return _spots(alpha, rng, _deep(alpha, solid=False, px=10), 0.7, 2)


def _haze(alpha: np.ndarray, _rng: np.random.Generator) -> np.ndarray:
    near = cv2.distanceTransform((alpha <= 0.02).astype(np.uint8), cv2.DIST_L2, 5)
    return np.where((near > 0) & (near < 60), np.maximum(alpha, 0.06), alpha).astype(np.float32)


def _see_through(alpha: np.ndarray, _rng: np.random.Generator) -> np.ndarray:
    return np.where(_deep(alpha, solid=True, px=14), np.float32(0.93), alpha)


def _too_wide(alpha: np.ndarray, _rng: np.random.Generator) -> np.ndarray:
    return cv2.dilate(alpha, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (3, 3)))


def _stepped(alpha: np.ndarray, _rng: np.random.Generator) -> np.ndarray:
    small = cv2.resize(alpha, (alpha.shape[1] // 4, alpha.shape[0] // 4), interpolation=cv2.INTER_AREA)
    return cv2.resize((small > 0.5).astype(np.float32), alpha.shape[::-1], interpolation=cv2.INTER_NEAREST)


def _thinned(_stages: Stages, job: Job) -> Job:
    """Thin the whole picture ten times with a brush as large as it."""
    height, width = job.photo.height, job.photo.width
    stroke = SoftStroke(((0.0, height / 2), (float(width), height / 2)), float(height), softness=0.0)
    for _ in range(_PASSES):
        job = touch(job, stroke, Touch.THIN)
    return job


def _firmed(_stages: Stages, job: Job) -> Job:
    height, width = job.photo.height, job.photo.width
    for _ in range(_PASSES):
        job = touch_area(job, ((0.0, 0.0), (width, 0.0), (width, height), (0.0, height)), Touch.FIRM)
    return job


def _shaped(finish: Finish) -> Callable[[Stages, Job], Job]:
    return lambda _stages, job: FINISH.put(job, EdgeTarget(), finish)


def _pressed(sort: Repair, px: float) -> Callable[[Stages, Job], Job]:
    return lambda stages, job: repair(stages, job, sort, px)


_DEFECTS = (
    _Defect("pinholes, closed", _pinholes, _pressed(Repair.PINHOLES, 6)),
    _Defect("specks, dropped", _specks, _pressed(Repair.SPECKS, 6)),
    _Defect("haze, taken out", _haze, _pressed(Repair.HAZE, 1)),
    _Defect("haze, ten passes of Thin", _haze, _thinned),
    _Defect("see-through inside, made solid", _see_through, _pressed(Repair.INSIDE, 12)),
    _Defect("see-through inside, ten passes of Firm", _see_through, _firmed),
    _Defect("a pixel too wide, pulled in", _too_wide, _shaped(Finish(pull_px=-1.0))),
    _Defect("stepped, evened", _stepped, _shaped(Finish(even_px=16)), ("lamplighter",)),
)


def table(seed: int = 3) -> Iterator[str]:
    """Measure every defect on every demo photo; lines of a table."""
    yield "| defect and repair | photo | error left | error added elsewhere | strands |\n" + "|---" * 5 + "|"
    for name in NAMES:
        case = demo_case(name)
        photo = Photo(name, np.ascontiguousarray((case.photo * 255 + 0.5).astype(np.uint8)))
        blank = use_zones(new_job(photo), case.zones)
        for defect in (defect for defect in _DEFECTS if name in defect.photos):
            yield _row(defect, name, case.alpha, blank, seed)


def _row(defect: _Defect, name: str, truth: np.ndarray, blank: Job, seed: int) -> str:
    """Spoil, mend, and compare: what is left of the error, what came where there was none, what strands lost."""
    spoiled = defect.spoil(truth, np.random.default_rng(seed))
    job = with_matte(blank, blank.photo.bounds, spoiled)
    stages = Stages(blank.photo, Cache(64_000_000))
    since = time.perf_counter()
    mended = stages.alpha(defect.mend(stages, job), job.photo.bounds, 0)
    seconds = time.perf_counter() - since
    wrong = np.abs(spoiled - truth) > 1e-3
    before, after = np.abs(spoiled - truth), np.abs(mended - truth)
    strands = (truth > 0.25) & (truth < 0.95) & (cv2.dilate(truth, np.ones((5, 5))) < 0.98)
    lost = (truth - mended)[strands].mean() / max(float(truth[strands].mean()), 1e-6) if strands.any() else 0.0
    return (
        f"| {defect.name} | {name} | {after[wrong].sum() / before[wrong].sum() * 100:.0f} % "
        f"| {after[~wrong].sum() / before.sum() * 100:.1f} % of it | {lost * 100:+.2f} % lost, {seconds:.1f} s |"
    )
