import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from peel.job.edits.marking import Stroke, paint_kind
from peel.job.edits.values import unsolve, use_zones
from peel.job.job import Job, Photo, new_job
from peel.job.settings import MOST_SHEER_COLOURS, rgb_from_hex
from peel.matte.edge.kind import Kind
from peel.matte.srgb import to_encoded, to_linear
from peel.work.solving.sheer import add_sheer
from peel.work.solving.solve import solve_job

pytestmark = pytest.mark.slow

OWN = np.array([0.8, 0.7, 0.9])


def _veil(covers: float = 0.5, mixing: str = "value") -> tuple[Job, np.ndarray]:
    """Draw cloth that covers as much as is said in the middle and less at its rim, beside a solid body."""
    down, across = np.mgrid[:160, :220]
    wall = np.array([0.3, 0.22, 0.15]) * (1 + 0.4 * down / 160)[..., None]
    truth = covers * np.clip((70 - np.hypot(down - 80, across - 120)) / 30, 0, 1)
    truth[:, :20] = 1
    subject = np.where((across < 20)[..., None], (0.2, 0.3, 0.6), OWN)
    into, back = (to_linear, to_encoded) if mixing == "light" else (np.asarray, np.asarray)
    mixed = into(subject) * truth[..., None] + into(wall) * (1 - truth[..., None])
    photo = back(mixed) + np.random.default_rng(2).normal(0, 0.004, (160, 220, 3))
    zones = np.full(truth.shape, 128, np.uint8)
    zones[:, :16], zones[np.hypot(down - 80, across - 120) > 85] = 255, 0
    zones[:, :26][zones[:, :26] == 0] = 128
    zones[:, :16] = 255
    job = new_job(Photo("veil.png", np.round(np.clip(photo, 0, 1) * 255).astype(np.uint8)))
    return use_zones(job.with_photo_settings(mixing=mixing), zones), truth


def _picked(job: Job) -> np.ndarray:
    return np.array(rgb_from_hex(job.settings.photo.sheer_colours[-1]))


@pytest.mark.parametrize("mixing", ["value", "light"])
@pytest.mark.parametrize("covers", [0.3, 0.6, 1.0])
def test_its_own_colour_is_found_from_a_spot_that_the_backdrop_shows_through(covers: float, mixing: str) -> None:
    job, _ = _veil(covers, mixing)

    assert _picked(add_sheer(job, (120.5, 80.5), covers)) == pytest.approx(OWN, abs=0.06)


def test_cloth_comes_out_as_solid_as_was_said() -> None:
    job, truth = _veil(0.5)
    cloth = np.s_[40:120, 80:160]

    alone = solve_job(job)[0].alpha(job.photo.bounds)
    told = solve_job(add_sheer(job, (120.5, 80.5), 0.5))[0].alpha(job.photo.bounds)
    fainter = solve_job(add_sheer(job, (120.5, 80.5), 0.4))[0].alpha(job.photo.bounds)

    assert np.abs(told - truth)[cloth].mean() < min(0.03, 0.7 * np.abs(alone - truth)[cloth].mean())
    assert fainter[cloth].mean() < told[cloth].mean()


@given(x=st.floats(-50, 300), y=st.floats(-50, 300), solid=st.floats(0.1, 1))
def test_any_spot_gives_a_colour_or_nothing(x: float, y: float, solid: float) -> None:
    job, _ = _veil()

    after = add_sheer(job, (x, y), solid)

    inside = 0 <= np.floor(x) < 220 and 0 <= np.floor(y) < 160
    assert len(after.settings.photo.sheer_colours) == 1 or not inside


def test_without_any_backdrop_the_spot_itself_is_taken() -> None:
    photo = np.full((40, 50, 3), (200, 180, 160), np.uint8)
    job = use_zones(new_job(Photo("plain.png", photo)), np.full((40, 50), 128, np.uint8))

    assert add_sheer(job, (20, 20), 0.5).settings.photo.sheer_colours == ("#c8b4a0",)


def test_a_colour_given_twice_counts_once_and_no_more_are_kept_than_allowed() -> None:
    job, _ = _veil()
    once = add_sheer(job, (120.5, 80.5), 0.5)

    assert add_sheer(once, (120.5, 80.5), 0.5).settings.photo.sheer_colours == once.settings.photo.sheer_colours
    many = job
    for percent in range(10, 100, 5):
        many = add_sheer(many, (120.5, 80.5), percent / 100)
    assert len(many.settings.photo.sheer_colours) == MOST_SHEER_COLOURS


def test_cloth_that_peel_only_takes_for_sheer_is_solved_as_if_nothing_were_known_of_it() -> None:
    job = _veil()[0]
    whole = job.photo.bounds
    suggested = job.with_planes(
        suggested=job.suggested.write(whole, np.full((160, 220), Kind.SHEER, np.uint8)),
        confidence=job.confidence.write(whole, np.full((160, 220), 255, np.uint8)),
    ).with_recipe(band={"kinds": "suggested"})
    brushed = paint_kind(suggested, Stroke(((110, 80), (130, 80)), 40), Kind.SHEER)

    plain, taken, said = (
        solve_job(unsolve(j))[0].matte.read() for j in (job.with_recipe(band={"kinds": "none"}), suggested, brushed)
    )

    assert np.array_equal(plain, taken)
    assert not np.array_equal(plain, said)
