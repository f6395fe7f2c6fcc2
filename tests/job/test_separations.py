"""Separations of a job: where each counts, what is found for it, and what has to be solved again."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import soft_disc
from peel.errors import MarkError
from peel.job.edits import marking
from peel.job.edits.marking import Stroke
from peel.job.edits.separations import release_stretch, separated_in, turned
from peel.job.edits.values import set_value, use_zones
from peel.job.job import Job, Photo, new_job
from peel.job.question import question
from peel.job.settings import MOST_SEPARATIONS, Recipe, Separation
from peel.matte.edge.kind import Kind
from peel.work.separating.choosing import add_stretch, drop_separation, press_end, put_separation
from peel.work.separating.tones import edge_samples, found, with_found
from peel.work.solving.solve import solve_job


@pytest.fixture
def job() -> Job:
    photo, _, zones = soft_disc(300, 420, 90)
    made = new_job(Photo("disc.png", np.round(photo * 255).astype(np.uint8)))
    return use_zones(made.with_recipe(band={"lay": "plain", "kinds": "none"}), zones)


def _half(job: Job) -> np.ndarray:
    return np.arange(job.photo.width)[None].repeat(job.photo.height, axis=0) > 210


def test_what_is_left_open_is_found_in_the_photo(job: Job) -> None:
    mix = found(put_separation(job, 0, Separation()), 0)
    key = found(put_separation(job, 0, Separation(rendering="key")), 0)

    assert mix.weights is not None
    assert mix.weights[0] > 0 > mix.weights[2], "orange on blue"
    assert mix.low is not None
    assert mix.high is not None
    assert mix.low < mix.high
    assert key.hue == "#264c99"
    assert key.strength is not None
    assert key.strength > 0.9


def test_with_samples_of_one_side_only_everything_still_has_a_value() -> None:
    blank = new_job(Photo("blank.png", np.full((60, 80, 3), 128, np.uint8)))
    recipe = Recipe(separations=(Separation(), Separation(rendering="key"), Separation(rendering="red")))

    separations = with_found(blank.with_recipe(separations=recipe.separations)).settings.recipe.separations

    assert [(s.low, s.high) for s in separations] == [(0.0, 1.0)] * 3
    assert separations[0].weights == pytest.approx((1 / 3, 1 / 3, 1 / 3))


def test_stretches_come_before_kinds_and_kinds_before_everything(job: Job) -> None:
    job = marking.paint_kind(job, Stroke(((210, 60),), 30), Kind.SOFT)
    job = put_separation(job, 0, Separation(rendering="red"))
    job = put_separation(job, 1, Separation(rendering="green", applies="soft"))
    region = np.zeros((300, 420), bool)
    region[40:60] = True

    job = add_stretch(job, region, Separation(rendering="blue"))

    numbers = separated_in(job, job.photo.bounds)
    assert numbers[200, 20] == 1
    assert numbers[70, 210] == 2
    assert numbers[50, 210] == 3
    assert job.settings.recipe.separations[2].applies == "stretch"


def test_dropping_one_closes_the_gap_and_takes_its_stretch_away(job: Job) -> None:
    left, right = ~_half(job), _half(job)
    job = add_stretch(add_stretch(job, left, Separation(rendering="red")), right, Separation(rendering="blue"))

    job = drop_separation(job, 0)

    assert [separation.rendering for separation in job.settings.recipe.separations] == ["blue"]
    assert set(np.unique(job.separated.read()[left])) == {0}
    assert set(np.unique(job.separated.read()[right])) == {1}
    assert not release_stretch(job, right).separated.read().any()


def test_only_where_another_separation_is_in_use_is_solved_again(job: Job) -> None:
    solved = solve_job(job)[0]

    looked_at = put_separation(solved, 0, Separation())
    used = add_stretch(solved, _half(job), Separation(use="pull"))

    assert looked_at.is_solved
    assert question(looked_at) != question(used)
    assert used.unsolved.read()[:, 240:].any()
    assert not used.unsolved.read()[:, :170].any()
    assert set_value(used, "recipe.separations", ()).unsolved.read()[:, 240:].any()


def test_a_change_of_one_that_is_only_looked_at_asks_no_other_question(job: Job) -> None:
    looked_at = put_separation(job, 0, Separation(rendering="red"))

    other = put_separation(looked_at, 0, Separation(rendering="blue", low=0.3, high=0.4))

    assert question(other) == question(looked_at)


def test_ends_are_taken_from_where_they_are_pressed_and_may_turn_it_over(job: Job) -> None:
    job = put_separation(job, 0, Separation(rendering="red"))

    job = press_end(job, 0, (210, 150), subject=True)
    job = press_end(job, 0, (10, 10), subject=False)
    assert (job.settings.recipe.separations[0].low, job.settings.recipe.separations[0].high) == pytest.approx(
        (0.15, 0.85), abs=0.01
    )
    wrong = press_end(press_end(job, 0, (210, 150), subject=False), 0, (10, 10), subject=True)

    assert wrong.settings.recipe.separations[0].low > wrong.settings.recipe.separations[0].high
    assert press_end(job, 0, (-20, 900), subject=True) is job


@given(st.floats(-1, 2), st.floats(-1, 2), st.floats(0.05, 0.95))
def test_turning_over_twice_changes_nothing(low: float, high: float, middle: float) -> None:
    separation = Separation(low=low, high=high, middle=middle)

    back = turned(turned(separation))

    assert (back.low, back.high) == (low, high)
    assert back.middle == pytest.approx(middle)


def test_there_is_an_end_to_how_many_there_can_be(job: Job) -> None:
    for number in range(MOST_SEPARATIONS):
        job = put_separation(job, number, Separation(rendering="red", applies="stretch"))

    with pytest.raises(MarkError, match="already"):
        put_separation(job, MOST_SEPARATIONS, Separation())


@pytest.mark.parametrize("wrong", [{"weights": (0, 0, 0)}, {"low": float("nan")}, {"use": "all"}, {"hue": "green"}])
def test_a_separation_that_makes_no_sense_is_refused(wrong: dict[str, object]) -> None:
    with pytest.raises(ValueError, match="validation error"):
        Separation.model_validate(wrong)


def test_samples_come_from_both_sides_of_the_edge_or_of_one_stretch(job: Job) -> None:
    drawn = add_stretch(job, _half(job), Separation())

    everywhere, stretch = edge_samples(drawn), edge_samples(drawn, stretch=1)

    assert np.allclose(everywhere.subject, (0.85, 0.5, 0.2), atol=0.01)
    assert np.allclose(everywhere.backdrop, (0.15, 0.3, 0.6), atol=0.01)
    assert everywhere.at_subject[:, 1].min() < 200
    assert stretch.at_subject[:, 1].min() > 180
    assert len(stretch.subject) < len(everywhere.subject)


def test_a_gray_photo_of_sixteen_bits_is_separated_by_its_lightness() -> None:
    photo, _, zones = soft_disc(120, 160)
    gray = np.repeat(photo[..., :1], 3, axis=2)
    job = use_zones(new_job(Photo("gray.png", np.round(gray * 65535).astype(np.uint16))), zones)

    mix = found(put_separation(job, 0, Separation()), 0)
    saturation = found(put_separation(job, 0, Separation(rendering="saturation", use="pull")), 0)

    assert mix.strength is not None
    assert mix.strength > 0.9
    assert saturation.strength == 0, "a tone that tells nothing does not pull"


def test_ends_of_a_key_with_much_gain_stay_within_what_a_file_may_hold(job: Job) -> None:
    vivid = np.where(job.photo.pixels[..., :1] > 100, np.uint8([0, 0, 255]), job.photo.pixels).astype(np.uint8)
    strong = use_zones(new_job(Photo("vivid.png", vivid)), job.zones.read())

    made = put_separation(strong, 0, Separation(rendering="key", hue="#26303a", gain=5.0))

    assert Recipe.model_validate_json(made.settings.recipe.model_dump_json()) == made.settings.recipe


def test_changing_how_colours_mix_finds_the_ends_again_and_keeps_a_mix_made_by_hand(job: Job) -> None:
    job = put_separation(job, 0, Separation(use="pull", weights=(1.0, 0.0, 0.0)))
    before = job.settings.recipe.separations[0]

    linear = solve_job(set_value(job, "photo.mixing", "light"))[0].settings.recipe.separations[0]

    assert linear.weights == (1.0, 0.0, 0.0)
    assert linear.low is not None
    assert linear.low != before.low
