"""What controls know of numbers: bounds, defaults and units come from the settings, and the window repeats none."""

import math

import pytest
from pydantic import ValidationError

from peel.job.settings import EdgeColour, Finish, JobSettings, Separation, with_value
from peel.job.settings.bounds import bounds_in, bounds_of

PATHS = (
    "recipe.band.margin_px",
    "recipe.band.trust",
    "recipe.finish.everywhere.pull_px",
    "recipe.colour.spill.give_back",
    "recipe.shadow.cast.light_deg",
    "recipe.inspection.haze.least_px",
    "recipe.delivery.flat_quality",
    "recipe.frame.left",
)


@pytest.mark.parametrize("path", PATHS)
def test_the_bounds_are_those_that_the_settings_keep(path: str) -> None:
    bounds, settings = bounds_of(path), JobSettings()

    for value in (bounds.low, bounds.high, bounds.default):
        with_value(settings, path, int(value) if bounds.is_whole else value)
    for value in (bounds.low - 1, bounds.high + 1):
        with pytest.raises(ValidationError):
            with_value(settings, path, value)


def test_the_default_is_that_of_the_place_and_not_of_the_model() -> None:
    assert bounds_of("recipe.inspection.residue.least_px").default == 120
    assert bounds_of("recipe.inspection.speck.least_px").default == 3


def test_numbers_that_may_be_missing_have_bounds_too() -> None:
    assert (bounds_in(Separation, "low").low, bounds_in(Separation, "strength").high) == (-8, 100)


def test_every_amount_of_edges_is_bounded_on_both_sides() -> None:
    for model in (Finish, EdgeColour):
        for part in model.model_fields:
            bounds = bounds_in(model, part)
            assert math.isfinite(bounds.low)
            assert math.isfinite(bounds.high)


def test_what_is_no_number_of_the_settings_is_said() -> None:
    with pytest.raises((AttributeError, KeyError)):
        bounds_of("recipe.band.nothing")
