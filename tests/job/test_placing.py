"""Places on the sheet as numbers: frames, corners, the ground that a subject stands on."""

from typing import Any

import numpy as np
import pytest

from conftest import png_asset
from peel.errors import MarkError
from peel.job.edits.values import set_value, with_matte
from peel.job.job import Job, Photo, new_job
from peel.job.placing import standing
from peel.job.placing.cutouts import (
    add_cutout,
    copy_cutouts,
    corners_of,
    drop_cutouts,
    map_cutouts,
    matrix_of,
    moving,
    numbers_of,
    put_cutouts,
    reorder_cutouts,
    send_home,
    set_numbers,
    turning,
    with_cutout,
)
from peel.job.placing.sheet import MOST_SIDE, Placement, sheet_of, subject_box
from peel.job.settings import MOST_CUTOUTS, Grade, PlacedCutout, is_placeable

BOX = (40, 70, 240, 170)  # top, left, bottom, right of the subject


@pytest.fixture
def job() -> Job:
    """A photo of 300 x 400, over two rows and columns of tiles, with a subject in a box."""
    bare = new_job(Photo("made-up.png", np.zeros((300, 400, 3), np.uint8)))
    alpha = np.zeros((300, 400), np.float32)
    alpha[BOX[0] : BOX[2], BOX[1] : BOX[3]] = 1
    return with_matte(bare, bare.photo.bounds, alpha)


def _sheet(job: Job, **frame: Any) -> tuple[int, int, int, int]:
    """Return the photo's place on the sheet and the sheet's size."""
    sheet = sheet_of(job.with_recipe(frame=frame))
    return sheet.top, sheet.left, sheet.space.height, sheet.space.width


@pytest.mark.parametrize(
    ("frame", "expected"),
    [
        ({}, (0, 0, 300, 400)),
        ({"top": 10, "right": 20, "bottom": 30, "left": 40}, (10, 40, 340, 460)),
        ({"top": -10, "left": -15}, (-10, -15, 290, 385)),
        ({"around": "subject"}, (-40, -70, 200, 100)),
        ({"around": "subject", "unit": "%", "top": 10, "left": 5}, (-20, -60, 220, 110)),
        ({"unit": "%", "right": 10}, (0, 0, 300, 440)),
        ({"aspect": 2.0}, (0, 100, 300, 600)),
        ({"aspect": 1.0}, (50, 0, 400, 400)),
        ({"around": "subject", "aspect": 0.5}, (-40, -70, 200, 100)),
        ({"size": [500, 320]}, (10, 50, 320, 500)),
        ({"centred": True}, (10, 80, 300, 400)),
        ({"centred": True, "size": [100, 50]}, (-115, -70, 50, 100)),
        ({"around": "subject", "top": -150, "bottom": -150}, (-140, -70, 1, 100)),
        ({"right": 20_000, "left": 20_000}, (0, 20_000, 300, MOST_SIDE)),
    ],
)
def test_a_frame_is_this_sheet(job: Job, frame: dict[str, Any], expected: tuple[int, int, int, int]) -> None:
    assert _sheet(job, **frame) == expected


def test_points_of_the_photo_are_found_on_the_sheet_and_back(job: Job) -> None:
    sheet = sheet_of(job.with_recipe(frame={"top": 10, "left": 40}))

    assert sheet.from_photo(5.0, 6.0) == (45, 16)
    assert sheet.to_photo(45.0, 16.0) == (5, 6)
    assert sheet.cutouts[0].whole_move == (10, 40)
    assert sheet.cutouts[0].corners == ((40, 10), (440, 10), (440, 310), (40, 310))


@pytest.mark.parametrize(
    ("corners", "move"),
    [
        (((5, 7), (15, 7), (15, 27), (5, 27)), (7, 5)),
        (((-5, -7), (5, -7), (5, 13), (-5, 13)), (-7, -5)),
        (((5.00001, 7), (15.00001, 7), (15, 27), (5, 27)), (7, 5)),
        (((5.5, 7), (15.5, 7), (15.5, 27), (5.5, 27)), None),
        (((5, 7.5), (15, 7.5), (15, 27.5), (5, 27.5)), None),
        (((5, 7), (16, 7), (15, 27), (5, 27)), None),
        (((5, 7), (15, 7), (15, 27), (5, 26)), None),
        (((15, 7), (5, 7), (5, 27), (15, 27)), None),
    ],
)
def test_only_a_move_by_whole_pixels_is_one(job: Job, corners: Any, move: tuple[int, int] | None) -> None:
    assert Placement(job, None, (20, 10), corners, Grade(), True).whole_move == move


def test_hidden_cutouts_and_those_whose_picture_is_missing_are_left_out(job: Job) -> None:
    asset = png_asset(np.full((20, 30, 4), 255, np.uint8))
    two = add_cutout(job, asset)
    graded = with_cutout(set_value(two, "recipe.subject", {"exposure": 0.5}), 1, grade=Grade(warmth=0.2), casts=False)

    subject, kite = sheet_of(graded).cutouts
    assert (subject.asset, subject.size, subject.grade.exposure, subject.casts) == (None, (300, 400), 0.5, True)
    assert (kite.asset, kite.size, kite.grade, kite.casts) == (asset, (20, 30), Grade(warmth=0.2), False)
    assert sheet_of(two).cutouts[1].grade == Grade()
    assert len(sheet_of(with_cutout(two, 0, hidden=True)).cutouts) == 1
    lost = job.with_photo_settings(cutouts=(PlacedCutout(source="0" * len(asset.digest)), *job.settings.photo.cutouts))
    assert [placed.size for placed in sheet_of(lost).cutouts] == [(300, 400)]
    assert with_cutout(two, 2, hidden=True) is two
    assert with_cutout(two, -1, hidden=True) is two


def test_the_box_of_the_subject_is_around_all_that_is_not_clear(job: Job) -> None:
    faint = np.zeros((300, 400), np.float32)
    faint[10, 20], faint[299, 399] = 0.018, 0.022
    bare = new_job(job.photo)

    assert subject_box(job) == BOX
    assert subject_box(with_matte(bare, bare.photo.bounds, faint)) == (299, 399, 300, 400)
    assert subject_box(bare) == (0, 0, 300, 400)


def test_the_ground_is_a_hundredth_of_the_subject_above_its_foot_or_as_drawn(job: Job) -> None:
    drawn = job.with_photo_settings(ground=((10.0, 200.0), (110.0, 220.0)))

    assert standing.ground_line(job) == ((70, 238), (170, 238))
    assert standing.height_of(job) == 198
    assert standing.wall_of(job) == round(0.2 * 198)
    assert standing.ground_line(drawn) == ((10, 200), (110, 220))
    assert standing.middle_of(standing.ground_line(drawn)) == (60, 210)
    assert standing.direction_of(standing.ground_line(drawn)) == (100, 20)
    assert standing.direction_of(((5.0, 5.0), (5.0, 5.0))) == (1, 0)
    assert standing.height_of(drawn) == 170
    assert standing.height_of(job.with_photo_settings(ground=((0.0, 5.0), (1.0, 5.0)))) == 1
    assert standing.wall_of(drawn.with_photo_settings(wall_px=17)) == 17


@pytest.mark.parametrize(
    ("size", "corners"),
    [
        ((20, 30), ((185, 140), (215, 140), (215, 160), (185, 160))),  # its own size
        ((100, 480), ((80, 125), (320, 125), (320, 175), (80, 175))),  # as wide as fits
        ((360, 100), ((175, 60), (225, 60), (225, 240), (175, 240))),  # as high as fits
        ((1, 600), ((-400, 149), (800, 149), (800, 151), (-400, 151))),  # two pixels at least
    ],
)
def test_a_picture_is_put_into_the_middle_no_larger_than_fits(job: Job, size: tuple[int, int], corners: Any) -> None:
    placed = add_cutout(job, png_asset(np.full((*size, 4), 255, np.uint8)))

    assert np.allclose(corners_of(placed, placed.settings.photo.cutouts[1]), corners)


def test_places_are_moved_turned_and_scaled_about_a_point(job: Job) -> None:
    def corners(matrix: np.ndarray) -> np.ndarray:
        moved = map_cutouts(job, [0, 7], matrix)
        return np.round(corners_of(moved, moved.settings.photo.cutouts[0]), 6)

    assert corners(moving(3.0, -4.0)).tolist() == [[3, -4], [403, -4], [403, 296], [3, 296]]
    assert corners(turning((200.0, 150.0), 90.0)).tolist() == [[350, -50], [350, 350], [50, 350], [50, -50]]
    assert corners(turning((0.0, 0.0), 0.0, 0.5, 2.0)).tolist() == [[0, 0], [200, 0], [200, 600], [0, 600]]
    with pytest.raises(MarkError, match="folded"):
        corners(np.array([[1, 0, 0], [0, 1, 0], [-0.01, 0, 1.0]]))
    with pytest.raises(MarkError, match="folded"):
        put_cutouts(job, {0: [(0, 0), (1.1e6, 0), (1.1e6, 300), (0, 300)]})
    with pytest.raises(MarkError, match="folded"):
        put_cutouts(job, {0: [(0, 0), (np.nan, 0), (400, 300), (0, 300)]})
    assert put_cutouts(job, {5: np.zeros((4, 2))}).settings == job.settings
    away = map_cutouts(job, [0], moving(3.0, 0.0))
    assert map_cutouts(away, [0], moving(-3.0, 0.0)).settings == job.settings
    assert send_home(away, [1]).settings == away.settings
    assert send_home(away, [0]).settings == job.settings
    assert np.allclose(matrix_of(away, away.settings.photo.cutouts[0]), moving(3.0, 0.0))


def test_numbers_are_read_from_corners(job: Job) -> None:
    def numbers(corners: Any) -> dict[str, Any]:
        own = numbers_of(job, PlacedCutout(corners=corners))
        return {name: round(value, 6) for name, value in vars(own).items()}

    plain = {"x": 0, "y": 0, "width": 1, "height": 1, "turn_deg": 0, "skew_deg": 0, "mirrored": False}
    assert numbers(None) == plain
    assert numbers(((10, 20), (410, 20), (410, 320), (10, 320))) == {**plain, "x": 10, "y": 20}
    assert numbers(((0, 0), (800, 0), (800, 150), (0, 150))) == {**plain, "x": 200, "y": -75, "width": 2, "height": 0.5}
    assert numbers(((400, 0), (0, 0), (0, 300), (400, 300))) == {**plain, "mirrored": True}
    assert numbers(((0, 0), (0, 400), (-300, 400), (-300, 0))) == {**plain, "x": -350, "y": 50, "turn_deg": 90}
    assert numbers(((0, 0), (400, 0), (700, 300), (300, 300))) == {**plain, "x": 150, "skew_deg": 45}


def test_numbers_are_set_about_a_pivot(job: Job) -> None:
    def corners(**changes: Any) -> list[list[float]]:
        placed = set_numbers(job, 0, (100.0, 0.0), **changes)
        return np.round(corners_of(placed, placed.settings.photo.cutouts[0]), 6).tolist()

    assert corners(width=2.0) == [[-100, 0], [700, 0], [700, 300], [-100, 300]]
    assert corners(x=7.0, y=-3.0) == [[7, -3], [407, -3], [407, 297], [7, 297]]
    assert corners(mirrored=True) == [[200, 0], [-200, 0], [-200, 300], [200, 300]]
    for refused in ({"height": 0.0}, {"width": 0.0}, {"skew_deg": 81.0}, {"skew_deg": -81.0}):
        with pytest.raises(MarkError, match="smaller than a few pixels"):
            set_numbers(job, 0, (0.0, 0.0), **refused)


@pytest.mark.parametrize(
    ("corners", "is_one"),
    [
        (((10, 10), (12, 10), (12, 12), (10, 12)), True),
        (((10, 10), (12, 10), (12, 11.9), (10, 11.9)), False),
        (((12, 10), (10, 10), (10, 12), (12, 12)), True),  # mirrored
        (((0, 0), (90, 0), (20, 20), (0, 90)), False),  # a dent
        (((0, 0), (90, 0), (90, 90), (45, 45)), False),  # a triangle
        (((0, 0), (90, 0), (0, 90), (90, 90)), False),  # a bow
        (((100, 50), (160, 70), (150, 130), (90, 90)), True),
    ],
)
def test_corners_make_a_place_if_they_are_convex_and_not_tiny(corners: Any, is_one: bool) -> None:
    assert is_placeable(corners) is is_one


def test_cutouts_are_copied_ordered_and_dropped(job: Job) -> None:
    named = with_cutout(add_cutout(job, png_asset(np.full((20, 30, 4), 255, np.uint8), "kite" * 70)), 0, name="she")
    copied = copy_cutouts(named, [0, 9])

    assert named.settings.photo.cutouts[1].name == ("kite" * 70)[:200]
    assert [own.source == "subject" for own in copied.settings.photo.cutouts] == [True, False, True]
    assert corners_of(copied, copied.settings.photo.cutouts[2])[0] == (48, 0)
    assert corners_of(copied, copied.settings.photo.cutouts[0])[0] == (0, 0)
    for way, order, number in (
        ("up", [1, 0, 2], 1),
        ("top", [1, 2, 0], 2),
        ("down", [0, 1, 2], 0),
        ("bottom", [0, 1, 2], 0),
    ):
        moved, to = reorder_cutouts(copied, 0, way)
        assert moved.settings.photo.cutouts == tuple(copied.settings.photo.cutouts[k] for k in order)
        assert to == number
    assert reorder_cutouts(copied, 2, "up")[1] == 2
    assert reorder_cutouts(copied, 2, "down")[1] == 1
    assert drop_cutouts(copied, [0, 2]).settings.photo.cutouts == (named.settings.photo.cutouts[1],)
    full = job.with_photo_settings(cutouts=(PlacedCutout(),) * (MOST_CUTOUTS - 1))
    more = copy_cutouts(full, [0])
    assert len(more.settings.photo.cutouts) == MOST_CUTOUTS
    for too_many in (lambda: copy_cutouts(more, [0]), lambda: copy_cutouts(full, [0, 1]),
                     lambda: add_cutout(more, png_asset(np.full((9, 9, 4), 255, np.uint8)))):  # fmt: skip
        with pytest.raises(MarkError, match="as many cutouts"):
            too_many()
