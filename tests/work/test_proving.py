"""Mends that prove themselves, and snags ranked by what will show."""

import cv2
import numpy as np
import pytest

from conftest import soft_disc
from peel.job.edits.marking import Zone, mark_region
from peel.job.edits.touching import SoftStroke, Touch, touch
from peel.job.edits.values import set_value, use_zones, with_matte
from peel.job.job import Job, Photo, new_job
from peel.job.plane import Plane
from peel.matte.inspect.faults import Find
from peel.matte.inspect.snags import Severity, Snag
from peel.matte.inspect.sorts import SnagSort
from peel.work.inspecting.inspector import Inspector
from peel.work.inspecting.looks import looks_at, looks_of, ranked, snag_picture
from peel.work.inspecting.proving import prove
from peel.work.inspecting.snag_specs import words_of
from peel.work.solving.solve import solve_job
from peel.work.stages import Cache, Stages

SHAPE = (300, 420)


@pytest.fixture
def disc() -> Job:
    """An orange disc on blue, with its true matte."""
    photo, alpha, zones = soft_disc(*SHAPE, 90)
    noisy = np.clip(photo + np.random.default_rng(1).normal(0, 0.004, photo.shape), 0, 1)
    made = Photo("disc.png", np.round(noisy * 255).astype(np.uint8))
    return with_matte(use_zones(new_job(made), zones), made.bounds, alpha)


@pytest.fixture
def white_on_white() -> tuple[Job, np.ndarray]:
    """A white ball before white paper, marked and solved, and its true matte."""
    _, alpha, _ = soft_disc(*SHAPE, 90)
    away = np.hypot(*(np.mgrid[: SHAPE[0], : SHAPE[1]] - np.array([150.0, 210.0])[:, None, None]))
    ball = 0.93 - 0.08 * np.clip(away / 90, 0, 1) ** 3
    paper = 0.9 + 0.02 * np.linspace(0, 1, SHAPE[1])
    gray = alpha * ball + (1 - alpha) * paper + np.random.default_rng(3).normal(0, 0.004, SHAPE)
    photo = np.repeat(np.clip(gray, 0, 1)[..., None], 3, axis=2)
    job = mark_region(new_job(Photo("ball.png", np.round(photo * 255).astype(np.uint8))), alpha > 0.5, Zone.SUBJECT)
    return solve_job(job)[0], alpha


def _stages(job: Job) -> Stages:
    return Stages(job.photo, Cache(100_000_000))


def _spot(job: Job, x: int, y: int, radius: int, value: float) -> Job:
    alpha = job.alpha(job.photo.bounds)
    cv2.circle(alpha, (x, y), radius, value, -1, cv2.LINE_AA)
    return with_matte(job, job.photo.bounds, alpha)


def _snag(sort: SnagSort, box: tuple[int, int, int, int], change: float = 1.0) -> Snag:
    mask = np.ones((box[2] - box[0], box[3] - box[1]), bool)
    by = np.full(mask.shape, change, np.float16)
    return Snag(sort, (Find(sort, box[0], box[1], mask, float(mask.sum() * change), by),), Severity.PLAIN)


def test_a_hole_s_mend_proves_itself_with_both_figures(disc: Job) -> None:
    holed = _spot(disc, 210, 150, 4, 0.0)
    stages = _stages(holed)
    (snag,) = Inspector(stages).inspect(holed).snags

    proof = prove(stages, holed, snag)

    assert proof is not None
    assert proof.improves
    assert proof.before > 0.3
    assert proof.after < 0.02
    assert stages.alpha(proof.mended, holed.photo.bounds, 0)[150, 210] == 1


def test_what_was_said_by_hand_is_not_contradicted(disc: Job) -> None:
    holed = touch(disc, SoftStroke(((210.0, 150.0),), 4.0, softness=0.0), Touch.CLEAR)
    stages = _stages(holed)
    (snag,) = Inspector(stages).inspect(holed).snags

    proof = prove(stages, holed, snag)

    assert proof is not None
    assert "by hand" in proof.objection


def test_a_mend_that_takes_away_what_is_right_is_not_offered(disc: Job) -> None:
    stages = _stages(disc)
    for sort, box in ((SnagSort.HAZE, (60, 190, 70, 230)), (SnagSort.SEE_THROUGH, (40, 200, 60, 220))):
        proof = prove(stages, disc, _snag(sort, box))
        assert proof is not None
        assert not proof.improves


def test_no_mend_that_is_offered_makes_white_on_white_worse(white_on_white: tuple[Job, np.ndarray]) -> None:
    job, truth = white_on_white
    stages = _stages(job)
    bounds = job.photo.bounds
    error = np.abs(stages.alpha(job, bounds, 0) - truth).sum()
    left_inside = _snag(SnagSort.BACKDROP_LEFT, (140, 250, 170, 290))

    for snag in (*Inspector(stages).inspect(job).snags, left_inside):
        proof = prove(stages, job, snag)
        if proof is not None and proof.improves:
            assert np.abs(stages.alpha(proof.mended, bounds, 0) - truth).sum() <= error
    refused = prove(stages, job, left_inside)
    assert refused is not None
    assert not refused.improves


def test_a_veil_s_mend_acts_where_it_was_seen_only(disc: Job) -> None:
    alpha = disc.alpha(disc.photo.bounds)
    strand = alpha.copy()
    cv2.line(strand, (300, 60), (400, 20), 0.05, 1)
    veiled = strand.copy()
    veiled[:, :200] = np.where(alpha[:, :200] <= 0, 0.03, strand[:, :200])
    photo = disc.photo.colours(disc.photo.bounds)
    colours = np.float32([0.85, 0.5, 0.2])
    photo += (strand - alpha)[..., None] * (colours - photo)
    made = Photo("strand.png", np.round(np.clip(photo, 0, 1) * 255).astype(np.uint8))
    job = with_matte(new_job(made), made.bounds, veiled)
    stages = _stages(job)
    (snag,) = [found for found in Inspector(stages).inspect(job).snags if found.sort is SnagSort.SPREAD]

    proof = prove(stages, job, snag)

    assert proof is not None
    assert "% on average in" in words_of(snag)[0]
    after = stages.alpha(proof.mended, made.bounds, 0)
    assert after[140:160, 75:110].max() < 0.005
    assert np.array_equal(after[10:70, 290:], stages.alpha(job, made.bounds, 0)[10:70, 290:])


def test_a_change_of_the_mark_is_looked_at_where_the_matte_stays(disc: Job) -> None:
    stages = _stages(disc)
    inspector = Inspector(stages)
    inspector.inspect(disc)
    alpha = disc.alpha(disc.photo.bounds)
    channel = alpha.copy()
    channel[70:230, 190:420] = np.minimum(channel[70:230, 190:420], 0.4)
    open_job = with_matte(disc.with_planes(corrections=Plane.filled(*SHAPE, 0, np.uint8)), disc.photo.bounds, channel)
    said = np.full(SHAPE, 3, np.uint8)  # hard, as suggested
    hard = open_job.with_planes(suggested=Plane.from_array(said // 3), confidence=Plane.from_array(said * 80))
    without = inspector.inspect(hard).snags

    marked = hard.with_planes(marks=Plane.from_array(np.where(alpha > 0.5, 2, 0).astype(np.uint8)))

    assert not [snag for snag in without if snag.sort is SnagSort.SEE_THROUGH]
    assert [snag for snag in inspector.inspect(marked).snags if snag.sort is SnagSort.SEE_THROUGH]


def test_a_fault_shows_where_the_backing_differs_and_is_said_so(disc: Job) -> None:
    specked = _spot(disc, 30, 30, 4, 1.0)
    stages = _stages(specked)
    blue = "#264c99"  # as the backdrop that the speck is a piece of

    (on_blue,) = Inspector(stages).inspect(specked, looks=looks_at({"blue": blue})).snags
    (on_white,) = Inspector(stages).inspect(specked, looks=looks_at({"white": "#ffffff"})).snags
    (small,) = Inspector(stages).inspect(specked, looks=looks_at({"white": "#ffffff"}, 0.1)).snags

    assert on_blue.shown.on == ()
    assert on_blue.severity is Severity.SLIGHT
    assert words_of(on_blue)[0].endswith("it will not show.")
    assert on_white.shown.on == ("white",)
    assert words_of(on_white)[0].endswith("it shows on white.")
    assert small.shown.on == ()


def test_what_shows_more_comes_first(disc: Job) -> None:
    stages = _stages(disc)
    faint, plain = _snag(SnagSort.HAZE, (10, 10, 40, 40), 0.1), _snag(SnagSort.HAZE, (10, 300, 40, 330), 0.9)
    job = _spot(_spot(disc, 25, 25, 20, 0.1), 315, 25, 20, 0.9)

    first, second = ranked(stages, job, [faint, plain])

    assert first.box == plain.box
    assert first.shown.weight > 3 * second.shown.weight
    picture = snag_picture(stages, job, first, 120)
    assert picture.dtype == np.uint8
    assert min(picture.shape[:2]) >= 60
    assert max(picture.shape[:2]) <= 240


def test_an_order_says_on_what_snags_are_looked_at(disc: Job) -> None:
    assert [look.name for look in looks_of(disc)] == ["white", "black", "a loud colour"]

    ordered = set_value(disc, "recipe.delivery.presets", ("Shop, white",))
    (look,) = looks_of(ordered)

    assert look.name == "Shop, white"
    assert look.sheet is not None
    assert look.scale > 0
