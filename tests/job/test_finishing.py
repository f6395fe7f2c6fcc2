"""Finishes of a job: everywhere, along a kind of edge, in a drawn area; what they do to the finished matte."""

import numpy as np
import pytest

from conftest import soft_disc
from peel.errors import MarkError
from peel.job.edge_targets import EdgeTarget, edge_targets
from peel.job.edits.edge_values import FINISH
from peel.job.edits.marking import Stroke, paint_kind
from peel.job.edits.touching import SoftStroke, Touch, touch
from peel.job.edits.values import use_zones, with_matte
from peel.job.job import Job, Photo, new_job
from peel.job.settings import MOST_FINISH_AREAS, Finish
from peel.matte.edge.kind import Kind
from peel.work.inspecting.measuring import VALUES, measure
from peel.work.stages import Cache, Stages

LEFT = ((0, 0), (200, 0), (200, 300), (0, 300))


@pytest.fixture
def job() -> Job:
    photo, alpha, zones = soft_disc(300, 420, 90)
    made = new_job(Photo("disc.png", np.round(photo * 255).astype(np.uint8)))
    made = use_zones(made.with_recipe(band={"lay": "plain", "kinds": "none"}), zones)
    return with_matte(made, made.photo.bounds, alpha)


def _row(job: Job, level: int = 0) -> np.ndarray:
    stages = Stages(job.photo, Cache(8_000_000))
    return stages.alpha(job, job.photo.space.bounds(level), level)[150 >> level]


def _solid(row: np.ndarray) -> tuple[int, int]:
    """Count solid pixels left and right of the middle."""
    half = len(row) // 2
    return int((row[:half] > 0.5).sum()), int((row[half:] > 0.5).sum())


def test_as_it_comes_nothing_is_shaped_and_the_matte_is_the_same_array_of_values(job: Job) -> None:
    shaped = FINISH.put(job, EdgeTarget(), Finish(pull_px=5))

    back = FINISH.put(shaped, EdgeTarget(), Finish())

    assert np.array_equal(_row(back), job.alpha(job.photo.bounds)[150])
    assert shaped.is_solved
    assert shaped.matte is job.matte


def test_pulled_everywhere_both_sides_move(job: Job) -> None:
    left, right = _solid(_row(FINISH.put(job, EdgeTarget(), Finish(pull_px=5))))

    assert (left, right) == tuple(count + 5 for count in _solid(_row(job)))


def test_a_kind_of_edge_with_a_finish_of_its_own_moves_alone(job: Job) -> None:
    job = paint_kind(job, Stroke(((300, 60), (300, 240)), 60), Kind.HARD)
    job = with_matte(job, job.photo.bounds, soft_disc(300, 420, 90)[1])

    shaped = FINISH.put(job, EdgeTarget("hard"), Finish(pull_px=-4))

    before, after = _solid(_row(job)), _solid(_row(shaped))
    assert after[0] == before[0]
    assert after[1] == before[1] - 4
    assert FINISH.of(shaped, EdgeTarget("soft")) == Finish()
    again = FINISH.put(shaped, EdgeTarget("hard"), Finish())
    assert again.settings.recipe.finish.hard is None, "the overall one is none of its own"


def test_a_drawn_area_moves_alone_and_is_dropped_again(job: Job) -> None:
    drawn = FINISH.add_area(job, LEFT)
    target = EdgeTarget("area", 0)
    assert target in edge_targets(len(drawn.settings.photo.finish_areas))

    shaped = FINISH.put(drawn, target, Finish(pull_px=4))

    before, after = _solid(_row(job)), _solid(_row(shaped))
    assert after[0] == before[0] + 4
    assert after[1] == before[1]
    assert np.array_equal(_row(FINISH.drop_area(shaped, 0)), _row(job))


def test_finishes_act_on_what_was_touched_up_and_at_every_level(job: Job) -> None:
    touched = touch(job, SoftStroke(((40, 150),), 20, softness=0), Touch.SOLID)
    shaped = FINISH.put(touched, EdgeTarget(), Finish(pull_px=4))

    assert _solid(_row(shaped))[0] == _solid(_row(touched))[0] + 12  # two edges of the blot, one of the disc
    coarse = _row(shaped, 1)
    assert abs(2 * sum(_solid(coarse)) - sum(_solid(_row(shaped)))) <= 4


def test_there_is_an_end_to_the_areas_and_ends_do_not_cross(job: Job) -> None:
    for _ in range(MOST_FINISH_AREAS):
        job = FINISH.add_area(job, LEFT)

    with pytest.raises(MarkError, match="already"):
        FINISH.add_area(job, LEFT)
    with pytest.raises(ValueError, match="clear_below"):
        Finish(clear_below=0.6, solid_above=0.5)
    assert FINISH.put(job, EdgeTarget("area", 99), Finish()) is job


def test_the_profile_is_that_of_the_photo_s_own_edge(job: Job) -> None:
    everywhere = measure(job, EdgeTarget())
    profile, in_area = everywhere.profile, measure(FINISH.add_area(job, LEFT), EdgeTarget("area", 0)).profile

    assert profile is not None
    assert in_area is not None
    assert profile == pytest.approx(np.clip(np.arange(-12, 13) / 8 + 0.5, 0, 1), abs=0.04)
    assert in_area == pytest.approx(profile, abs=0.05)
    assert everywhere.values.shape == (VALUES,)
    assert everywhere.values.max() == 1


def test_without_an_edge_there_is_no_profile_and_no_value() -> None:
    measured = measure(new_job(Photo("blank.png", np.zeros((60, 80, 3), np.uint8))), EdgeTarget("hard"))

    assert measured.profile is None
    assert not measured.values.any()


def test_where_two_kinds_with_finishes_meet_neither_counts_twice(job: Job) -> None:
    job = paint_kind(job, Stroke(((300, 60), (300, 120)), 60), Kind.HARD)
    job = paint_kind(job, Stroke(((300, 180), (300, 240)), 60), Kind.STRAND)
    job = with_matte(job, job.photo.bounds, soft_disc(300, 420, 90)[1])
    inward = Finish(pull_px=-3)

    by_kind = FINISH.put(FINISH.put(job, EdgeTarget("hard"), inward), EdgeTarget("strand"), inward)

    stages, whole = Stages(job.photo, Cache(8_000_000)), job.photo.bounds
    everywhere = FINISH.put(job, EdgeTarget(), inward)
    meeting = slice(120, 180), slice(270, 330)
    differs = stages.alpha(by_kind, whole, 0)[meeting] - stages.alpha(everywhere, whole, 0)[meeting]
    assert np.abs(differs).max() < 0.02
