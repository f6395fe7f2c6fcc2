"""What each kind adds to a solve: where it acts, that its parts add up, and that it can be left out."""

import dataclasses

import cv2
import numpy as np
import pytest

from peel.matte.edge.kind import KINDS, NO_KIND, Kind
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.matte.solve import evidence as module
from peel.matte.solve.closed_form import Given, solve_matte
from peel.matte.solve.contour_search import Sides
from peel.matte.solve.evidence import Evidence, gather_evidence, line_terms, step_terms
from peel.matte.solve.kind_terms import neutral_maps, term_maps
from peel.matte.solve.settings import EdgeTerms, SolveSettings
from peel.matte.solve.step_fit import SHARP
from peel.matte.solve.term_maps import TermMaps
from peel.matte.srgb import to_encoded

_SHAPE = (200, 300)
_BAND = (slice(None), slice(90, 230))


def _zones() -> np.ndarray:
    zones = np.full(_SHAPE, UNKNOWN, np.uint8)
    zones[:, :90], zones[:, 230:] = FOREGROUND, BACKGROUND
    return zones


def _busy_photo(
    coat: tuple[float, float, float] = (0.15, 0.1, 0.2), noise: float = 0.006
) -> tuple[np.ndarray, np.ndarray]:
    """Draw a plain coat with an even edge before a tiled wall: photo, alpha."""
    rng = np.random.default_rng(4)
    rows, columns = np.mgrid[: _SHAPE[0], : _SHAPE[1]]
    wall = np.where(((rows // 9 + columns // 9) % 2)[..., None] == 0, (0.75, 0.7, 0.6), (0.35, 0.45, 0.5))
    alpha = cv2.GaussianBlur((150 + 3 * np.sin(rows / 20) > columns).astype(np.float32), (0, 0), 0.8)
    photo = alpha[..., None] * np.array(coat) + (1 - alpha[..., None]) * wall
    return (photo + rng.normal(0, noise, photo.shape)).astype(np.float32), alpha


def _gathered(kind: Kind | None, photo: np.ndarray, terms: EdgeTerms | None = None, **given: object) -> Evidence:
    zones = _zones()
    maps = None if kind is None else term_maps(np.full(_SHAPE, kind, np.uint8))
    return gather_evidence(photo, zones, zones == UNKNOWN, terms or EdgeTerms(), maps, **given)  # type: ignore[arg-type]


@pytest.mark.parametrize("kind", [None, *Kind])
def test_patches_weigh_as_the_kind_says(kind: Kind | None) -> None:
    photo, _ = _busy_photo()

    found = _gathered(kind, photo, EdgeTerms(sheer=0))

    strong = _gathered(Kind.STRAND, photo)
    factor = (NO_KIND if kind is None else KINDS[kind].factors).patches
    assert strong.weight[_BAND].max() > 1e-3
    np.testing.assert_allclose(found.weight.astype(float), factor * strong.weight.astype(float), atol=2e-5)
    assert not found.weight[_zones() != UNKNOWN].any()


def test_patches_pull_the_wall_to_nothing_and_the_coat_to_one() -> None:
    photo, alpha = _busy_photo()

    found = _gathered(Kind.STRAND, photo)

    weight, pull = found.weight.astype(float), found.pull.astype(float)
    inside, outside = (alpha == 1) & (weight > 1e-4), (alpha == 0) & (weight > 1e-4)
    assert inside[_BAND].any()
    assert outside[_BAND].any()
    assert (pull[inside] / weight[inside]).mean() > 0.95
    assert (pull[outside] / weight[outside]).mean() < 0.05


def test_before_a_smooth_backdrop_patches_are_silent() -> None:
    photo = np.full((*_SHAPE, 3), 0.6, np.float32)
    photo[:, :150] = 0.2

    assert not _gathered(Kind.STRAND, photo).weight.any()


@pytest.mark.parametrize("name", ["patches", "sheer"])
def test_a_way_of_weight_0_is_left_out(name: str) -> None:
    photo, _ = _busy_photo()
    only = dataclasses.replace(EdgeTerms(patches=0, lines=0, sheer=0), **{name: getattr(EdgeTerms(), name)})
    says = {"patches": Kind.STRAND, "sheer": Kind.SHEER}
    own = np.array([[0.9, 0.9, 0.9]], np.float32)

    assert _gathered(says[name], photo, only, own_colours=own).weight.any()
    assert not _gathered(says[name], photo, dataclasses.replace(only, **{name: 0}), own_colours=own).weight.any()


def test_small_tiles_find_what_one_large_one_finds(monkeypatch: pytest.MonkeyPatch) -> None:
    """Patches and veils write to the same pixels from several threads: nothing may be lost between them."""
    photo, _ = _busy_photo()
    kinds = np.full(_SHAPE, Kind.STRAND, np.uint8)
    kinds[100:] = Kind.SHEER
    zones, own = _zones(), np.array([[0.95, 0.9, 0.9]], np.float32)
    given = (photo, zones, zones == UNKNOWN, EdgeTerms(), term_maps(kinds))
    whole = gather_evidence(*given, own_colours=own)

    monkeypatch.setattr(module, "_TILE", 64)
    again = [gather_evidence(*given, own_colours=own) for _ in range(4)]

    for other in again[1:]:
        assert np.array_equal(other.weight, again[0].weight)
        assert np.array_equal(other.pull, again[0].pull)
    assert np.abs(again[0].weight.astype(float) - whole.weight).mean() < 0.1 * whole.weight.astype(float).mean()


def test_a_picked_veil_colour_acts_on_sheer_stretches_only() -> None:
    rows, columns = np.mgrid[: _SHAPE[0], : _SHAPE[1]]
    alpha = np.clip((230 - columns) / 140, 0, 1) * 0.6
    alpha[:, :90] = 1
    wall = (0.05 + 0.02 * np.sin(rows / 20))[..., None] * np.ones(3)
    cloth = np.array([0.6, 0.5, 0.4])
    photo = to_encoded((alpha[..., None] * cloth + (1 - alpha[..., None]) * wall).astype(np.float32))
    own = to_encoded(cloth[None].astype(np.float32))

    found = _gathered(Kind.SHEER, photo, own_colours=own)

    inside = (slice(20, 180), slice(110, 210))
    weight = found.weight.astype(float)[inside]
    assert weight.mean() > 0.005
    assert np.abs(found.pull.astype(float)[inside] / weight - alpha[inside]).mean() < 0.05
    estimated = _gathered(Kind.SHEER, photo)
    assert estimated.weight.astype(float).max() < 0.2 * weight.max(), "an estimated colour is a hint only"
    for kind in (None, Kind.HARD, Kind.STRAND):
        assert not _gathered(kind, photo, EdgeTerms(patches=0), own_colours=own).weight.any()


def test_lines_are_silent_where_much_lies_around() -> None:
    band = np.ones((64, 64), bool)
    full = np.ones((64, 64), np.float16)
    terms = line_terms(Evidence(full, full, full, full), np.zeros((64, 64), np.float32), band)

    assert terms(np.full(64 * 64, 0.05, np.float32))[0].min() > 0.99
    assert terms(np.full(64 * 64, 0.5, np.float32))[0].max() == 0


def _hardly_different(colours: np.ndarray, _places: np.ndarray) -> Sides:
    odds = np.where(colours.mean(axis=-1) < 0.3, np.float32(1), np.float32(-1))
    return Sides(odds, np.ones_like(odds), np.ones_like(odds))


def test_steps_act_where_the_edge_is_hard_and_nowhere_else() -> None:
    photo, alpha = _busy_photo()
    band = _zones() == UNKNOWN
    hard = np.zeros(_SHAPE, np.float32)
    hard[:100] = 1
    terms = step_terms(photo, _zones(), np.where(band, 0, alpha), band, 0.03, hard, _hardly_different, SHARP)

    weight, pull = terms(alpha[band])

    there = np.zeros(_SHAPE)
    there[band] = weight
    assert there[20:80].max() > 0.02
    assert not there[110:].any()
    acted = weight > 0.01
    assert np.abs(pull[acted] / weight[acted] - alpha[band][acted]).mean() < 0.1


def test_a_hard_edge_of_nearly_the_walls_tone_is_better_for_being_called_hard() -> None:
    _, alpha = _busy_photo()
    rng = np.random.default_rng(3)
    clouds = [cv2.GaussianBlur(rng.normal(0, 1, (*_SHAPE, 3)), (0, 0), 9) * 2 + 0.5 for _ in range(2)]
    photo = alpha[..., None] * clouds[0] + (1 - alpha[..., None]) * clouds[1]
    photo = (photo + rng.normal(0, 0.01, photo.shape)).astype(np.float32)
    zones = _zones()
    band = zones == UNKNOWN
    maps = term_maps(np.full(_SHAPE, Kind.HARD, np.uint8))
    without = SolveSettings(terms=EdgeTerms(steps=0))

    stepped, _ = solve_matte(photo, zones, Given(maps=maps))
    plain, _ = solve_matte(photo, zones, Given(maps=maps), settings=without)

    assert np.abs(stepped - alpha)[band].mean() < 0.9 * np.abs(plain - alpha)[band].mean()


@pytest.mark.parametrize("shape", [(1, 4), (5, 1), (1, 1)])
def test_pictures_of_a_row_or_a_pixel_give_evidence(shape: tuple[int, int]) -> None:
    zones = np.full(shape, UNKNOWN, np.uint8)
    zones.flat[0] = BACKGROUND
    for kind in Kind:
        found = gather_evidence(
            np.full((*shape, 3), 0.5, np.float32), zones, zones == UNKNOWN, EdgeTerms(),
            term_maps(np.full(shape, kind, np.uint8)),
        )  # fmt: skip
        assert np.isfinite(found.weight).all()


def test_a_window_of_the_factors_is_that_part_of_all_of_them() -> None:
    kinds = np.zeros((203, 301), np.uint8)
    kinds[:90], kinds[90:, 140:] = Kind.HARD, Kind.STRAND
    maps = term_maps(kinds)
    assert maps is not None
    window = (slice(64, 160), slice(96, 300))

    part = TermMaps.window(maps.patches, window)[:96, :204]

    whole = TermMaps.enlarged(maps.patches, kinds.shape)[window]
    assert np.abs(part - whole)[4:-4, 4:-4].max() < 1e-6
    assert neutral_maps(kinds.shape).patches.shape == maps.patches.shape


def test_linear_and_encoded_colours_agree_on_what_is_backdrop() -> None:
    photo, _ = _busy_photo()

    encoded, linear = _gathered(Kind.STRAND, photo), _gathered(Kind.STRAND, photo, is_linear=True)

    np.testing.assert_array_equal(encoded.weight, linear.weight)
