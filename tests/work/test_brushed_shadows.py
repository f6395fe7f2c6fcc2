"""Shadows that are painted and shaded by hand, and those that climb a wall, as they come out in the flat picture."""

import numpy as np
import pytest

from conftest import soft_disc
from peel.errors import MarkError
from peel.job.edits.shading import brush_shadow, keep_shadow, paint_shadow, release_shadows
from peel.job.edits.touching import SoftStroke
from peel.job.edits.values import set_value, use_zones, with_matte
from peel.job.job import Job, Photo, new_job
from peel.job.placing.cutouts import map_cutouts, moving
from peel.job.settings import ShadowStroke, SheetFrame
from peel.job.settings.shadow import MOST_STROKE_POINTS
from peel.matte.composite.scene import own_lean, proposed_wall
from peel.matte.composite.shadow import Cast, Ground, cast_shadow
from peel.work.arranging.shadow_light import proposed_cast
from peel.work.delivering.products import flat_pixels
from peel.work.stages import Cache, Stages

ROOM = SheetFrame(right=200, bottom=100)
STROKE = SoftStroke(((330.0, 255.0), (520.0, 255.0)), 24, 0.5, 1.0)  # from the photo into the room beside it


@pytest.fixture
def sheet() -> Job:
    """A disc, solved, on white with room to its right and below."""
    photo, alpha, zones = soft_disc(300, 420, 90)
    made = Photo("disc.png", np.round(photo * 255).astype(np.uint8))
    job = with_matte(use_zones(new_job(made), zones), made.bounds, alpha).with_photo_settings(spill_found="none")
    job = set_value(set_value(job, "recipe.backing.kind", "colour"), "recipe.backing.colour", "#ffffff")
    return set_value(job, "recipe.frame", ROOM)


def _flat(job: Job) -> np.ndarray:
    return flat_pixels(job, Stages(job.photo, Cache(80_000_000)), 8).min(axis=2).astype(int)


def test_a_shadow_is_painted_across_the_photos_border(sheet: Job) -> None:
    plain, painted = _flat(sheet), _flat(paint_shadow(sheet, STROKE))
    along = painted[255, 350:510]
    assert along.max() < 160
    assert np.abs(np.diff(along)).max() <= 3  # nothing is seen of the border at 420
    assert (painted[:150] == plain[:150]).all()
    solid = sheet.alpha(sheet.photo.bounds) == 1
    assert (painted[:300, :420][solid] == plain[:300, :420][solid]).all()


def test_blur_strength_and_place_of_a_painted_shadow_are_changed_afterwards(sheet: Job) -> None:
    job = set_value(paint_shadow(sheet, STROKE), "recipe.shadow.painted.blur_px", 0)
    before = _flat(job)
    wider = _flat(set_value(job, "recipe.shadow.painted.blur_px", 20))
    assert wider[215, 440] < before[215, 440] - 3
    assert wider[255, 440] > before[255, 440]
    lower = _flat(set_value(job, "recipe.shadow.painted.strength", 0.25))
    assert 255 - lower[255, 440] == pytest.approx((255 - before[255, 440]) / 2, abs=3)
    moved = _flat(set_value(job, "recipe.shadow.painted.move", (40, 60)))
    assert np.abs(moved[260:380, 400:600] - before[200:320, 360:560]).max() <= 2
    off = _flat(set_value(job, "recipe.shadow.painted.on", False))
    assert (off == _flat(sheet)).all()


def test_painting_goes_with_the_subject_and_is_put_where_the_hand_is(sheet: Job) -> None:
    moved = map_cutouts(sheet, [0], moving(60, 0))
    painted = _flat(paint_shadow(moved, STROKE))
    assert painted[255, 400] < 160
    assert painted[255, 280] > 250
    back = _flat(map_cutouts(paint_shadow(moved, STROKE), [0], moving(-60, 0)))
    assert np.abs(back[200:, 200:500] - painted[200:, 260:560])[:, :60].max() <= 2


def test_what_was_painted_is_taken_off_and_released(sheet: Job) -> None:
    with pytest.raises(MarkError, match="No shadow is painted"):
        paint_shadow(sheet, STROKE, takes=True)
    job = paint_shadow(sheet, STROKE)
    rubbed = paint_shadow(job, SoftStroke(((470.0, 255.0),), 60, 0.2), takes=True)
    assert _flat(rubbed)[255, 470] > 250
    assert _flat(rubbed)[255, 360] < 160
    assert (_flat(release_shadows(rubbed)) == _flat(sheet)).all()


def test_a_stroke_that_a_broken_pen_sends_can_be_kept_and_one_far_away_is_refused(sheet: Job) -> None:
    for at in (float("nan"), float("inf"), 1e7):
        with pytest.raises(MarkError, match="far away"):
            paint_shadow(sheet, SoftStroke(((at, 255.0), (420.0, 255.0)), 24))
    along = tuple((float(x), 255.0 + x % 2 * 60) for x in range(0, 60_000, 5))
    pens = tuple(float("nan") if number % 3 else 4.0 for number in range(len(along)))
    (stroke,) = paint_shadow(sheet, SoftStroke(along, 24, pressures=pens)).settings.photo.shadow_painted
    assert len(stroke.points) <= MOST_STROKE_POINTS
    assert set(stroke.pressures) == {1.0}
    assert ShadowStroke.model_validate_json(stroke.model_dump_json()) == stroke


def test_many_strokes_come_out_as_one_after_the_other(sheet: Job) -> None:
    job, stages = sheet, Stages(sheet.photo, Cache(80_000_000))
    for number in range(21):  # seen after each, as a hand does; drawn from what was kept
        spot = SoftStroke(((300.0 + 14 * number, 255.0 + 3 * number),), 12, 0.4, 0.5)
        job = paint_shadow(job, spot, takes=number % 5 == 4)
        last = flat_pixels(job, stages, 8)
    assert (last.min(axis=2).astype(int) == _flat(job)).all()


def test_shading_reaches_beyond_the_photo_and_says_when_there_is_nothing_to_shade(sheet: Job) -> None:
    with pytest.raises(MarkError, match="no shadow yet"):
        brush_shadow(sheet, STROKE, stronger=True)
    cast = {"on": True, "towards_deg": 10, "light_deg": 20, "soft_px": 8, "strength": 0.4}
    job = set_value(sheet, "recipe.shadow.cast", cast)
    plain = _flat(job)
    assert plain[250:300, 470].min() < 200
    weaker = _flat(brush_shadow(job, SoftStroke(((420.0, 270.0), (500.0, 285.0)), 60, 0.0), stronger=False))
    assert weaker[250:300, 470].min() > 250
    stronger = _flat(brush_shadow(job, SoftStroke(((420.0, 270.0), (500.0, 285.0)), 60, 0.0), stronger=True))
    assert stronger[250:300, 470].min() < plain[250:300, 470].min() - 20
    with pytest.raises(MarkError, match="beyond its border"):
        keep_shadow(sheet, SoftStroke(((520.0, 260.0),), 10))


def test_the_photos_own_shadow_fades_out_beyond_its_border() -> None:
    photo, alpha, zones = soft_disc(300, 420, 90)
    dark = 0.5 * np.exp(-(((np.arange(300)[:, None] - 250) / 20) ** 2)) * np.ones((1, 420))
    shown = np.where(alpha[..., None] > 0, photo, 0.8 * (1 - dark[..., None]))
    made = Photo("disc.png", np.round(np.clip(shown, 0, 1) * 255).astype(np.uint8))
    job = with_matte(use_zones(new_job(made), zones), made.bounds, alpha).with_photo_settings(spill_found="none")
    job = set_value(set_value(job, "recipe.backing.kind", "colour"), "recipe.backing.colour", "#ffffff")
    flat = _flat(set_value(set_value(job, "recipe.frame", ROOM), "recipe.shadow.kept.on", True))
    assert flat[250, 410] < 200
    assert np.abs(np.diff(flat[250, 400:])).max() < 8
    assert flat[250, 600] > 250


def test_a_cast_shadow_has_no_hard_line_at_its_foot(sheet: Job) -> None:
    cast = {"on": True, "towards_deg": -20, "light_deg": 45, "soft_px": 30, "foot": 0.4, "strength": 0.8}
    flat = _flat(set_value(sheet, "recipe.shadow.cast", cast))
    sharp = _flat(set_value(sheet, "recipe.shadow.cast", {**cast, "foot": 0.0}))
    column = slice(225, 300)
    assert np.abs(np.diff(flat[column, 240])).max() < 0.5 * np.abs(np.diff(sharp[column, 240])).max()


def test_on_a_wall_a_shadow_stands_upright_where_the_light_meets_it() -> None:
    alpha = np.zeros((200, 300), np.float32)
    alpha[50:150, 100:110] = 1  # a post of 100 px
    ground = Ground((105, 150))
    lean = (0.8, -0.4)  # floor: 0.4 up the picture for each pixel of height
    made = cast_shadow(alpha, ground, Cast(lean, soft_px=0.8, foot_px=0.8, fade=0, wall=20))
    # rays from 50 px of the post meet the bend, 20 px above the line and 40 to the right; the rest of it stands there
    floor, wall = made[135, 100:160], made[100, 100:260]
    assert np.flatnonzero(floor > 0.5).mean() == pytest.approx(105 + 0.8 * 15 / 0.4 - 100, abs=2)
    assert np.flatnonzero(wall > 0.5).mean() == pytest.approx(145 - 100, abs=1.5)
    top = np.flatnonzero(made[:, 145] > 0.5).min()
    assert top == pytest.approx(150 - 20 - 50, abs=2)
    flat_on = cast_shadow(alpha, ground, Cast(lean, soft_px=0.8, foot_px=0.8, fade=0))
    assert flat_on[100].max() < 0.1  # without the wall it all lies on the floor


def _stage(shadow_at: float = 0.0) -> tuple[np.ndarray, np.ndarray]:
    """Draw a disc before a wall that meets the floor 60 px above its foot, and its shadow if asked for."""
    photo, alpha, _ = soft_disc(300, 420, 60)
    behind = np.full((300, 420, 3), 0.75, np.float32)
    behind[150:] = (0.6, 0.55, 0.5)
    if shadow_at:
        y, x = np.mgrid[:300, :420]
        behind *= 1 - 0.5 * np.exp(-(((x - 210 - shadow_at) / 40) ** 2) - ((y - 205) / 12) ** 2)[..., None]
    return (alpha[..., None] * photo + (1 - alpha[..., None]) * behind).astype(np.float32), alpha


def test_where_floor_and_wall_meet_is_seen_in_the_photo() -> None:
    photo, alpha = _stage()
    found = proposed_wall(photo, alpha, Ground((210, 210)))
    assert found == pytest.approx(60, abs=2)
    assert proposed_wall(np.full_like(photo, 0.7), alpha, Ground((210, 210))) is None


def test_where_there_is_no_shadow_none_is_read_into_an_uneven_backdrop() -> None:
    photo, alpha = _stage()
    ground = Ground((210, 210))
    assert own_lean(photo, alpha, ground, proposed_wall(photo, alpha, ground)) is None
    busy = photo * (0.6 + 0.4 * np.random.default_rng(1).random((300, 420, 1)).astype(np.float32))
    assert own_lean(busy, alpha, ground) is None


@pytest.mark.parametrize("side", [-70, 70])
def test_light_and_wall_are_proposed_by_the_photos_own_shadow(side: int) -> None:
    photo, alpha = _stage(side)
    ground = Ground((210, 210))
    lean = own_lean(photo, alpha, ground, proposed_wall(photo, alpha, ground))
    assert lean is not None
    assert np.sign(lean[0]) == np.sign(side)
    made = Photo("stage.png", np.round(photo * 255).astype(np.uint8))
    zones = np.where(alpha >= 1, 255, np.where(alpha > 0, 128, 0)).astype(np.uint8)
    job = with_matte(use_zones(new_job(made), zones), made.bounds, alpha).with_photo_settings(spill_found="none")
    proposed = proposed_cast(Stages(made, Cache(80_000_000)), job)
    cast = proposed.settings.recipe.shadow.cast
    assert cast.on
    assert cast.on_wall
    assert proposed.settings.photo.wall_px == pytest.approx(60, abs=4)
    assert np.sign(np.cos(np.deg2rad(cast.towards_deg))) == np.sign(side)
