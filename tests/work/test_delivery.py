from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
import pytest
from PIL import Image, ImageCms

from conftest import soft_disc
from peel.errors import Cancelled, DeliveryError
from peel.job.edits import marking
from peel.job.edits import values as edits
from peel.job.edits.marking import Stroke, Zone
from peel.job.job import Job, Photo, new_job
from peel.job.rect import Rect
from peel.job.settings import Backing, Colour, Delivery
from peel.matte.composite.over import composite_over
from peel.work.delivering.delivery import deliver
from peel.work.delivering.order import DeliveryOrder, FileOrder, all_presets
from peel.work.delivering.products import cutout_pixels, flat_pixels, matte_pixels
from peel.work.solving.solve import solve_job
from peel.work.stages import Stages
from peel.work.views import View, loudest_colour, render


@pytest.fixture(scope="module", params=[8, 16])
def solved(request: Any) -> Job:
    photo, _, zones = soft_disc(300, 420, 90)
    dtype = np.uint8 if request.param == 8 else np.uint16
    pixels = np.round(photo * np.iinfo(dtype).max).astype(dtype)
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    return solve_job(edits.use_zones(new_job(Photo("disc.png", pixels, profile)), zones))[0]


def _stages(job: Job) -> Stages:
    return Stages(job.photo)


def test_the_cutout_carries_no_old_backdrop(solved: Job) -> None:
    pixels = cutout_pixels(solved, _stages(solved), 8)

    colours, alpha = pixels[..., :3].astype(int), pixels[..., 3]
    assert np.abs(colours[alpha > 0] - np.array([217, 128, 51])).max() <= 12
    near = (alpha == 0) & (colours.sum(axis=-1) > 0)
    assert near.any()  # colour goes on a little beyond the edge
    assert np.abs(colours[near] - np.array([217, 128, 51])).max() <= 20
    assert (colours[0, 0] == 0).all()


def test_solid_pixels_are_delivered_as_photographed(solved: Job) -> None:
    pixels = cutout_pixels(solved, _stages(solved), solved.photo.bits)

    solid = solved.matte.read() == 65535
    assert np.array_equal(pixels[..., :3][solid], solved.photo.pixels[solid])


def test_matte_depths_agree(solved: Job) -> None:
    low, high = matte_pixels(solved, _stages(solved), 8), matte_pixels(solved, _stages(solved), 16)

    assert low.dtype == np.uint8
    assert np.abs(low.astype(float) / 255 - high / 65535).max() <= 0.5 / 255 + 1e-9


def test_what_is_shown_is_what_is_delivered(solved: Job) -> None:
    job = solved.with_recipe(backing=Backing(kind="colour", colour="#336699"))
    shown = render(_stages(job), job, View.BACKING, job.photo.bounds, 0)

    flat = flat_pixels(job, _stages(job))

    assert np.array_equal(shown, flat)


def test_any_window_of_a_view_equals_the_whole(solved: Job) -> None:
    stages = _stages(solved)
    rect = Rect(70, 130, 201, 322)

    for view in View:
        whole = render(stages, solved, view, solved.photo.bounds, 0)
        assert np.array_equal(render(_stages(solved), solved, view, rect, 0), whole[rect.slices]), view


@pytest.mark.parametrize("level", [1, 2, 3])
def test_coarser_levels_show_the_same_picture(solved: Job, level: int) -> None:
    stages = _stages(solved)
    fine = render(stages, solved, View.WHITE, solved.photo.bounds, 0).astype(float)

    coarse = render(stages, solved, View.WHITE, solved.photo.space.bounds(level), level)

    step = 1 << level
    height, width = fine.shape[0] // step, fine.shape[1] // step
    averaged = fine[: height * step, : width * step].reshape(height, step, width, step, 3).mean(axis=(1, 3))
    assert np.abs(coarse[:height, :width] - averaged).mean() < 1.5


def test_strength_nought_keeps_the_photos_colours(solved: Job) -> None:
    job = solved.with_recipe(colour=Colour(clean=0, spill_edge=0, spill_inside=0))

    colours = _stages(job).foreground(job, job.photo.bounds, 0)

    np.testing.assert_allclose(colours, job.photo.colours(job.photo.bounds), atol=1e-6)


def test_loud_differs_from_the_edge(solved: Job) -> None:
    assert loudest_colour(_stages(solved), solved) in {"#2040ff", "#b000ff", "#00d0ff", "#00e040"}


def test_a_photo_that_mixes_as_light_is_taken_apart_and_put_together_as_light() -> None:
    _, alpha, zones = soft_disc()
    orange, blue = np.array([0.85, 0.5, 0.2], np.float32), (0.15, 0.3, 0.6)
    light = composite_over(np.broadcast_to(orange, (*alpha.shape, 3)), blue, alpha, linear=True)
    pixels = np.round(light * 255).astype(np.uint8)
    by_value = edits.set_value(edits.use_zones(new_job(Photo("disc.png", pixels)), zones), "photo.mixing", "value")
    by_value = edits.with_matte(by_value, by_value.photo.bounds, alpha)
    linear = by_value.with_photo_settings(mixing="light")
    stages, bounds = _stages(by_value), by_value.photo.bounds
    strands = (alpha > 0.2) & (alpha < 1)

    away, away_by_value = (
        np.abs(stages.foreground(job, bounds, 0) - orange)[strands].max() for job in (linear, by_value)
    )

    assert away < 0.02 < 0.05 < away_by_value
    assert np.abs(stages.composite(linear, bounds, 0, blue) - pixels / 255).max() < 0.01


def _orders(job: Job, folder: Path) -> list[FileOrder]:
    return DeliveryOrder(folder, tuple(all_presets(job))).files(job)


def test_delivers_what_is_ticked(solved: Job, tmp_path: Path) -> None:
    delivery = Delivery(cutout_bits=16, matte_bits=16)
    job = solved.with_recipe(delivery=delivery)

    written = deliver(job, _stages(job), _orders(job, tmp_path / "out"))

    names = ["disc-cutout.png", "disc-flat.jpg", "disc-matte.png"]
    assert [item.path.name for item in written] == names
    assert imagecodecs.png_decode((tmp_path / "out" / names[0]).read_bytes()).dtype == np.uint16
    with Image.open(tmp_path / "out" / names[0]) as image:
        image.load()
        assert image.info["icc_profile"] == job.photo.profile
    assert imagecodecs.png_decode((tmp_path / "out" / names[2]).read_bytes()).shape == (300, 420)


def test_nothing_ticked_is_said(solved: Job, tmp_path: Path) -> None:
    job = solved.with_recipe(delivery=Delivery(cutout=False, flat=False, matte=False))

    assert _orders(job, tmp_path) == []
    with pytest.raises(DeliveryError, match="No file is ticked"):
        deliver(job, _stages(job), _orders(job, tmp_path))


def test_a_stopped_delivery_leaves_no_part_of_a_file(solved: Job, tmp_path: Path) -> None:
    folder = tmp_path / "out"
    with pytest.raises(Cancelled):
        deliver(solved, _stages(solved), _orders(solved, folder), lambda share: share < 0.3)

    assert not folder.exists() or sorted(path.name for path in folder.iterdir()) in ([], ["disc-cutout.png"])


def test_zones_view_tells_the_three_apart(disc_job: Job) -> None:
    job = marking.paint_zone(disc_job, Stroke(((100, 100),), 40), Zone.UNSURE)
    job = marking.paint_zone(job, Stroke(((300, 100),), 40), Zone.SUBJECT)

    shown = render(_stages(job), job, View.ZONES, job.photo.bounds, 0).astype(int)

    assert np.array_equal(shown[100, 300], job.photo.pixels[100, 300])
    assert shown[80:120, 80:120].std(axis=(0, 1)).max() > 10  # stippled
    faded = np.abs(shown[240:280, 10:60] - job.photo.pixels[240:280, 10:60].astype(int)).max(axis=2)
    assert faded.min() > 15
    assert shown[240:280, 10:60].std(axis=(0, 1)).max() > 3  # hatched
