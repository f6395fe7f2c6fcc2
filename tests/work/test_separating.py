"""What separations do to the matte, and that they do nothing to the colours."""

import numpy as np
import pytest

from conftest import soft_disc
from peel.errors import MarkError
from peel.job.edits.marking import Zone, mark_region
from peel.job.edits.values import use_zones
from peel.job.job import Job, Photo, new_job
from peel.job.marked import marked_subject
from peel.job.settings import Separation
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.work.marking.tone_start import mark_by_tone, propose_starts
from peel.work.separating.choosing import add_stretch, put_separation
from peel.work.separating.keying import key_photo
from peel.work.separating.pulls import separate, tone_alpha
from peel.work.separating.separation_sheet import measure_detail, read_sheet
from peel.work.solving.solve import solve_job
from peel.work.stages import Cache, Stages


def _disc_job(zones: bool = True, height: int = 300, width: int = 420) -> Job:
    photo, _, trimap = soft_disc(height, width, 90)
    job = new_job(Photo("disc.png", np.round(photo * 255).astype(np.uint8)))
    job = job.with_recipe(band={"lay": "plain", "kinds": "none"})
    return use_zones(job, trimap) if zones else job


def _gray_before_blue(zones: bool = True) -> tuple[Job, np.ndarray]:
    """Put a gray disc before blue: a neutral subject, as keys are made for."""
    _, alpha, trimap = soft_disc(300, 420, 90)
    photo = alpha[..., None] * np.float32(0.55) + (1 - alpha[..., None]) * np.float32([0.15, 0.3, 0.6])
    job = new_job(Photo("gray.png", np.round(photo * 255).astype(np.uint8)))
    job = job.with_recipe(band={"lay": "plain", "kinds": "none"})
    return (use_zones(job, trimap) if zones else job), alpha


def _solved(job: Job) -> np.ndarray:
    return solve_job(job)[0].alpha(job.photo.bounds)


def test_a_tone_that_is_the_matte_is_exactly_that_within_the_band_and_solid_inside() -> None:
    job = put_separation(_disc_job(), 0, Separation(use="matte", rendering="red", low=0.2, high=0.7, middle=0.4))

    matte, zones = _solved(job), job.zones.read()

    tone = tone_alpha(job, job.settings.recipe.separations[0], job.photo.bounds)
    assert np.abs(matte - tone)[zones == UNKNOWN].max() < 1e-4
    assert (matte[zones == FOREGROUND] == 1).all()
    assert (matte[zones == BACKGROUND] == 0).all()


def test_the_key_of_a_plain_cloth_is_the_truth() -> None:
    job, alpha = _gray_before_blue()

    keyed = put_separation(job, 0, Separation(use="matte", rendering="key"))

    assert np.abs(_solved(keyed) - alpha).max() < 0.04


@pytest.mark.parametrize("use", ["guide", "pull"])
def test_a_good_separation_as_guide_or_pull_agrees_with_the_truth(use: str) -> None:
    job = put_separation(_disc_job(), 0, Separation.model_validate({"use": use}))

    _, alpha, _ = soft_disc(300, 420, 90)
    assert np.abs(_solved(job) - alpha).mean() < 0.002


def test_a_pull_pulls_towards_its_tone_the_more_the_stronger_it_is() -> None:
    job = _disc_job()
    wrong = {"use": "pull", "rendering": "red", "low": 0.5, "high": 0.9}
    band = job.zones.read() == UNKNOWN
    tone = tone_alpha(job, Separation.model_validate(wrong), job.photo.bounds)

    away = [
        np.abs(_solved(put_separation(job, 0, Separation.model_validate({**wrong, "strength": s}))) - tone)[band].mean()
        for s in (0.0, 1.0, 100.0)
    ]

    assert away[0] > away[1] > away[2]


def test_stretches_cut_in_different_ways_leave_no_step_between_them() -> None:
    half = np.arange(420)[None].repeat(300, axis=0) > 210
    job = put_separation(_disc_job(), 0, Separation(use="matte", rendering="red", low=0.15, high=0.85))
    job = add_stretch(job, half, Separation(use="matte", rendering="red", low=0.15, high=1.2, middle=0.5, strength=1))

    parts = separate(job, job.photo.bounds, lambda colours: colours)

    assert parts is not None
    assert np.abs(parts.share - 1).max() < 1e-3, "the shares of all stretches add up to 1"
    differs = parts.alpha - tone_alpha(job, job.settings.recipe.separations[0], job.photo.bounds)
    assert np.abs(np.diff(differs[150, 150:270])).max() < 0.05
    assert np.abs(differs[:, :170]).max() < 1e-3
    assert np.abs(differs[150, 255:280]).min() > 0.2


def test_nothing_in_use_changes_nothing() -> None:
    job = _disc_job()

    looked_at = put_separation(job, 0, Separation(rendering="red"))

    assert separate(looked_at, job.photo.bounds, lambda colours: colours) is None
    assert np.array_equal(_solved(looked_at), _solved(job))


@pytest.mark.parametrize("use", ["look", "guide", "pull", "matte"])
def test_no_separation_ever_reaches_the_colours(use: str) -> None:
    plain = solve_job(_disc_job())[0]
    made = put_separation(_disc_job(), 0, Separation.model_validate({"use": use, "sharpening": 2, "local_contrast": 2}))
    # the same matte, so that only the separation differs
    made = made.with_planes(matte=plain.matte, unsolved=plain.unsolved)

    whole = plain.photo.bounds
    colours = [Stages(job.photo, Cache(8_000_000)).foreground(job, whole, 0) for job in (plain, made)]

    assert np.array_equal(colours[0], colours[1])


def test_one_press_on_the_backdrop_gives_subject_band_and_matte() -> None:
    blank, alpha = _gray_before_blue(zones=False)

    job = key_photo(blank, (20, 20), 0, Separation())

    assert job.has_subject
    assert job.settings.recipe.separations[0].use == "matte"
    assert (job.zones.read() == UNKNOWN).any()
    assert np.abs(_solved(job) - alpha).mean() < 0.002


def test_a_press_on_a_marked_photo_keeps_marks_and_use() -> None:
    job = _disc_job()

    keyed = key_photo(job, (20, 20), 0, Separation(use="pull", gain=1.5))

    assert np.array_equal(keyed.zones.read(), job.zones.read())
    (key,) = keyed.settings.recipe.separations
    assert (key.rendering, key.use, key.gain) == ("key", "pull", 1.5)


@pytest.mark.parametrize(
    ("colour", "said"),
    [((128, 128, 128), "would be subject"), ((20, 140, 40), "would be subject")],
)
def test_a_photo_without_a_hue_or_of_one_hue_throughout_is_explained(colour: tuple[int, ...], said: str) -> None:
    plain = np.broadcast_to(np.uint8(colour), (80, 100, 3)).copy()

    with pytest.raises(MarkError, match=said):
        key_photo(new_job(Photo("plain.png", plain)), (50, 40), 0, Separation())


def test_a_press_on_a_white_backdrop_marks_what_differs_from_it() -> None:
    rows, columns = np.mgrid[:300, :420]
    light = 0.95 - 0.25 * np.hypot(rows - 60, columns - 120) / 400  # it falls off
    photo = np.repeat(light[..., None], 3, axis=2)
    disc = np.hypot(rows - 150, columns - 210) < 80
    photo[disc & ~(np.hypot(rows - 150, columns - 210) < 20)] = (0.6, 0.3, 0.2)
    photo += np.random.default_rng(3).normal(0, 0.004, photo.shape)
    job = new_job(Photo("white.png", np.round(np.clip(photo, 0, 1) * 255).astype(np.uint8)))

    marked = key_photo(job, (20, 20), 0, Separation())

    subject = marked_subject(marked, marked.photo.bounds)
    truth = disc & ~(np.hypot(rows - 150, columns - 210) < 20)
    assert (subject & truth).sum() / (subject | truth).sum() > 0.95
    assert marked.settings.recipe.separations == ()
    with pytest.raises(MarkError, match="hardly any hue"):
        key_photo(marked, (20, 20), 0, Separation())


def test_a_press_outside_the_photo_is_explained() -> None:
    with pytest.raises(MarkError, match="outside"):
        key_photo(_disc_job(zones=False), (-50, 20), 0, Separation())


def test_the_sheet_ranks_what_separates_first_and_says_when_nothing_does() -> None:
    sheet = read_sheet(_disc_job())
    figures = [row.separability for row in sheet.rows]

    assert figures == sorted(figures, reverse=True)
    assert sheet.rows[0].separation.rendering == "mix"
    assert sheet.rows[0].separability == 1
    assert sheet.keyable
    assert not sheet.alike
    assert {row.thumb.shape for row in sheet.rows} == {(72, 104)}

    rng = np.random.default_rng(4)
    _, _, zones = soft_disc(300, 420, 90)
    noise = use_zones(new_job(Photo("noise.png", rng.integers(0, 255, (300, 420, 3), np.uint8))), zones)
    assert read_sheet(noise).alike


def test_without_both_sides_the_sheet_is_empty() -> None:
    everything = mark_region(_disc_job(zones=False), np.ones((300, 420), bool), Zone.SUBJECT)
    assert read_sheet(everything).rows == ()


def test_ends_inside_the_strands_are_reported_as_a_loss() -> None:
    tone = np.full((200, 260), 60, np.uint8)
    tone[:, 60:200:6] = 110
    tone[:, :40] = 220
    zones = np.full(tone.shape, 128, np.uint8)
    zones[:, :30], zones[:, 230:] = 255, 0
    job = use_zones(new_job(Photo("strands.png", np.repeat(tone[..., None], 3, axis=2))), zones)

    wide = measure_detail(job, Separation(rendering="lightness", low=0.2, high=0.9)).lost
    narrow = measure_detail(job, Separation(rendering="lightness", low=0.6, high=0.9)).lost

    assert wide < 0.05
    assert narrow > 0.3


def test_with_nothing_marked_the_tone_that_parts_the_photo_best_comes_first_and_gives_the_matte() -> None:
    job, alpha = _gray_before_blue(zones=False)
    sheet = read_sheet(job)
    assert sheet.is_start

    best = sheet.rows[0].separation
    begun = mark_by_tone(job, 0, best)

    assert np.abs(_solved(begun) - alpha).mean() < 0.01
    assert sheet.rows[0].separability > 0.9
    assert sheet.rows[0].thumb[36, 52] > 250
    assert sheet.rows[0].thumb[2, 2] < 5


def test_a_tone_does_not_begin_what_is_begun_nor_mark_everything() -> None:
    with pytest.raises(MarkError, match="marked already"):
        mark_by_tone(_disc_job(), 0, Separation(rendering="red", low=0.2, high=0.8))
    with pytest.raises(MarkError, match="100 % of the photo"):
        mark_by_tone(_disc_job(zones=False), 0, Separation(rendering="red", low=-2.0, high=-1.0))


def test_a_photo_of_one_colour_has_renderings_without_ends() -> None:
    job = new_job(Photo("plain.png", np.full((40, 50, 3), 90, np.uint8)))
    assert {share for _, share in propose_starts(job)} == {0.0}
