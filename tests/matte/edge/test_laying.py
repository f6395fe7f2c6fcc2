"""The band lays itself where the photo is unsure, and every kind of edge is told from the others."""

import cv2
import numpy as np
import pytest

from peel.matte.edge.kinds import Kind, suggest_kinds
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


def test_it_finds_gaps_within_the_mark() -> None:
    rng = np.random.default_rng(3)
    alpha = _disc(120)
    for row, column in rng.uniform(130, 290, (60, 2)):
        alpha[np.hypot(_ROWS - row, _COLUMNS - column) < 3] = 0

    reading = read_edge(_photo(alpha), _FROM_MIDDLE < 120)

    gaps = (alpha == 0) & (_FROM_MIDDLE > 50) & (_FROM_MIDDLE < 110)
    assert gaps.any()
    assert reading.unsure[gaps].mean() > 0.9


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
