"""Inspecting a job: only what changed is looked at again, and the edge unrolls straight."""

import numpy as np
import pytest

import peel.work.inspecting.inspector as inspecting
from conftest import soft_disc
from peel.job.edits.snags import accept
from peel.job.edits.touching import SoftStroke, Touch, touch
from peel.job.edits.values import set_value, use_zones, with_matte
from peel.job.job import Job, Photo, new_job
from peel.matte.inspect.reading import Reading
from peel.matte.inspect.sorts import SnagSort
from peel.work.inspecting import reading
from peel.work.inspecting.inspector import Inspector
from peel.work.inspecting.snag_specs import snag_row, words_of
from peel.work.inspecting.unrolled import unrolled
from peel.work.stages import Cache, Stages
from peel.work.views import View

pytestmark = pytest.mark.slow


@pytest.fixture
def large() -> tuple[Stages, Job]:
    """A disc in a picture of several squares, with its true matte."""
    photo, alpha, zones = soft_disc(1000, 1700, 300)
    noisy = photo + np.random.default_rng(2).normal(0, 0.004, photo.shape)
    made = Photo("disc.png", np.round(np.clip(noisy, 0, 1) * 255).astype(np.uint8))
    job = with_matte(use_zones(new_job(made), zones), made.bounds, alpha)
    return Stages(made, Cache(100_000_000)), job


def _touched(job: Job, x: float, y: float, sort: Touch, radius: float = 4.0) -> Job:
    return touch(job, SoftStroke(((x, y),), radius, softness=0.0), sort)


def test_only_what_changed_is_looked_at_again(large: tuple[Stages, Job], monkeypatch: pytest.MonkeyPatch) -> None:
    stages, job = large
    inspector, looked = Inspector(stages), []
    monkeypatch.setattr(inspecting, "find_in", lambda reading: looked.append(reading.alpha.size) or [])
    inspector.inspect(job)
    whole = sum(looked)
    assert 0.2 * job.photo.height * job.photo.width < whole
    inspector.inspect(job)
    assert sum(looked) == whole

    inspector.inspect(_touched(job, 1100, 380, Touch.CLEAR))

    assert whole < sum(looked) < 1.7 * whole


def test_a_stroke_s_snags_are_the_same_as_those_of_the_whole(large: tuple[Stages, Job]) -> None:
    stages, job = large
    inspector, spoiled = Inspector(stages), _touched(_touched(job, 700, 400, Touch.CLEAR), 1040, 500, Touch.CLEAR)
    inspector.inspect(job)

    one, other = inspector.inspect(spoiled).snags, Inspector(stages).inspect(spoiled).snags

    assert [(snag.sort, snag.box, snag.size) for snag in one] == [(snag.sort, snag.box, snag.size) for snag in other]
    assert inspector.inspect(job).snags == ()


def test_faults_on_the_border_of_two_cells_are_found_once(large: tuple[Stages, Job]) -> None:
    stages, job = large
    assert Inspector(stages).inspect(job).snags == ()

    (snag,) = Inspector(stages).inspect(_touched(job, 768, 400, Touch.CLEAR)).snags

    assert snag.sort is SnagSort.PINHOLE
    assert len(snag.finds) == 1
    assert np.hypot(snag.at[0] - 768, snag.at[1] - 400) < 4
    assert words_of(snag)[0].startswith("One hole in what is solid")


def test_an_accepted_snag_stays_listed_and_is_not_open(large: tuple[Stages, Job]) -> None:
    stages, job = large
    inspector, spoiled = Inspector(stages), _touched(job, 700, 400, Touch.CLEAR)
    (snag,) = inspector.inspect(spoiled).snags

    accepted = accept(spoiled, snag, "a button hole")
    found = inspector.inspect(accepted)

    assert found.open_snags(accepted) == []
    assert found.open_snags(spoiled) == [0]
    assert (snag_row(accepted, found.snags[0])["reason"], snag_row(accepted, found.snags[0])["accepted"]) == (
        "a button hole",
        True,
    )


def test_a_sort_that_is_switched_off_is_not_reported(large: tuple[Stages, Job]) -> None:
    stages, job = large
    spoiled = set_value(_touched(job, 700, 400, Touch.CLEAR), "recipe.inspection.pinhole.on", False)
    assert Inspector(stages).inspect(spoiled).snags == ()


def test_large_photos_are_looked_at_at_half_size_and_places_are_the_photo_s(
    large: tuple[Stages, Job], monkeypatch: pytest.MonkeyPatch
) -> None:
    stages, job = large
    monkeypatch.setattr(reading, "READ_PX", 500_000)
    (snag,) = Inspector(stages).inspect(_touched(job, 700, 400, Touch.CLEAR, 8)).snags
    assert np.hypot(snag.at[0] - 700, snag.at[1] - 400) < 4


def test_no_matte_and_all_subject_have_no_snags() -> None:
    photo = Photo("plain.png", np.full((200, 240, 3), 90, np.uint8))
    stages = Stages(photo, Cache(10_000_000))
    found = Inspector(stages).inspect(new_job(photo))
    assert (found.snags, found.outline.length if found.outline else None) == ((), 0)
    job = with_matte(new_job(photo), photo.bounds, np.ones((200, 240), np.float32))
    assert [snag.sort for snag in Inspector(stages).inspect(job).snags] == [SnagSort.FRAME]


def test_the_strip_shows_a_disc_s_edge_as_a_straight_line(large: tuple[Stages, Job]) -> None:
    stages, job = large
    outline = Inspector(stages).inspect(job).outline
    assert outline is not None

    strip = unrolled(stages, job, View.MATTE, outline, (0, outline.length), 40)[..., 0]

    assert strip.shape == (80, outline.length)
    assert outline.length == pytest.approx(2 * np.pi * 300, rel=0.03)
    assert (strip[:30] == 0).all()
    assert (strip[52:] == 255).all()
    half_way = (strip > 127).argmax(axis=0)
    assert half_way.max() - half_way.min() <= 6


def test_the_strip_is_gray_beyond_the_photo() -> None:
    photo = Photo("plain.png", np.full((400, 500, 3), 90, np.uint8))
    alpha = np.zeros((400, 500), np.float32)
    alpha[100:, 100:400] = 1
    job = with_matte(new_job(photo), photo.bounds, alpha)
    stages = Stages(photo, Cache(10_000_000))
    outline = Inspector(stages).inspect(job).outline
    assert outline is not None
    strip = unrolled(stages, job, View.WHITE, outline, (0, outline.length), 40)
    assert (strip[0] == 128).all(axis=1).any()
    assert (strip[60:] == (90, 90, 90)).mean() > 0.8


def test_a_reading_says_nothing_where_both_sides_are_alike() -> None:
    photo = np.full((60, 60, 3), 0.4, np.float32)
    alpha = np.zeros((60, 60), np.float32)
    alpha[:, 30:] = 1
    reading = Reading(photo, alpha)
    assert not reading.says.any()
    assert np.array_equal(reading.seen, alpha)
