"""Arrangements against plain NumPy: cutouts placed, ordered, graded; backings, shadows, and what is kept in the job."""

import io
import json
import threading
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from pydantic import ValidationError

from conftest import png_asset, soft_disc
from peel.errors import MarkError, PhotoError, SolveError, UsageError
from peel.files.assets import decode_asset, read_asset, read_cutout
from peel.files.project import ProjectFile
from peel.files.recipes import read_recipe
from peel.job.assets import Asset
from peel.job.edits.shading import brush_shadow, keep_shadow_within, release_shadows
from peel.job.edits.touching import SoftStroke
from peel.job.edits.values import set_value, use_zones, with_matte
from peel.job.job import Job, Photo, new_job
from peel.job.placing.cutouts import (
    add_cutout,
    copy_cutouts,
    corners_of,
    drop_cutouts,
    map_cutouts,
    moving,
    numbers_of,
    reorder_cutouts,
    send_home,
    set_numbers,
    turning,
    with_cutout,
)
from peel.job.placing.sheet import sheet_of
from peel.job.rect import Rect
from peel.job.settings import Backing, Grade, PlacedCutout, SheetFrame
from peel.matte.composite.homography import homography
from peel.matte.inspect.measures import ciede2000
from peel.matte.srgb import to_encoded, to_lab, to_linear
from peel.work.arranging.matching import matched_job
from peel.work.arranging.picking import cutouts_at
from peel.work.arranging.placed_pictures import cutout_asset
from peel.work.delivering import products
from peel.work.delivering.products import Want, cutout_pixels, flat_pixels
from peel.work.session.session import Session
from peel.work.stages import Cache, Stages, pictures

MIDDLE = (210.0, 150.0)


@pytest.fixture
def solved() -> Job:
    photo, alpha, zones = soft_disc(300, 420, 90)
    made = Photo("disc.png", np.round(photo * 255).astype(np.uint8))
    job = with_matte(use_zones(new_job(made), zones), made.bounds, alpha)
    return job.with_photo_settings(spill_found="none")


def _stages(job: Job) -> Stages:
    return Stages(job.photo, Cache(80_000_000))


def _flat(job: Job, bits: int = 8) -> np.ndarray:
    return flat_pixels(job, _stages(job), bits)


def _kite() -> Asset:
    pixels = np.zeros((60, 40, 4), np.uint8)
    pixels[10:50, 8:32] = (20, 200, 40, 255)
    return png_asset(pixels)


def _on(job: Job, colour: str = "#336699") -> Job:
    return set_value(job, "recipe.backing", Backing(kind="colour", colour=colour))


def test_three_cutouts_in_perspective_together_are_what_plain_numpy_gives(solved: Job) -> None:
    job = copy_cutouts(_on(solved), [0])
    job = map_cutouts(job, [1], moving(-130, -60))
    job = add_cutout(job, _kite())
    lean = homography(((10, 4), (400, 30), (380, 290), (-8, 260)), 300, 420)
    job = map_cutouts(job, [0, 1, 2], lean)
    own = cutout_pixels(solved, _stages(solved), 16).astype(np.float64) / 65535
    kite = np.asarray(Image.open(io.BytesIO(_kite().content))).astype(np.float64) / 255
    expected = np.broadcast_to(np.array([0x33, 0x66, 0x99]) / 255, (300, 420, 3)).copy()
    for picture, cutout in zip((own, own, kite), job.settings.photo.cutouts, strict=True):
        matrix = homography(corners_of(job, cutout), *picture.shape[:2])
        large = np.array([[4.0, 0, 1.5], [0, 4, 1.5], [0, 0, 1]])  # sixteen samples a pixel, from pixel middles
        half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
        whole = large @ np.linalg.inv(half) @ matrix @ half
        premultiplied = np.dstack([picture[..., :3] * picture[..., 3:], picture[..., 3]])
        laid = cv2.warpPerspective(premultiplied, whole, (1680, 1200), flags=cv2.INTER_LINEAR)
        laid = laid.reshape(300, 4, 420, 4, 4).mean(axis=(1, 3))
        expected = laid[..., :3] + (1 - laid[..., 3:]) * expected
    difference = np.abs(_flat(job).astype(float) - expected * 255)
    assert difference.mean() < 0.25
    assert np.percentile(difference, 99.5) < 8


def test_the_hand_finds_what_is_seen_and_never_waits_for_a_picture(
    solved: Job, monkeypatch: pytest.MonkeyPatch
) -> None:
    job = add_cutout(solved, _kite())
    kite = corners_of(job, job.settings.photo.cutouts[1])
    (left, top), (right, bottom) = np.min(kite, axis=0), np.max(kite, axis=0)
    middle, clear = ((left + right) / 2, (top + bottom) / 2), (left + 2, top + 2)
    stages = _stages(job)
    decoded = threading.Event()

    def slowly(*arguments: Any) -> np.ndarray:
        assert decoded.wait(60)
        return decode_asset(*arguments)

    monkeypatch.setattr(pictures, "decode_asset", slowly)
    painting = threading.Thread(target=lambda: flat_pixels(job, stages, 8))
    painting.start()
    assert 1 in cutouts_at(job, stages, clear, 0.5)  # being decoded: its box counts
    decoded.set()
    painting.join()
    assert cutouts_at(job, stages, middle, 0.5)[0] == 1
    assert 1 not in cutouts_at(job, stages, clear, 0.5)
    assert cutouts_at(job, stages, (1.0, 1.0), 0.5) == ()


@settings(max_examples=20)
@given(st.floats(-170, 170), st.floats(0.3, 3), st.floats(0.3, 3), st.floats(-60, 60), st.booleans())
def test_there_and_back_is_exactly_where_it_was(
    turn: float, across: float, down: float, by: float, mirror: bool
) -> None:
    photo, alpha, zones = soft_disc(60, 80, 20)
    made = Photo("disc.png", np.round(photo * 255).astype(np.uint8))
    job = with_matte(use_zones(new_job(made), zones), made.bounds, alpha).with_photo_settings(spill_found="none")
    way = moving(by, -by) @ turning((40, 30), turn, -across if mirror else across, down)
    away = map_cutouts(job, [0], way)
    back = map_cutouts(away, [0], np.linalg.inv(way))
    assert (
        np.abs(np.array(corners_of(back, back.settings.photo.cutouts[0])) - corners_of(job, PlacedCutout())).max()
        < 1e-6
    )
    assert np.array_equal(_flat(_on(back)), _flat(_on(job)))


def test_its_own_place_gives_todays_pixels_and_mirroring_twice_is_nothing(solved: Job) -> None:
    plain = _flat(_on(solved))
    box = ((0.0, 0.0), (420.0, 0.0), (420.0, 300.0), (0.0, 300.0))
    assert np.array_equal(_flat(_on(with_cutout(solved, 0, corners=box))), plain)
    once = set_numbers(_on(solved), 0, (200, 140), mirrored=True)
    assert not np.array_equal(_flat(once), plain)
    twice = set_numbers(once, 0, (200, 140), mirrored=False)
    assert np.array_equal(_flat(twice), plain)
    assert send_home(once, [0]).settings.photo.cutouts == (PlacedCutout(),)


def test_numbers_describe_a_place_and_set_it(solved: Job) -> None:
    job = set_numbers(solved, 0, MIDDLE, turn_deg=30.0, width=0.5, height=1.5, skew_deg=12.0, x=40.0, y=-7.0)
    found = numbers_of(job, job.settings.photo.cutouts[0])
    assert (found.turn_deg, found.width, found.height) == pytest.approx((30, 0.5, 1.5), abs=1e-6)
    assert (found.skew_deg, found.x, found.y, found.mirrored) == pytest.approx((12, 40, -7, False), abs=1e-6)


def test_folds_and_scales_of_nothing_are_refused(solved: Job) -> None:
    with pytest.raises(MarkError, match="smaller"):
        set_numbers(solved, 0, MIDDLE, width=0.0)
    with pytest.raises(MarkError, match="folded"):
        map_cutouts(solved, [0], np.array([[1.0, 0, 0], [0, 1, 0], [0.006, 0, -1]]))
    with pytest.raises(MarkError, match="folded"):
        map_cutouts(solved, [0], np.diag([1e-6, 1e-6, 1.0]))
    with pytest.raises(ValidationError, match="folded"):
        PlacedCutout(corners=((0, 0), (9, 9), (9, 0), (0, 9)))


def test_order_hiding_and_taking_away(solved: Job) -> None:
    job = add_cutout(_on(solved), _kite())
    top = _flat(job)[150, 210]
    assert tuple(top) == (20, 200, 40)
    job, number = reorder_cutouts(job, 1, "bottom")
    assert number == 0
    assert _flat(job)[150, 210][0] > 150
    assert np.array_equal(_flat(with_cutout(job, 0, hidden=True)), _flat(_on(solved)))
    gone = drop_cutouts(job, [1])
    assert tuple(_flat(gone)[150, 210]) == (20, 200, 40)
    assert (_flat(drop_cutouts(gone, [0])) == (0x33, 0x66, 0x99)).all()


def test_a_sheet_of_many_sizes_says_its_limit(solved: Job) -> None:
    roomy = set_value(_on(solved), "recipe.frame", SheetFrame(size=(1000, 800), centred=True))
    flat = _flat(roomy)
    assert flat.shape == (800, 1000, 3)
    orange = flat[..., 0].astype(int) - flat[..., 2] > 60
    rows, columns = np.nonzero(orange)
    assert abs((rows.min() + rows.max()) / 2 - 400) < 3
    assert abs((columns.min() + columns.max()) / 2 - 500) < 3
    with pytest.raises(ValidationError, match="30000"):
        SheetFrame(size=(100_000, 800))


def test_a_backing_photo_fills_fits_moves_mirrors_and_blurs(solved: Job) -> None:
    picture = np.zeros((100, 300, 3), np.uint8)
    picture[:, :150] = (220, 30, 30)
    picture[:, 150:] = (30, 30, 220)
    asset = png_asset(picture, "halves.png")
    job = drop_cutouts(solved, [0]).with_asset(asset)

    def flat(**own: object) -> np.ndarray:
        backing = {"kind": "photo", "colour": "#ffffff", "photo": {"picture": asset.digest, **own}}
        return _flat(set_value(job, "recipe.backing", backing))

    filled = flat()
    assert tuple(filled[150, 10]) == (220, 30, 30)
    assert tuple(filled[150, 400]) == (30, 30, 220)
    whole = flat(fit="whole")
    assert tuple(whole[5, 200]) == (255, 255, 255)
    assert tuple(whole[150, 30]) == (220, 30, 30)
    assert tuple(flat(mirrored=True)[150, 10]) == (30, 30, 220)
    assert tuple(flat(move=(0.3, 0.0))[150, 300]) == (220, 30, 30)
    soft = flat(blur_px=60)
    assert 90 < soft[150, 210, 0] < 160
    assert np.abs(np.diff(soft[150, :, 0].astype(int))).max() <= 4
    stages, sheet = (
        _stages(job),
        sheet_of(
            set_value(job, "recipe.backing", {"kind": "photo", "photo": {"picture": asset.digest, "blur_px": 60}})
        ),
    )
    part = stages.sheets.backings.window(sheet, Rect(90, 100, 200, 330), 0)
    assert np.abs(part * 255 - soft[90:200, 100:330]).max() < 4


def test_patterns_and_tiles_repeat_over_the_sheet(solved: Job) -> None:
    tile = np.zeros((20, 20, 4), np.uint8)
    tile[:, :10] = (255, 0, 0, 255)
    asset = png_asset(tile, "tile.png")
    job = drop_cutouts(solved, [0]).with_asset(asset)
    own = {"motif": "tile", "picture": asset.digest, "period_px": 40, "paper": "#00ff00"}
    flat = _flat(set_value(job, "recipe.backing", {"kind": "pattern", "pattern": own}))
    assert tuple(flat[100, 10]) == (255, 0, 0)
    assert tuple(flat[100, 30]) == (0, 255, 0)
    assert np.array_equal(flat[:, 40:80], flat[:, 80:120])
    stars = _flat(set_value(job, "recipe.backing", {"kind": "pattern"}))
    assert len(np.unique(stars.reshape(-1, 3), axis=0)) > 2


def test_one_press_brings_a_darker_warmer_backing_back_to_the_old_backdrop() -> None:
    photo, alpha, zones = soft_disc(300, 420, 90)
    ys, xs = np.mgrid[:300, :420]
    true = (photo * 0 + [0.45, 0.5, 0.55]) + 0.12 * np.sin(xs / 13 + ys / 29)[..., None]
    shown = alpha[..., None] * np.array([0.85, 0.5, 0.2]) + (1 - alpha[..., None]) * true
    made = Photo("disc.png", np.round(shown * 255).astype(np.uint8))
    job = with_matte(use_zones(new_job(made), zones), made.bounds, alpha).with_photo_settings(spill_found="none")
    shot = to_encoded((to_linear(true.astype(np.float32)) * np.array([0.62, 0.5, 0.36], np.float32)).astype(np.float32))
    asset = png_asset(np.round(shot * 255).astype(np.uint8), "wall.png")
    job = set_value(job.with_asset(asset), "recipe.backing", {"kind": "photo", "photo": {"picture": asset.digest}})
    stages = _stages(job)

    back = matched_job(stages, job, "backing to old backdrop")

    clear = alpha <= 0
    flat = _flat(back)[clear].astype(np.float32)[None] / 255
    off = ciede2000(to_lab(flat), to_lab(true[clear].astype(np.float32)[None]))
    before = ciede2000(
        to_lab(_flat(job)[clear].astype(np.float32)[None] / 255), to_lab(true[clear].astype(np.float32)[None])
    )
    assert before.mean() > 10
    assert off.mean() < 3
    half = set_value(back, "recipe.backing.grade.match.amount", 0.0)
    assert np.abs(_flat(half).astype(int) - _flat(job)).max() <= 1
    near = matched_job(stages, job, "subject to backing")
    assert near.settings.recipe.subject.match is not None
    assert near.settings.recipe.subject.match.to == "backing"
    with pytest.raises(MarkError, match="no backing"):
        matched_job(stages, set_value(job, "recipe.backing.kind", "nothing"), "backing to subject")


def test_each_grade_acts_on_its_target_alone(solved: Job) -> None:
    job = _on(solved)
    plain, warm = _flat(job), _flat(set_value(job, "recipe.subject", Grade(warmth=0.8)))
    clear = solved.alpha(solved.photo.bounds) == 0
    solid = solved.alpha(solved.photo.bounds) == 1
    assert np.array_equal(warm[clear], plain[clear])
    assert (warm[solid].astype(int)[:, 2] < plain[solid].astype(int)[:, 2]).all()
    backed = _flat(set_value(job, "recipe.backing.grade", Grade(exposure=1.0)))
    assert (backed[clear] > plain[clear]).all()
    assert np.array_equal(backed[solid], plain[solid])
    two = with_cutout(copy_cutouts(job, [0]), 1, grade=Grade(exposure=-2.0))
    two = map_cutouts(two, [1], moving(400, 0))
    assert np.array_equal(_flat(two)[:, :200], plain[:, :200])


def test_shadows_lie_under_the_subject_and_nowhere_else_changes(solved: Job) -> None:
    job = _on(solved, "#ffffff")
    plain = _flat(job)
    shadow = {"cast": {"on": True, "towards_deg": 20, "light_deg": 45, "soft_px": 6}, "contact": {"on": True}}
    shaded = _flat(set_value(job, "recipe.shadow", shadow))
    solid = solved.alpha(solved.photo.bounds) == 1
    assert np.array_equal(shaded[solid], plain[solid])
    assert (shaded <= plain).all()
    assert shaded[262, 320].max() < 180  # to the right of the foot and below
    assert (shaded[:100, :60] == 255).all()
    window = stages_window(set_value(job, "recipe.shadow", shadow), Rect(200, 250, 300, 420))
    assert np.abs(window * 255 - shaded[200:, 250:]).max() < 1.01
    roomy = set_value(set_value(job, "recipe.shadow", shadow), "recipe.frame", SheetFrame(right=200, bottom=80))
    assert (_flat(roomy)[:300, 420:].min(axis=2) < 250).any()  # it falls beyond the photo's frame
    away = SoftStroke(((320.0, 262.0),), 60, 0.0)
    brushed = brush_shadow(set_value(job, "recipe.shadow", shadow), away, stronger=False)
    assert _flat(brushed)[262, 320].min() > 245
    darker = brush_shadow(set_value(job, "recipe.shadow", shadow), away, stronger=True)
    assert _flat(darker)[262, 320].max() < shaded[262, 320].max()
    assert np.array_equal(_flat(release_shadows(brushed)), shaded)


@pytest.mark.parametrize("move", [(0, 0), (-160, 30)])
def test_a_shadow_is_the_same_whatever_room_there_is_to_see_it_in(solved: Job, move: tuple[int, int]) -> None:
    cast = {"on": True, "towards_deg": -15, "light_deg": 20, "soft_px": 30, "move": move}
    job = set_value(_on(solved, "#ffffff"), "recipe.shadow", {"cast": cast, "contact": {"on": True}})
    narrow, roomy = _flat(job), _flat(set_value(job, "recipe.frame", SheetFrame(right=900, bottom=300)))
    assert (roomy[:300, 420:] < 250).any()  # there is shadow beyond the photo
    assert np.abs(narrow.astype(int) - roomy[:300, :420]).max() <= 1


def test_a_small_pictures_shadow_is_the_same_when_it_is_moved_far(solved: Job) -> None:
    job = add_cutout(_on(solved, "#ffffff"), _kite())
    job = map_cutouts(drop_cutouts(job, [0]), [0], turning((210, 150), 0, 0.5, 0.5))
    cast = {"on": True, "towards_deg": 0, "light_deg": 50, "soft_px": 4, "move": (-190, 0)}
    job = set_value(job, "recipe.shadow", {"cast": cast})
    narrow, roomy = _flat(job), _flat(set_value(job, "recipe.frame", SheetFrame(right=900)))
    assert (narrow < 250).any(axis=2)[:, :60].any()  # it lies far to the left of what casts it
    assert np.abs(narrow.astype(int) - roomy[:, :420]).max() <= 1


def test_a_faint_wide_shadow_has_no_bands_in_eight_bits(solved: Job) -> None:
    cast = {"on": True, "towards_deg": 20, "light_deg": 45, "soft_px": 120, "strength": 0.06, "fade": 0.8}
    job = set_value(_on(solved, "#ffffff"), "recipe.shadow", {"cast": cast})
    window = Rect(200, 250, 300, 420)
    exact = stages_window(job, window)[..., 0] * 255
    rounded = _flat(job)[window.slices][..., 0]
    shaded = (exact < 254) & (solved.alpha(window) == 0)
    off = cv2.blur(rounded.astype(np.float32) - exact, (11, 11))[
        cv2.erode(shaded.astype(np.uint8), np.ones((15, 15))) > 0
    ]
    assert off.size > 800
    assert np.abs(off).max() < 0.15  # bands would be off by nearly half a step


def stages_window(job: Job, rect: Rect) -> np.ndarray:
    white = lambda part: np.ones((part.height, part.width, 3), np.float32)  # noqa: E731
    return _stages(job).sheet(sheet_of(job), rect, 0, white)


def test_a_shadow_is_kept_where_it_is_drawn() -> None:
    photo, alpha, zones = soft_disc(300, 420, 90)
    ys, xs = np.mgrid[:300, :420]
    dark = 0.5 * np.exp(-(((xs - 320) / 60) ** 2) - ((ys - 230) / 25) ** 2)
    shown = np.where(alpha[..., None] > 0, photo, 0.8) * (1 - np.where(alpha > 0, 0, dark))[..., None]
    made = Photo("disc.png", np.round(np.clip(shown, 0, 1) * 255).astype(np.uint8))
    job = with_matte(use_zones(new_job(made), zones), made.bounds, alpha).with_photo_settings(spill_found="none")
    kept = set_value(_on(job, "#ffffff"), "recipe.shadow.kept.on", True)
    clear = alpha <= 0
    off = _flat(kept)[clear].mean(axis=1) / 255 - (1 - dark[clear])
    assert np.abs(off).mean() < 0.02
    area = ((260.0, 200.0), (300.0, 200.0), (300.0, 280.0), (260.0, 280.0))
    drawn = _flat(keep_shadow_within(_on(job, "#ffffff"), area))
    assert drawn[240, 290].max() < 235
    assert drawn[235, 330].min() > 250


def test_light_wrap_reaches_inward_and_windows_agree(solved: Job) -> None:
    job = set_value(_on(solved, "#ffffff"), "recipe.wrap", {"amount": 0.8, "reach_px": 60})
    plain, wrapped = _flat(_on(solved, "#ffffff")), _flat(job)
    assert (wrapped >= plain.astype(int) - 1).all()
    assert wrapped[150, 210 - 80].sum() > plain[150, 210 - 80].sum() + 20
    part = stages_window(job, Rect(120, 100, 180, 200))
    assert np.abs(part * 255 - wrapped[120:180, 100:200]).max() < 4


def test_what_stands_on_the_sheet_is_in_the_job_and_opens_elsewhere(tmp_path: Path, solved: Job) -> None:
    Image.fromarray(np.asarray(solved.photo.pixels)).save(tmp_path / "disc.png")
    session = Session.begin(tmp_path / "disc.png", tmp_path / "a.peel")
    zones = soft_disc(300, 420, 90)[2]
    session.apply("Zones", lambda job: use_zones(job, zones))
    session.apply("Place", lambda job: add_cutout(_on(job), _kite()))
    session.wait_idle()
    wanted = _flat(session.job)
    session.close()
    (tmp_path / "elsewhere").mkdir()
    (tmp_path / "a.peel").rename(tmp_path / "elsewhere" / "b.peel")

    again = Session.resume(ProjectFile.open(tmp_path / "elsewhere" / "b.peel"))
    assert np.array_equal(_flat(again.job), wanted)
    placed = cutout_asset(tmp_path / "disc-cutout.png") if (tmp_path / "disc-cutout.png").exists() else None
    assert placed is None
    with pytest.raises(MarkError, match="open job itself"):
        cutout_asset(again.project.path, again.project.path)
    again.undo()
    again.apply("Other", lambda job: _on(job, "#000000"))
    again.wait_idle()
    again.close()
    last = Session.resume(ProjectFile.open(tmp_path / "elsewhere" / "b.peel"))
    assert last.job.assets == {}
    last.close()
    other = cutout_asset(tmp_path / "elsewhere" / "b.peel")
    assert (other.height, other.width) == (300, 420)
    fresh = Session.begin(tmp_path / "disc.png", tmp_path / "fresh.peel")
    fresh.close()
    with pytest.raises(SolveError, match="not solved"):
        cutout_asset(tmp_path / "fresh.peel")


def test_a_damaged_picture_in_the_job_loses_nothing_else(tmp_path: Path, solved: Job) -> None:
    broken = Asset("broken.png", b"no picture", 60, 40)
    job = add_cutout(_on(solved), broken)
    assert np.array_equal(_flat(job), _flat(_on(solved)))
    missing = set_value(job, "recipe.backing", {"kind": "photo", "colour": "#336699", "photo": {"picture": "0" * 32}})
    assert np.array_equal(_flat(missing), _flat(_on(solved)))


def test_pictures_that_are_no_cutouts_are_refused_in_a_sentence(tmp_path: Path) -> None:
    Image.fromarray(np.zeros((9, 9, 3), np.uint8)).save(tmp_path / "plain.png")
    with pytest.raises(PhotoError, match="no transparency"):
        read_cutout(tmp_path / "plain.png")
    (tmp_path / "cut.jpg").write_bytes(b"\xff\xd8\xff")
    with pytest.raises(PhotoError, match=r"cut.jpg"):
        read_asset(tmp_path / "cut.jpg")
    with pytest.raises(PhotoError):
        read_asset(tmp_path / "gone.png")
    deep = np.full((8, 8, 4), 40_000, np.uint16)
    deep[..., 3] = 20_000
    import imagecodecs

    (tmp_path / "deep.png").write_bytes(imagecodecs.png_encode(deep))
    assert (read_cutout(tmp_path / "deep.png").height, read_asset(tmp_path / "plain.png").width) == (8, 9)


def test_a_recipe_names_its_pictures_by_file(tmp_path: Path, solved: Job) -> None:
    Image.fromarray(np.full((20, 30, 3), (10, 200, 90), np.uint8)).save(tmp_path / "wall.png")
    recipe = tmp_path / "recipe.json"
    recipe.write_text(
        json.dumps({"backing": {"kind": "photo", "photo": {"file": "wall.png"}}, "shadow": {"contact": {"on": True}}})
    )
    read = read_recipe(recipe)
    job = solved.with_recipe(**dict(read.recipe)).with_asset(read.assets[0])
    assert tuple(_flat(job)[5, 5]) == (10, 200, 90)
    recipe.write_text(json.dumps({"backing": {"photo": {"file": "gone.png"}}}))
    with pytest.raises(PhotoError, match=r"gone.png"):
        read_recipe(recipe)
    recipe.write_text(json.dumps({"frame": {"size": [100_000, 10]}}))
    with pytest.raises(UsageError, match="30000"):
        read_recipe(recipe)


def test_products_do_not_depend_on_how_strips_are_split(solved: Job, monkeypatch: pytest.MonkeyPatch) -> None:
    job = _on(solved, "#446688")
    job = set_value(job, "recipe.shadow", {"cast": {"on": True}, "contact": {"on": True}})
    job = set_value(job, "recipe.wrap.amount", 0.6)
    job = map_cutouts(copy_cutouts(job, [0]), [1], turning((200, 150), 12))
    wants = [Want("cutout"), Want("matte", 16), Want("flat"), Want("shadow"), Want("cutout", framed=True)]
    whole = products.products(job, _stages(job), wants)
    monkeypatch.setattr(products, "_PIECE", 1)
    for want, one, other in zip(wants, whole, products.products(job, _stages(job), wants), strict=True):
        if want.on_sheet:
            assert np.abs(one.astype(int) - other).max() <= 1, want  # warps and blurs look at a window's surroundings
        else:
            assert np.array_equal(one, other), want
