"""Ways for a hard place, measured on edges that were taken for right."""

import cv2
import numpy as np
import pytest

from peel.errors import MarkError
from peel.job.edits.touching import lay_over
from peel.job.edits.values import use_zones
from peel.job.job import Job, Photo, new_job
from peel.job.rect import Rect
from peel.job.settings import Point
from peel.matte.arrays import FloatArray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.work.solving.measured_ways import alike_region, confirm, confirmed_region, measure_ways, region_of
from peel.work.solving.solve import solve_job
from peel.work.stages import Stages

_SIZE = 240
_LEFT: tuple[Point, ...] = ((0, 40), (110, 40), (110, 160), (0, 160))
_RIGHT: tuple[Point, ...] = ((130, 40), (240, 40), (240, 160), (130, 160))


def _truth(blur: float) -> FloatArray:
    alpha = np.zeros((_SIZE, _SIZE), np.float32)
    alpha[100:] = 1
    return cv2.GaussianBlur(alpha, (0, 0), blur)


def _solved(alpha: FloatArray) -> Job:
    rng = np.random.default_rng(3)
    backdrop = np.array([0.7, 0.72, 0.68]) + rng.normal(0, 0.06, (_SIZE, _SIZE, 1))
    colours = alpha[..., None] * np.array([0.2, 0.25, 0.5]) + (1 - alpha[..., None]) * backdrop
    photo = Photo("edge", (np.clip(colours, 0, 1) * 255).astype(np.uint8))
    zones = np.full((_SIZE, _SIZE), UNKNOWN, np.uint8)
    zones[:80], zones[120:] = BACKGROUND, FOREGROUND
    return solve_job(use_zones(new_job(photo), zones))[0]


def _confirmed(job: Job, alpha: FloatArray) -> Job:
    """Put the truth into the left half by hand, and take it for right."""
    part = Rect(80, 0, 120, 110)
    return confirm(lay_over(job, part, alpha[part.slices], np.ones((40, 110), np.float32)), _LEFT)


def test_a_way_that_measures_better_on_the_confirmed_half_is_better_on_the_other() -> None:
    crisp = _truth(0.5)
    job = _confirmed(_solved(_truth(2.5)), crisp)
    stages = Stages(job.photo)
    found = measure_ways(stages, job, _RIGHT)
    assert found.best
    assert [way.error for way in found.best] == sorted(way.error for way in found.best)
    assert found.best[0].error < 0.9 * found.as_it_is
    taken = solve_job(found.best[0].edit(job, region_of(job, _RIGHT)))[0]
    right = np.s_[:, 130:]
    before, after = (np.abs(stages.alpha(own, job.photo.bounds, 0) - crisp)[right].mean() for own in (job, taken))
    assert after < 0.9 * before
    left = np.s_[:, :108]
    assert np.abs(stages.alpha(taken, job.photo.bounds, 0) - crisp)[left].max() < 0.05  # what was right is as it was


def test_where_what_is_there_is_right_nothing_is_offered() -> None:
    job = _solved(_truth(1.0))
    job = confirm(job, _LEFT)
    assert measure_ways(Stages(job.photo), job, _RIGHT).best == ()


def test_without_anything_taken_for_right_that_is_said() -> None:
    job = _solved(_truth(1.0))
    with pytest.raises(MarkError, match="nothing to measure on"):
        measure_ways(Stages(job.photo), job, _RIGHT)
    with pytest.raises(MarkError, match="no unsure band"):
        measure_ways(Stages(job.photo), job, ((0, 0), (50, 0), (50, 40)))
    with pytest.raises(MarkError, match="no edge"):
        confirm(job, ((0, 0), (50, 0), (50, 40)))


def test_all_alike_leaves_what_was_taken_for_right() -> None:
    job = confirm(_solved(_truth(1.0)), _LEFT)
    alike = alike_region(job, _RIGHT)
    assert alike[90:110, 130:].all()
    assert not (alike & confirmed_region(job)).any()
