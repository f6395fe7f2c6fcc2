"""The band lays itself where the photo is unsure, and every kind of edge is told from the others."""

import cv2
import numpy as np
import pytest

from peel.matte.edge.kind import Kind
from peel.matte.edge.kinds import suggest_kinds
from peel.matte.edge.laying import read_edge, reduced, working_step

_SIDE = 420
_ROWS, _COLUMNS = np.mgrid[:_SIDE, :_SIDE].astype(np.float32)
_FROM_MIDDLE = np.hypot(_ROWS - 210, _COLUMNS - 210)


def _photo(alpha: np.ndarray, backdrop: np.ndarray | tuple[float, ...] = (0.25, 0.5, 0.35)) -> np.ndarray:
    behind = np.broadcast_to(np.asarray(backdrop, np.float32), (_SIDE, _SIDE, 3))
    mixed = alpha[..., None] * np.float32((0.75, 0.45, 0.2)) + (1 - alpha[..., None]) * behind
    noise = np.random.default_rng(4).normal(0, 0.004, mixed.shape)
    return (mixed + noise).astype(np.float32)


def _disc(radius: float, blur: float = 0.7) -> np.ndarray:
    return cv2.GaussianBlur((radius > _FROM_MIDDLE).astype(np.float32), (0, 0), blur)


def _haired(strands: int = 160) -> np.ndarray:
    """Draw a disc with strands that leave it, each about a pixel and a half wide."""
    rng = np.random.default_rng(9)
    canvas = np.zeros((4 * _SIDE, 4 * _SIDE), np.uint8)
    for angle in rng.uniform(0, 2 * np.pi, strands):
        bend, reach = rng.normal(0, 0.15), rng.uniform(115, 190)
        run = np.linspace(80, reach, 12)
        turned = angle + bend * ((run - 80) / 80) ** 2
        points = np.stack([210 + run * np.cos(turned), 210 + run * np.sin(turned)], axis=1)
        cv2.polylines(canvas, [np.round(points * 4).astype(np.int32)], False, 255, 6, cv2.LINE_AA)
    drawn = cv2.resize(canvas, (_SIDE, _SIDE), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    return np.maximum(drawn, _disc(100))


def test_it_follows_strands_that_leave_the_mark_to_their_ends() -> None:
    alpha = _haired()

    reading = read_edge(_photo(alpha), _FROM_MIDDLE < 105)

    half_clear = (alpha > 0.1) & (alpha < 0.98) & (_FROM_MIDDLE > 112)
    assert reading.unsure[half_clear].mean() > 0.97
    assert reading.unsure[(_FROM_MIDDLE > 200)].mean() < 0.02


def test_structure_that_goes_on_behind_the_subject_is_backdrop() -> None:
    tiles = 0.3 + 0.2 * ((_ROWS // 14 + _COLUMNS // 14) % 2)
    backdrop = np.stack([tiles, tiles * 0.9, tiles * 0.8], axis=-1)

    reading = read_edge(_photo(_disc(100), backdrop), _FROM_MIDDLE < 100)

    assert reading.unsure[(_FROM_MIDDLE > 112) & (_FROM_MIDDLE < 180)].mean() < 0.05


def test_a_net_around_the_mark_is_backdrop_as_no_subject_has_so_many_strands() -> None:
    backdrop = np.full((_SIDE, _SIDE, 3), (0.25, 0.5, 0.35), np.float32)
    net = ((_ROWS % 16 < 2) | (_COLUMNS % 16 < 2)) & (_FROM_MIDDLE < 150)
    backdrop[net] = (0.8, 0.75, 0.7)
    alpha = _disc(60)
    reading = read_edge(_photo(alpha, backdrop), alpha > 0.5, unit=0.5)
    around = (reading.distance > 15) & (reading.distance < 70) & (alpha < 0.5)
    assert reading.unsure[around].mean() < 0.1


def _pierced() -> np.ndarray:
    rng = np.random.default_rng(3)
    alpha = _disc(120)
    for row, column in rng.uniform(130, 290, (40, 2)):
        alpha[np.hypot(_ROWS - row, _COLUMNS - column) < 6] = 0
    return alpha


def test_enclosed_gaps_stay_closed_and_are_reported() -> None:
    alpha = _pierced()

    reading = read_edge(_photo(alpha), _FROM_MIDDLE < 120)

    gaps = (alpha == 0) & (_FROM_MIDDLE > 50) & (_FROM_MIDDLE < 100)
    assert gaps.any()
    assert not reading.unsure[gaps].any()
    assert reading.enclosed[gaps].mean() > 0.5
    assert not reading.enclosed[(alpha > 0.9) & (_FROM_MIDDLE < 100)].any()


def test_a_gap_is_followed_inwards_along_an_open_way() -> None:
    alpha = _disc(120)
    alpha[(np.abs(_ROWS - 210) < 6) & (_COLUMNS > 260)] = 0

    reading = read_edge(_photo(alpha), _FROM_MIDDLE < 120)

    slit = (np.abs(_ROWS - 210) < 5) & (_COLUMNS > 300) & (_FROM_MIDDLE < 118)
    assert reading.unsure[slit].mean() > 0.9
    assert not reading.unsure[_FROM_MIDDLE < 40].any()


def test_a_pattern_of_the_subject_in_the_backdrops_colour_is_no_gap() -> None:
    stripes = (_COLUMNS // 12) % 2 == 0
    photo = _photo(_disc(120))
    photo[(_FROM_MIDDLE < 118) & stripes] = np.float32((0.25, 0.5, 0.35))

    reading = read_edge(photo, _FROM_MIDDLE < 120)

    assert reading.unsure[_FROM_MIDDLE < 100].mean() < 0.03


@pytest.mark.parametrize("trust", [0.0, 0.25, 0.5, 0.75, 1.0])
def test_more_trust_makes_less_unsure_and_full_trust_nothing(trust: float) -> None:
    photo = _photo(_haired())

    less = read_edge(photo, _FROM_MIDDLE < 105, trust=trust).unsure
    more = read_edge(photo, _FROM_MIDDLE < 105, trust=min(trust + 0.2, 1.0)).unsure

    assert more.sum() <= less.sum()
    assert less.any() == (trust < 1)


def test_trust_holds_for_the_boundary_it_is_said_of() -> None:
    trust = np.where(_COLUMNS < 210, np.float32(1), np.float32(0.5))

    unsure = read_edge(_photo(_haired()), _FROM_MIDDLE < 105, trust=trust).unsure

    assert not unsure[:, :205].any()
    assert unsure[:, 215:].any()


def test_a_contact_shadow_on_plain_ground_stays_backdrop() -> None:
    photo = np.full((_SIDE, _SIDE, 3), 0.85, np.float32)
    dark = np.exp(-(((_ROWS - 318) / 14) ** 2) - ((_COLUMNS - 210) / 90) ** 2)
    photo *= (1 - 0.5 * cv2.GaussianBlur(dark, (0, 0), 5))[..., None]
    alpha = _disc(110)[..., None]
    photo = alpha * np.float32((0.2, 0.3, 0.6)) + (1 - alpha) * photo
    photo += np.random.default_rng(1).normal(0, 0.003, photo.shape).astype(np.float32)

    reading = read_edge(photo, _FROM_MIDDLE < 110)

    beneath = (_FROM_MIDDLE > 122) & (_FROM_MIDDLE < 150) & (_ROWS > 250)
    assert reading.unsure[beneath].mean() < 0.05


@pytest.mark.parametrize("off_px", [-5, 0, 5])
def test_a_clean_step_gets_a_narrow_band_and_a_blurred_one_a_wide_one(off_px: float) -> None:
    sharp = read_edge(_photo(_disc(110)), 110 + off_px > _FROM_MIDDLE)
    soft = read_edge(_photo(_disc(110, 9)), 110 + off_px > _FROM_MIDDLE)

    far = np.abs(_FROM_MIDDLE - 110) > 22
    assert sharp.unsure[far].mean() < 0.01
    ramp = _disc(110, 9)
    assert soft.unsure[(ramp > 0.04) & (ramp < 0.96)].mean() > 0.97


def test_subject_and_backdrop_of_the_same_colours_are_said_to_be_alike() -> None:
    same = _photo(_disc(100), (0.75, 0.45, 0.2))

    assert read_edge(same, _FROM_MIDDLE < 100).alike
    assert not read_edge(_photo(_disc(100)), _FROM_MIDDLE < 100).alike


@pytest.mark.parametrize(
    ("alpha", "kind"), [(_disc(110), Kind.HARD), (_disc(110, 9), Kind.SOFT), (_haired(600), Kind.STRAND)]
)
def test_most_of_an_edge_is_known_for_what_it_is(alpha: np.ndarray, kind: Kind) -> None:
    reading = read_edge(_photo(alpha), _FROM_MIDDLE < 108)

    suggestion = suggest_kinds(reading)

    on_edge = reading.distance < 1.6
    assert (suggestion.kinds[on_edge] == kind).mean() > 0.85
    assert suggestion.confidence[on_edge].mean() > 150


def test_an_edge_that_is_not_there_has_no_kind() -> None:
    reading = read_edge(_photo(np.ones((_SIDE, _SIDE), np.float32)), _FROM_MIDDLE < 0)

    assert not suggest_kinds(reading).kinds.any()


def test_what_is_left_over_counts_as_a_whole_square() -> None:
    small = reduced(np.arange(35, dtype=np.uint8).reshape(5, 7), 2)

    assert small.shape == (3, 4)
    assert small[0, 0] == pytest.approx((0 + 1 + 7 + 8) / 4 / 255, abs=0.003)
    assert working_step(100, 100) == 1
