"""The stages of colour: their order, neutral ones, what never changes, and window by window the same."""

import cv2
import numpy as np
import pytest

from conftest import soft_disc
from peel.errors import MarkError
from peel.job.edge_targets import EdgeTarget
from peel.job.edits.colouring import (
    COLOUR_BRUSHES,
    add_tint,
    brush_original,
    brush_tint,
    brush_tone,
    change_tint,
    drop_tint,
    release_colours,
    without_colours,
)
from peel.job.edits.edge_values import COLOUR
from peel.job.edits.touching import SoftStroke
from peel.job.edits.values import set_value, use_zones, with_matte
from peel.job.job import Job, Photo, new_job
from peel.job.rect import Rect
from peel.job.settings import Colour, EdgeColour, Tint
from peel.work.delivering.products import cutout_pixels, flat_pixels
from peel.work.inspecting.colour_proposals import RimProposal, proposed_rim
from peel.work.inspecting.fringe import measure_fringe
from peel.work.stages import Cache, Stages
from peel.work.stages.chain import Chain
from peel.work.views import View, render

GREEN = np.float32([0.15, 0.65, 0.25])
STROKE = SoftStroke(((210.0, 60.0),), 20.0, softness=0.3)


@pytest.fixture
def cloth() -> Job:
    """A gray disc under the light of the green cloth it stands before, with its true matte."""
    _, alpha, zones = soft_disc(300, 420, 90)
    texture = np.random.default_rng(1).normal(0, 0.01, (300, 420, 1))
    subject = np.float32([0.5, 0.58, 0.52]) + texture
    photo = alpha[..., None] * subject + (1 - alpha[..., None]) * GREEN
    made = Photo("cloth.png", np.round(np.clip(photo, 0, 1) * 255).astype(np.uint8))
    job = with_matte(use_zones(new_job(made), zones), made.bounds, alpha)
    return job.with_photo_settings(spill_found="#26a640")


def _colours(job: Job, rect: Rect | None = None, level: int = 0) -> np.ndarray:
    return Stages(job.photo, Cache(50_000_000)).foreground(job, rect or job.photo.space.bounds(level), level)


def _everything(job: Job) -> Job:
    """Put every correction to use."""
    job = job.with_recipe(colour=Colour(clean=0.8, detail=0.5, rim_light=0.7, rim_tint=0.5, strand=EdgeColour(clean=0)))
    job = COLOUR.add_area(job, ((100.0, 100.0), (200.0, 100.0), (200.0, 200.0)), rim_light=0.2, rim_px=9.0)
    job = brush_tint(add_tint(job, Tint(saturation=0.4)), STROKE, 1)
    job = brush_tone(job, SoftStroke(((300.0, 150.0),), 20.0), lighter=False)
    return brush_original(job, SoftStroke(((120.0, 150.0),), 12.0))


def test_stages_stand_in_their_documented_order(cloth: Job) -> None:
    stages = Stages(cloth.photo, Cache(1_000_000))
    assert isinstance(stages.colours, Chain)
    assert [type(stage).__name__ for stage in stages.colours._stages] == [
        "Photographed", "Estimate", "Clean", "MeasuredRoots", "Rooted", "Despilled", "MeasuredRims", "Rims", "Toned", "Tinted", "Original",
    ]  # fmt: skip


def test_spill_goes_and_the_matte_stays(cloth: Job) -> None:
    stages = Stages(cloth.photo, Cache(50_000_000))
    bare = without_colours(cloth)
    inner = Rect(100, 160, 200, 260)

    def greenness(job: Job) -> float:
        colours = stages.foreground(job, inner, 0)
        return float((colours[..., 1] - colours[..., [0, 2]].mean(axis=2)).mean())

    assert greenness(bare) > 0.06
    assert greenness(cloth) < 0.6 * greenness(bare)
    all_of_it = cloth.with_recipe(colour={"spill_inside": 1.0, "spill": {"protect": 0.0}})
    assert greenness(all_of_it) < 0.2 * greenness(bare)
    shared = cloth.with_photo_settings(spill_shared=True)
    assert greenness(shared) == pytest.approx(greenness(bare))
    picked = set_value(shared, "recipe.colour.spill.hue", "#26a640")
    assert greenness(picked) < 0.6 * greenness(bare)
    assert np.array_equal(stages.alpha(_everything(cloth), inner, 0), stages.alpha(cloth, inner, 0))


def test_strength_nought_is_the_photo_to_the_bit(cloth: Job) -> None:
    stages, bare = Stages(cloth.photo, Cache(50_000_000)), without_colours(cloth)
    cutout = cutout_pixels(bare, stages, 8)
    solid = cutout[..., 3] == 255
    assert np.array_equal(cutout[..., :3][solid], cloth.photo.pixels[solid])
    half = (cutout[..., 3] > 0) & ~solid
    assert np.array_equal(cutout[..., :3][half], cloth.photo.pixels[half])


def test_any_window_equals_the_whole_and_shown_equals_delivered(cloth: Job) -> None:
    job = set_value(_everything(cloth), "recipe.backing", {"kind": "colour", "colour": "#336699"})
    rect = Rect(70, 90, 261, 333)
    assert np.allclose(_colours(job, rect), _colours(job)[rect.slices], atol=2e-5)
    stages = Stages(job.photo, Cache(50_000_000))
    assert np.array_equal(render(stages, job, View.BACKING, job.photo.bounds, 0), flat_pixels(job, stages))
    for view in (View.RECOLOURED, View.RIMS):
        assert render(stages, job, view, rect, 0).shape == (rect.height, rect.width, 3)


def test_original_restores_exactly_and_taking_back_restores_what_was(cloth: Job) -> None:
    before = _colours(cloth)
    hard = SoftStroke(((210.0, 60.0),), 30.0, softness=0.0)
    photo = cloth.photo.colours(Rect(55, 200, 65, 220))
    assert np.array_equal(_colours(brush_original(cloth, hard))[55:65, 200:220], photo)

    brushed = brush_tone(brush_tint(add_tint(cloth, Tint()), STROKE, 1), STROKE, lighter=True)
    wide = SoftStroke(((210.0, 60.0),), 60.0, softness=0.0)
    assert not np.allclose(_colours(brushed), before)
    assert np.array_equal(_colours(release_colours(brushed, wide)), before)


def test_strokes_of_one_sort_do_not_pile_up_and_a_stroke_with_nothing_to_go_by_is_refused(cloth: Job) -> None:
    once = brush_tone(cloth, STROKE, lighter=False)
    thrice = brush_tone(brush_tone(once, STROKE, lighter=False), STROKE, lighter=False)
    assert once.toning.read().min() < 128
    assert np.array_equal(once.toning.read(), thrice.toning.read())
    half = SoftStroke(STROKE.points, STROKE.radius_px, STROKE.softness, 0.5)
    assert np.array_equal(brush_tone(once, half, lighter=False).toning.read(), once.toning.read())

    with pytest.raises(MarkError):
        brush_tone(cloth, SoftStroke(((5.0, 5.0),), 3.0), lighter=True)


def test_a_tint_can_be_changed_taken_and_dropped(cloth: Job) -> None:
    job = brush_tint(add_tint(add_tint(cloth, Tint(hue_deg=0)), Tint(hue_deg=180)), STROKE, 2)
    assert set(np.unique(job.patch.read())) == {0, 2}
    more = change_tint(job, 2, amount=0.0)
    assert np.allclose(_colours(more), _colours(cloth), atol=2e-3)
    gone = drop_tint(job, 1)
    assert set(np.unique(gone.patch.read())) == {0, 1}
    assert np.allclose(_colours(gone), _colours(job))
    wide = SoftStroke(((210.0, 60.0),), 60.0, softness=0.0)
    taken = brush_tint(job, wide, 2, takes=True)
    assert not taken.patch_weight.read().any()
    assert brush_tint(job, STROKE, 7) is job
    outside = SoftStroke(((5.0, 5.0),), 4.0)
    assert np.allclose(_colours(brush_tint(add_tint(cloth, Tint()), outside, 1)), _colours(cloth))


def test_a_rim_drawn_in_is_measured_proposed_and_mostly_gone(cloth: Job) -> None:
    away = 90 - np.hypot(*(np.mgrid[:300, :420] - np.array([150.0, 210.0])[:, None, None]))
    dark = 1 - 0.4 * np.clip(1 - away / 7, 0, 1)[..., None] * (cloth.alpha(cloth.photo.bounds)[..., None] > 0.05)
    pixels = np.round(cloth.photo.pixels * dark).astype(np.uint8)
    rimmed = Job(Photo("rim.png", pixels), cloth.planes, cloth.settings.model_copy())
    rimmed = rimmed.with_recipe(colour=Colour(spill_edge=0, spill_inside=0))
    stages = Stages(rimmed.photo, Cache(50_000_000))
    before = measure_fringe(stages, rimmed)
    assert before is not None
    assert set(before.figures) == {"white", "black", "grey", "backing"}
    assert before.rim.is_light
    assert before.rim.lighter < -0.03

    proposed = proposed_rim(stages, rimmed)
    after = measure_fringe(stages, proposed.coloured(rimmed, EdgeTarget()))

    assert proposed.colour["rim_light"] > 0.5
    assert proposed.pull_px == 0
    assert after is not None
    assert abs(after.rim.lighter) < 0.5 * abs(before.rim.lighter)
    assert after.figures["white"] < before.figures["white"]


def test_an_edge_that_lies_too_far_out_is_told_from_a_rim(cloth: Job) -> None:
    right = cloth.alpha(cloth.photo.bounds)
    wide = cv2.dilate(right, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (9, 9)))
    job = with_matte(cloth, cloth.photo.bounds, wide).with_recipe(colour=Colour(roots=0, spill_edge=0))
    stages = Stages(job.photo, Cache(50_000_000))

    found = proposed_rim(stages, job)

    assert 2 <= found.pull_px <= 6
    pulled = found.pulled(job)
    assert proposed_rim(stages, pulled).pull_px == 0
    errors = [np.abs(stages.alpha(one, one.photo.bounds, 0) - right).mean() for one in (job, pulled)]
    assert errors[1] < 0.5 * errors[0]


@pytest.mark.parametrize("shape", ["stripes", "ball"])
def test_shading_of_the_subjects_own_is_no_rim(cloth: Job, shape: str) -> None:
    rows, columns = np.mgrid[:300, :420]
    turn, away = np.arctan2(rows - 150, columns - 210), np.hypot(rows - 150, columns - 210)
    light = 0.75 + 0.25 * np.sin(turn * 5) if shape == "stripes" else 1 - 0.5 * np.clip(away / 94, 0, 1) ** 2
    behind = (1 - cloth.alpha(cloth.photo.bounds))[..., None] * GREEN * 255
    shaded = (cloth.photo.pixels - behind) * light[..., None] + behind
    job = Job(
        Photo("shaded.png", np.round(np.clip(shaded, 0, 255)).astype(np.uint8)),
        cloth.planes,
        cloth.settings.model_copy(),
    )

    assert proposed_rim(Stages(job.photo, Cache(50_000_000)), job) == RimProposal()


def test_kinds_and_areas_have_amounts_of_their_own(cloth: Job) -> None:
    job = COLOUR.changed(cloth, EdgeTarget("hard"), {"clean": 0.2})
    assert COLOUR.of(job, EdgeTarget("hard")).clean == 0.2
    assert COLOUR.of(job, EdgeTarget("soft")).clean == 1.0
    assert COLOUR.changed(job, EdgeTarget("hard"), {"clean": 1.0}).settings.recipe.colour.hard is None
    area = ((150.0, 40.0), (280.0, 40.0), (280.0, 90.0), (150.0, 90.0))
    drawn = COLOUR.add_area(cloth, area, clean=0.0, spill_edge=0.0, spill_inside=0.0)
    photo = drawn.photo.colours(drawn.photo.bounds)
    assert np.allclose(_colours(drawn)[64, 200:220], photo[64, 200:220], atol=2e-3)
    assert np.allclose(_colours(drawn)[230:], _colours(cloth)[230:], atol=1e-6)
    assert COLOUR.drop_area(drawn, 0).settings.photo.colour_areas == ()


def test_gray_photos_and_mattes_without_an_inside_are_left_alone() -> None:
    photo = Photo("gray.png", np.full((80, 90, 3), 120, np.uint8))
    for value in (0.0, 0.4, 1.0):
        job = with_matte(new_job(photo), photo.bounds, np.full((80, 90), value, np.float32))
        job = job.with_recipe(colour=Colour(detail=1, rim_light=1, rim_tint=1))
        with pytest.raises(MarkError, match="near enough to go by its tone"):
            brush_tone(job, SoftStroke(((40.0, 40.0),), 200.0), lighter=True)
        assert np.abs(_colours(job) - 120 / 255).max() < 0.01
    assert measure_fringe(Stages(photo, Cache(1_000_000)), new_job(photo)) is None
    assert set(COLOUR_BRUSHES) == {"patch", "patch_weight", "toning", "original"}


def test_stamps_measure_nothing_as_the_window_asks_for_them(cloth: Job, monkeypatch: pytest.MonkeyPatch) -> None:
    job = brush_tint(add_tint(cloth, Tint()), STROKE, 1)
    stages = Stages(job.photo, Cache(50_000_000))
    monkeypatch.setattr(Chain, "_window", lambda *_arguments: pytest.fail("a stamp computed pixels"))
    first = stages.colours.stamp(job, Rect(40, 190, 80, 230), 0)
    assert first == stages.colours.stamp(job, Rect(40, 190, 80, 230), 0)
    assert first != stages.colours.stamp(change_tint(job, 1, amount=0.5), Rect(40, 190, 80, 230), 0)


def test_no_colour_of_the_old_backdrop_lies_under_clear_pixels(cloth: Job) -> None:
    job = set_value(cloth, "recipe.colour.outward_px", 48)
    cutout = cutout_pixels(job, _stages_of(job), 8).astype(int)
    under = (cutout[..., 3] == 0) & cutout[..., :3].any(axis=2)
    assert under.any()
    green = cutout[..., 1] - cutout[..., [0, 2]].mean(axis=2)
    assert green[under].max() < 60  # the cloth's own is 115


def _stages_of(job: Job) -> Stages:
    return Stages(job.photo, Cache(50_000_000))
