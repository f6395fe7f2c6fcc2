"""What a stroke at 24 MP costs: from the end of the hand's movement to its matte, and how far that is from a full solve."""

import time

import cv2
import numpy as np

from bench.cases import Case
from bench.drawn import LARGE, drawn_case
from peel.job.edits import marking
from peel.job.edits.marking import Stroke, Zone
from peel.job.edits.values import use_zones
from peel.job.job import Job, Photo, new_job
from peel.job.rect import Rect
from peel.matte.edge.zones import UNKNOWN
from peel.work.solving.solve import solve_job

__all__ = ["measure"]

_RADIUS = 25
_CORE = 20  # of a brush, that has to lie on what the stroke says
_COUNT = 12  # strokes at most, all of them laid on one job
_TRIES = 2000
_AWAY = 300  # pixels around a stroke that are compared


def _solved(case: Case) -> Job:
    photo = Photo(case.name, (case.photo * 255).round().astype(np.uint8))
    job = use_zones(new_job(photo).with_photo_settings(mixing="value"), case.zones)
    return solve_job(job)[0]


def _strokes(case: Case) -> list[tuple[Stroke, Zone]]:
    """Draw strokes as a person would: over what is solid or clear in the band, and across its rims; far from each other."""
    rng = np.random.default_rng(4)
    brush, core = (
        cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1)) for radius in (_RADIUS, _CORE)
    )
    solid, clear = (cv2.erode(side.astype(np.uint8), core) > 0 for side in (case.alpha > 0.9, case.alpha < 0.1))
    rim = cv2.morphologyEx(case.band.astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3))) > 0
    touching = cv2.dilate(case.band.astype(np.uint8), brush) > 0
    places = [np.argwhere(mask) for mask in (rim, solid & touching, clear & touching)]
    out: list[tuple[Stroke, Zone]] = []
    for _ in range(_TRIES):
        spots = places[len(out) % 3]
        y, x = (float(value) for value in spots[int(rng.integers(0, len(spots)))])
        if all(np.hypot(x - s.points[0][0], y - s.points[0][1]) > 2 * _AWAY for s, _ in out):
            out.append((Stroke(((x, y),), _RADIUS), (Zone.UNSURE, Zone.SUBJECT, Zone.BACKDROP)[len(out) % 3]))
    return out[:_COUNT]


def measure() -> list[str]:
    """Time strokes one by one, then compare all of their answers with one full solve; lines to print."""
    case = drawn_case("fur", LARGE)
    after, strokes = _solved(case), _strokes(case)
    shown, settled, unknowns = [], [], []
    for stroke, zone in strokes:
        looks: list[float] = []
        changed = marking.paint_zone(after, stroke, zone)
        since = time.perf_counter()
        after, report = solve_job(changed, interim=lambda _job, looks=looks: looks.append(time.perf_counter()))
        if report.unknowns:
            unknowns.append(report.unknowns)
            settled.append(time.perf_counter() - since)
            shown.append((looks[0] - since) if looks else settled[-1])
    full = solve_job(use_zones(new_job(after.photo).with_settings(after.settings), after.zones.read()))[0]
    away = np.concatenate([_differences(after, full, stroke) for stroke, _ in strokes])
    return [
        f"strokes that left something to solve: {len(settled)} of {len(strokes)}, {np.median(unknowns):.0f} unsure px",
        f"first answer: {np.median(shown):.2f} s median, {np.percentile(shown, 90):.2f} s p90",
        f"settled: {np.median(settled):.2f} s median, {np.percentile(settled, 90):.2f} s p90, {max(settled):.2f} s worst",
        f"from a full solve: {np.percentile(away, 99):.4f} at 99 %, {np.percentile(away, 99.9):.4f} at 99.9 %, "
        f"{away.max():.3f} at most; {np.mean(away > 2 / 255) * 100:.2f} % beyond 2/255",
    ]


def _differences(job: Job, full: Job, stroke: Stroke) -> np.ndarray:
    x, y = (round(value) for value in stroke.points[0])
    rect = Rect(y - _AWAY, x - _AWAY, y + _AWAY, x + _AWAY).intersection(job.photo.bounds)
    band = job.zones.read(rect) == UNKNOWN
    return np.abs(job.alpha(rect) - full.alpha(rect))[band]
