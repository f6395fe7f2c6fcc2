import json

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from peel.job.edits import values as edits
from peel.job.job import Job
from peel.job.preset import Preset
from peel.job.question import question, solve_settings
from peel.job.settings import JobSettings, Separation, SettledSnag, Solving, value_of, with_value
from peel.matte.solve.settings import EdgeTerms

NUMBERS = {
    "recipe.band.outward_px": (0, 400),
    "recipe.band.exact_px": (0, 40),
    "recipe.colour.clean": (0, 1),
    "recipe.solving.sparsity": (0, 100),
    "recipe.delivery.flat_quality": (40, 100),
}


@given(path=st.sampled_from(sorted(NUMBERS)), share=st.floats(0, 1))
def test_a_value_set_by_its_path_is_read_by_it_and_nothing_else_changes(path: str, share: float) -> None:
    low, high = NUMBERS[path]
    value = round(low + share * (high - low))

    changed = with_value(JobSettings(), path, value)

    assert value_of(changed, path) == value
    assert with_value(changed, path, value_of(JobSettings(), path)) == JobSettings()
    assert JobSettings.model_validate_json(changed.model_dump_json()) == changed


@pytest.mark.parametrize("value", [-1, 1e9, float("nan"), float("inf"), "wide", None])
def test_values_out_of_bounds_are_refused(value: object) -> None:
    with pytest.raises(ValidationError):
        with_value(JobSettings(), "recipe.band.outward_px", value)


@pytest.mark.parametrize("path", ["recipe.band.sideways_px", "recipe.nothing", "photo"])
def test_settings_that_do_not_exist_or_are_no_value_are_refused(path: str) -> None:
    with pytest.raises((AttributeError, ValidationError)):
        with_value(JobSettings(), path, 1)


def test_settings_of_the_older_formats_are_sorted_into_the_two_halves() -> None:
    old = {
        "ground": "subject",
        "contours": [{"points": [[1, 2], [3, 4]], "hole": True}],
        "band": {"outward_px": 30},
        "matte": {"mixing": "light", "own_colours": ["#aabbcc"]},
        "backing": {"kind": "colour", "colour": "#112233"},
    }

    settings = JobSettings.model_validate_json(json.dumps(old))

    assert settings.photo.unmarked == "subject"
    assert settings.photo.contours[0].hole
    assert settings.photo.is_linear
    assert settings.photo.sheer_colours == ("#aabbcc",)
    assert settings.recipe.band.outward_px == 30
    assert settings.recipe.backing.colour == "#112233"


def test_unknown_settings_are_refused_in_either_half() -> None:
    for odd in ({"shade": 1}, {"recipe": {"shade": 1}}, {"photo": {"shade": 1}}, {"photo": {}, "band": {}}):
        with pytest.raises(ValidationError):
            JobSettings.model_validate(odd)


def test_the_question_of_a_solve_is_what_its_matte_depends_on(disc_job: Job) -> None:
    asked = question(disc_job)

    assert question(disc_job.with_recipe(colour={"clean": 0.1}, backing={"kind": "colour"})) == asked
    assert question(disc_job.with_photo_settings(mixing_found="light")) == asked, "it was found, not asked"
    assert question(disc_job.with_photo_settings(mixing="light")) != asked
    assert question(disc_job.with_photo_settings(sheer_colours=("#aabbcc",))) != asked
    assert question(disc_job.with_recipe(solving={"sparsity": 0.5})) != asked
    assert (
        question(disc_job.with_planes(zones=disc_job.zones.write(disc_job.photo.bounds, disc_job.zones.read())))
        != asked
    )


def test_strengths_scale_the_solvers_weights() -> None:
    assert solve_settings(Solving()).terms == EdgeTerms()
    halved = solve_settings(Solving(sampled_colour=0.5, local_colour=0, denoising=0.25)).terms
    assert halved.sampled_colour == EdgeTerms().sampled_colour / 2
    assert halved.local_colour == 0
    assert halved.denoising == 0.25


def test_what_a_matte_depends_on_leaves_it_unsolved_and_what_it_does_not_does_not(disc_job: Job) -> None:
    from peel.job.edits.marking import Stroke, Zone, paint_zone  # the band that would have to be solved again
    from peel.job.rect import Rect

    job = paint_zone(
        paint_zone(disc_job, Stroke(((200, 150),), 60), Zone.SUBJECT), Stroke(((260, 150),), 30), Zone.UNSURE
    )
    job = edits.with_matte(job, job.photo.bounds, job.alpha(job.photo.bounds)).with_photo_settings(mixing_found="value")
    assert job.is_solved

    assert edits.set_value(job, "recipe.colour.clean", 0.5).is_solved
    assert edits.set_value(job, "photo.mixing", "value").is_solved, "it is solved that way already"
    assert not edits.set_value(job, "photo.mixing", "light").is_solved
    asked = edits.set_value(job, "recipe.solving.denoising", 0.0)
    assert asked.unsolved.read(Rect(150, 260, 151, 261)) == 1
    assert edits.set_value(job, "recipe.colour.clean", 1.0) is job


def test_a_name_that_is_not_known_is_refused_with_those_that_are() -> None:
    with pytest.raises(ValidationError, match="no format bmp; there are png, tiff"):
        Preset(name="One", product="matte", format="bmp")
    with pytest.raises(ValidationError, match=r"called beard; there are everywhere, hard.*stretch"):
        Separation(applies="beard")
    with pytest.raises(ValidationError, match=r"no snag fluff; there are pinhole.*gamut"):
        SettledSnag(sort="fluff", at=(1.0, 1.0))
