"""The sheet: gradients against plain NumPy, room around the photo, the subject's own box, aspects."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from conftest import soft_disc
from peel.job.edits.values import set_value, use_zones, with_matte
from peel.job.job import Job, Photo, new_job
from peel.job.placing.sheet import MOST_SIDE, sheet_of
from peel.job.rect import Rect
from peel.job.settings import Backing, Gradient, SheetFrame
from peel.matte.composite.gradient import gradient
from peel.work.delivering.products import flat_pixels
from peel.work.stages import Cache, Stages
from peel.work.views import View, render, space_of

STOPS = ({"at": 0, "colour": "#000000"}, {"at": 0.5, "colour": "#ff0000"}, {"at": 1, "colour": "#ffffff"})


@pytest.fixture
def solved() -> Job:
    photo, alpha, zones = soft_disc(300, 420, 90)
    made = Photo("disc.png", np.round(photo * 255).astype(np.uint8))
    job = with_matte(use_zones(new_job(made), zones), made.bounds, alpha)
    return job.with_photo_settings(spill_found="none")


def _stages(job: Job) -> Stages:
    return Stages(job.photo, Cache(50_000_000))


def _flat(job: Job) -> np.ndarray:
    return flat_pixels(job, _stages(job))


def test_a_straight_gradient_is_what_plain_interpolation_gives(solved: Job) -> None:
    own = {"start": (0.1, 0.2), "end": (0.9, 0.7), "stops": STOPS}
    job = set_value(solved, "recipe.backing", {"kind": "gradient", "gradient": own})

    flat = _flat(job)

    ys, xs = np.mgrid[:300, :420] + 0.5
    s, e = np.array([0.1 * 420, 0.2 * 300]), np.array([0.9 * 420, 0.7 * 300])
    place = ((xs - s[0]) * (e - s)[0] + (ys - s[1]) * (e - s)[1]) / ((e - s) ** 2).sum()
    truth = np.stack([np.interp(place, [0, 0.5, 1], part) for part in ((0, 255, 255), (0, 0, 255), (0, 0, 255))], -1)
    clear = solved.alpha(solved.photo.bounds) == 0
    assert np.abs(flat[clear].astype(float) - truth[clear]).max() <= 1.01
    assert np.array_equal(render(_stages(job), job, View.BACKING, job.photo.bounds, 0), flat)


def test_a_round_gradient_is_even_in_circles_and_windows_agree() -> None:
    ends, stops = ((50.0, 40.0), (90.0, 40.0)), [(0.0, (0.0, 0.0, 0.0)), (1.0, (1.0, 0.5, 0.25))]
    whole = gradient((0, 0, 80, 100), ends, stops, is_round=True)
    assert np.array_equal(gradient((20, 30, 60, 70), ends, stops, is_round=True), whole[20:60, 30:70])
    away = np.hypot(*(np.mgrid[:80, :100] + 0.5 - np.array([40.0, 50.0])[:, None, None]))
    ring = np.abs(away - 20) < 0.3
    assert np.ptp(whole[ring][:, 0]) < 0.03
    assert whole[away > 40][:, 0].min() > 0.995


def test_a_slow_gradient_has_no_bands_in_eight_bits() -> None:
    stops = [(0.0, (0.50, 0.5, 0.5)), (1.0, (0.52, 0.52, 0.52))]
    made = gradient((0, 0, 64, 1200), ((0.0, 0.0), (1200.0, 0.0)), stops)
    columns = np.round(made[..., 0] * 255).mean(axis=0)
    truth = np.linspace(0.50, 0.52, 1200) * 255
    smooth = np.convolve(columns, np.ones(16) / 16, "same")[16:-16]
    assert np.abs(smooth - truth[16:-16]).max() < 0.2  # bands would be off by half a step


def test_room_around_is_the_backing_exactly_and_no_line_shows(solved: Job) -> None:
    job = set_value(solved, "recipe.backing", Backing(kind="colour", colour="#336699"))
    plain = _flat(job)

    roomy = set_value(job, "recipe.frame", SheetFrame(top=30, right=20, bottom=10, left=40))
    flat = _flat(roomy)

    assert flat.shape == (340, 480, 3)
    assert np.array_equal(flat[30:330, 40:460], plain)
    outside = np.ones(flat.shape[:2], bool)
    outside[30:330, 40:460] = False
    assert (flat[outside] == (0x33, 0x66, 0x99)).all()
    sheet = sheet_of(roomy)
    assert sheet.to_photo(*sheet.from_photo(7.0, 9.0)) == (7.0, 9.0)
    assert (space_of(View.BACKING, roomy).height, space_of(View.MATTE, roomy).height) == (340, 300)


def test_a_sheet_around_the_subject_has_its_box_with_margins_and_an_aspect(solved: Job) -> None:
    tight = set_value(solved, "recipe.frame", SheetFrame(around="subject"))
    space = sheet_of(tight).space
    assert abs(space.height - 188) <= 2
    assert abs(space.width - 188) <= 2
    room = set_value(
        tight, "recipe.frame", SheetFrame(around="subject", unit="%", top=10, bottom=10, left=10, right=10)
    )
    assert abs(sheet_of(room).space.height - 188 * 1.2) <= 3
    wide = sheet_of(set_value(room, "recipe.frame.aspect", 16 / 9)).space
    assert wide.width / wide.height == pytest.approx(16 / 9, rel=0.01)
    unmarked = new_job(solved.photo).with_recipe(frame=SheetFrame(around="subject"))
    assert (sheet_of(unmarked).space.height, sheet_of(unmarked).space.width) == (300, 420)


@settings(max_examples=50)
@given(st.tuples(*[st.floats(-20_000, 20_000)] * 4), st.sampled_from(["px", "%"]), st.none() | st.floats(0.1, 10))
def test_no_frame_is_empty_or_too_large(margins: tuple, unit: str, aspect: float | None) -> None:
    job = new_job(Photo("a.png", np.zeros((30, 40, 3), np.uint8)))
    top, right, bottom, left = margins
    frame = SheetFrame(top=top, right=right, bottom=bottom, left=left, unit=unit, aspect=aspect)
    space = sheet_of(job.with_recipe(frame=frame)).space
    assert 1 <= space.height <= MOST_SIDE
    assert 1 <= space.width <= MOST_SIDE


def test_any_window_of_a_framed_gradient_equals_the_whole(solved: Job) -> None:
    job = set_value(solved, "recipe.backing", Backing(kind="gradient", gradient=Gradient(shape="round")))
    job = set_value(job, "recipe.frame", SheetFrame(top=-40, right=60, bottom=25, left=13))
    stages, rect = _stages(job), Rect(31, 77, 200, 301)
    whole = render(stages, job, View.BACKING, sheet_of(job).space.bounds(), 0)
    assert np.array_equal(render(_stages(job), job, View.BACKING, rect, 0), whole[rect.slices])


def test_gradients_that_make_no_sense_are_refused() -> None:
    with pytest.raises(ValidationError, match="order"):
        Gradient.model_validate({"stops": [{"at": 1, "colour": "#000000"}, {"at": 0, "colour": "#ffffff"}]})
    with pytest.raises(ValidationError):
        Gradient.model_validate({"stops": [{"at": 0, "colour": "#000000"}]})
