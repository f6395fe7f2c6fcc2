import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from peel.matte.marking.coverage import coverage

WINDOW = (0, 0, 60, 80)
corner = st.tuples(st.floats(-20, 100), st.floats(-20, 80))


def _area(outline: np.ndarray) -> float:
    x, y = outline.T
    return float(abs((x * np.roll(y, -1) - y * np.roll(x, -1)).sum()) / 2)


@st.composite
def star(draw: st.DrawFn) -> np.ndarray:
    """An outline around (40, 30) that does not cross itself, inside the window."""
    radii = draw(st.lists(st.floats(3, 28), min_size=5, max_size=14))
    turn = np.linspace(0, 2 * np.pi, len(radii), endpoint=False) + 0.1
    return np.stack([40 + radii * np.cos(turn), 30 + radii * np.sin(turn)], axis=1)


@given(star())
def test_the_area_covered_is_the_outlines_area(outline: np.ndarray) -> None:
    assert coverage([outline], WINDOW).sum() / 255 == pytest.approx(_area(outline), abs=1.0)


@given(star())
def test_the_way_round_does_not_matter(outline: np.ndarray) -> None:
    there, back = coverage([outline], WINDOW).astype(int), coverage([outline[::-1]], WINDOW).astype(int)

    assert np.abs(there - back).max() <= 1


@given(star())
def test_a_hole_takes_away_its_own_area(outline: np.ndarray) -> None:
    around = np.array([(2, 1), (78, 1), (78, 59), (2, 59)], float)
    hole = outline if np.sign(_signed(outline)) != np.sign(_signed(around)) else outline[::-1]

    covered = coverage([around, hole], WINDOW).sum() / 255

    assert covered == pytest.approx(76 * 58 - _area(outline), abs=1.5)


def _signed(outline: np.ndarray) -> float:
    x, y = outline.T
    return float((x * np.roll(y, -1) - y * np.roll(x, -1)).sum())


@given(st.lists(corner, min_size=3, max_size=9), st.integers(0, 30), st.integers(0, 30))
def test_a_window_shows_a_part_of_the_whole(outline: list, top: int, left: int) -> None:
    whole = coverage([outline], WINDOW).astype(int)

    part = coverage([outline], (top, left, top + 20, left + 25)).astype(int)

    assert np.abs(part - whole[top : top + 20, left : left + 25]).max() <= 1


def test_pixels_that_an_edge_cuts_hold_the_share_that_is_inside() -> None:
    covered = coverage([[(1.5, 1.25), (4, 1.25), (4, 3), (1.5, 3)]], (0, 0, 4, 5))

    assert covered.tolist() == [[0, 0, 0, 0, 0], [0, 96, 191, 191, 0], [0, 128, 255, 255, 0], [0, 0, 0, 0, 0]]


def test_a_figure_of_eight_is_inside_in_both_loops() -> None:
    covered = coverage([[(5, 5), (35, 25), (35, 5), (5, 25)]], (0, 0, 30, 40))

    assert covered[15, 9] == 255
    assert covered[15, 31] == 255
    assert covered[8, 20] == 0


def test_edges_that_hardly_rise_and_outlines_on_the_border_stay_within_the_window() -> None:
    flat = np.array([(-20.0, 0.0), (100.0, 5e-324), (100.0, 40.0), (80.0, 2.2e-311), (-20.0, 40.0)])
    border = np.array([(80.0, 0.0), (80.0, 60.0), (0.0, 60.0), (0.0, 0.0)])

    for outline in (flat, flat[::-1], flat[:, ::-1]):
        assert coverage([outline], WINDOW).shape == (60, 80)
    assert (coverage([border], WINDOW) == 255).all()
    assert (coverage([border + np.array((80.0, 0.0))], WINDOW) == 0).all()
    assert (coverage([border - np.array((80.0, 0.0))], WINDOW) == 0).all()
