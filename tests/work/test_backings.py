"""Where a backing photo lies on a sheet, and what the small pictures of the board are."""

import base64
import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from conftest import png_asset, soft_disc
from peel.job.edits.values import set_value, use_matte
from peel.job.job import Job, Photo, new_job
from peel.job.settings import BackingPhoto
from peel.work.many.thumbs import job_thumb, photo_thumb
from peel.work.stages import Cache, Stages
from peel.work.stages.backings import covering_move, photo_corners

ASSET = png_asset(np.zeros((50, 200, 3), np.uint8), "wide.png")  # four times as wide as high
SIZE = (300, 600)  # height and width of the sheet


@pytest.mark.parametrize(
    ("own", "corners"),
    [
        ({}, (-300, 0, 900, 300)),  # as high as the sheet
        ({"fit": "whole"}, (0, 75, 600, 225)),  # as wide
        ({"fit": "whole", "scale": 0.5}, (150, 112.5, 450, 187.5)),
        ({"scale": 0.5}, (0, 75, 600, 225)),
        ({"scale": 2.0}, (-900, -150, 1500, 450)),
        ({"fit": "whole", "move": (0.1, -0.2)}, (60, 15, 660, 165)),
        ({"move": (0.1, 0.3)}, (-240, 0, 960, 300)),  # it goes on filling the sheet
        ({"move": (-0.9, 0.0)}, (-600, 0, 600, 300)),
        ({"scale": 0.5, "move": (0.1, 0.3)}, (60, 165, 660, 315)),  # too small for that
    ],
)
def test_a_backing_photo_lies_here(own: dict[str, object], corners: tuple[float, float, float, float]) -> None:
    photo = BackingPhoto.model_validate(own)
    left, top, right, bottom = corners

    found = photo_corners(photo, ASSET, SIZE)
    turned = photo_corners(photo.model_copy(update={"mirrored": True}), ASSET, SIZE)

    assert np.allclose(found, [(left, top), (right, top), (right, bottom), (left, bottom)])
    assert np.allclose(turned, [(right, top), (left, top), (left, bottom), (right, bottom)])


def test_only_what_fills_the_sheet_is_held_to_it() -> None:
    far = {"move": (2.0, -2.0)}
    assert covering_move(BackingPhoto(**far), ASSET, SIZE) == (0.5, 0)
    assert covering_move(BackingPhoto(scale=2, **far), ASSET, SIZE) == (1.5, -0.5)
    assert covering_move(BackingPhoto(scale=0.99, **far), ASSET, SIZE) == (2, -2)
    assert covering_move(BackingPhoto(fit="whole", scale=2, **far), ASSET, SIZE) == (2, -2)


def _disc(height: int, width: int) -> Job:
    photo, alpha, _ = soft_disc(height, width, height / 3)
    return use_matte(new_job(Photo("disc.png", np.round(photo * 255).astype(np.uint8))), alpha)


@pytest.mark.parametrize(
    ("size", "small"), [((300, 420), (257, 360)), ((120, 160), (120, 160)), ((360, 200), (360, 200))]
)
def test_cards_show_photos_and_jobs_no_longer_than_360(
    tmp_path: Path, size: tuple[int, int], small: tuple[int, int]
) -> None:
    job = set_value(_disc(*size), "recipe.backing", {"kind": "colour", "colour": "#204060"})
    Image.fromarray(job.photo.pixels).save(tmp_path / "disc.png")

    thumb = photo_thumb(tmp_path / "disc.png")
    drawn = Image.open(io.BytesIO(base64.b64decode(job_thumb(Stages(job.photo, Cache(10_000_000)), job))))

    assert thumb.shape[:2] == small
    assert (drawn.height, drawn.width) == small
    assert np.abs(np.asarray(drawn)[3, 3].astype(int) - (0x20, 0x40, 0x60)).max() < 8
    middle = np.asarray(drawn)[small[0] // 2, small[1] // 2].astype(int)
    assert np.abs(middle - thumb[small[0] // 2, small[1] // 2]).max() < 12
    assert job_thumb(Stages(job.photo, Cache(10_000_000)), new_job(job.photo)) == ""
