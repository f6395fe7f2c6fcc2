from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from peel.demo.make import draw, main
from peel.demo.marking import true_kinds
from peel.demo.photos import NAMES, demo_photo
from peel.demo.solid_kernels import BALL
from peel.demo.solids import Material, Scene, surface_samples
from peel.matte.composite.over import composite_over
from peel.matte.edge.kind import Kind


def _pixels(path: Path) -> np.ndarray:
    with Image.open(path) as picture:
        return np.asarray(picture)


@pytest.mark.parametrize("name", NAMES)
def test_the_rough_marking_of_a_demo_photo_hardly_contradicts_its_matte(name: str) -> None:
    photo = demo_photo(name)
    zones, matte = _pixels(photo.zones), _pixels(photo.matte)

    assert zones.shape == matte.shape == _pixels(photo.photo).shape[:2]
    assert set(np.unique(zones)) == {0, 128, 255}
    assert matte[zones == 0].max() == 0
    assert (matte[zones == 255] < 253).mean() < 0.02, "a little hair with gaps is marked subject, as in a hurry"
    assert 0.02 < (zones == 128).mean() < 0.5


@pytest.mark.parametrize("name", NAMES)
def test_what_is_solid_in_a_demo_photo_has_the_true_colours(name: str) -> None:
    photo = demo_photo(name)
    solid = _pixels(photo.zones) == 255

    away = _pixels(photo.photo).astype(int)[solid] - _pixels(photo.colours)[solid]

    assert np.abs(away.mean(axis=0)).max() < 1
    assert np.abs(away).mean() < 6  # noise and compression


_KINDS = {
    "bramble": {Kind.HARD, Kind.STRAND},
    "russet": {Kind.HARD, Kind.SOFT, Kind.STRAND},
    "ivy-king": {Kind.HARD, Kind.STRAND, Kind.LACY},
    "lamplighter": {Kind.HARD},
    "moth-queen": {Kind.HARD, Kind.STRAND, Kind.SHEER},
    "tin-drummer": {Kind.HARD, Kind.STRAND},
}


@pytest.mark.parametrize("name", NAMES)
def test_the_true_kinds_of_a_demo_photo_lie_along_its_edge(name: str) -> None:
    photo = demo_photo(name)
    kinds, matte = _pixels(photo.kinds), _pixels(photo.matte)
    half_clear = (matte > 6) & (matte < 249)

    assert {Kind(int(level) // 50) for level in np.unique(kinds) if level} == _KINDS[name]
    assert (kinds[half_clear] > 0).all()
    assert (kinds > 0).mean() < 0.5


def test_the_out_of_focus_tail_is_soft_and_the_wings_are_half_clear_inside() -> None:
    russet, queen = demo_photo("russet"), demo_photo("moth-queen")
    soft = _pixels(russet.kinds) == 50 * Kind.SOFT
    steps = np.abs(np.diff(_pixels(russet.matte).astype(int), axis=1))[soft[:, 1:]]
    sheer = _pixels(queen.matte)[_pixels(queen.kinds) == 50 * Kind.SHEER]

    assert np.percentile(steps, 95) < 12, "no step of a twentieth from one pixel to the next"
    assert ((sheer > 40) & (sheer < 200)).mean() > 0.8


def test_the_kind_of_an_edge_is_that_of_the_layer_which_makes_it_half_clear() -> None:
    columns = np.arange(200, dtype=np.float32)[None].repeat(60, axis=0)
    veil = np.where((columns > 20) & (columns < 90), np.float32(0.4), np.float32(0))
    coat = np.clip((columns - 149) / 2, 0, 1).astype(np.float32)
    alpha = np.maximum(veil, coat)

    kinds = true_kinds(alpha, {Kind.SHEER: veil, Kind.HARD: coat}, 1.0)

    assert set(np.unique(kinds[:, 25:85])) == {Kind.SHEER}
    assert set(np.unique(kinds[:, 148:153])) == {Kind.HARD}
    assert not kinds[:, 110:140].any()
    assert not kinds[:, 165:].any()


def test_points_scattered_over_a_ball_lie_on_it_and_face_the_camera() -> None:
    scene = Scene()
    scene.materials = [Material((0.5, 0.5, 0.5), (0.4, 0.4, 0.4))] * 2
    scene.add(BALL, (0.2, -0.1, 0.0), (0.6, 0.6, 0.6), 1)

    points, normals, material = surface_samples(scene, 1.0, 300, 3)

    away = points - np.array([0.2, -0.1, 0.0])
    assert len(points) == 300
    assert np.abs(np.linalg.norm(away, axis=1) - 0.6).max() < 0.002
    assert (normals * away).sum(axis=1).min() > 0.59
    assert normals[:, 2].min() > -0.05
    assert set(material) == {1}


@pytest.mark.parametrize(("name", "kinds"), [("russet", {1, 2, 3}), ("moth-queen", {1, 3, 5})])
def test_fur_and_gauze_are_drawn_at_any_size(name: str, kinds: set[int]) -> None:
    shot = draw(name, 0.03)

    assert shot.photo.shape == (*shot.alpha.shape, 3)
    assert np.isfinite(shot.photo).all()
    assert 0.1 < shot.alpha.mean() < 0.7
    assert set(np.unique(shot.kinds)) - {0} == kinds


def test_a_photo_drawn_small_is_its_subject_over_some_backdrop() -> None:
    shot = draw("lamplighter", 0.06)

    assert shot.photo.shape == shot.foreground.shape == (*shot.alpha.shape, 3)
    assert shot.alpha.min() == 0
    assert shot.alpha.max() == 1
    ends = (composite_over(shot.foreground, (end, end, end), shot.alpha) for end in (0.0, 1.0))
    darkest, brightest = ends
    inside = (shot.photo > darkest - 0.1) & (shot.photo < brightest + 0.1)
    assert inside.mean() > 0.999


def test_the_same_photo_is_drawn_each_time(tmp_path: Path) -> None:
    for folder in ("one", "two"):
        main(["lamplighter", "--megapixels", "0.04", "--to", str(tmp_path / folder)])

    names = sorted(path.name for path in (tmp_path / "one").iterdir())
    parts = ("-colours.jpg", "-kinds.png", "-matte.png", "-zones.png", ".jpg")
    assert names == [f"lamplighter{part}" for part in parts]
    for name in names:
        assert (tmp_path / "one" / name).read_bytes() == (tmp_path / "two" / name).read_bytes()
