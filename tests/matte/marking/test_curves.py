from itertools import pairwise

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from peel.matte.marking.curves import bent, fit_curves, flatten, nearest_place, point_on, split

coordinate = st.floats(-500, 500, allow_nan=False)
point = st.tuples(coordinate, coordinate)
piece = st.tuples(point, point, point, point)


def _away(line: np.ndarray, points: np.ndarray) -> float:
    """Give the largest distance of points from a line of straight runs."""
    start, run = line[:-1], np.diff(line, axis=0)
    along = ((points[:, None] - start) * run).sum(axis=2) / np.maximum((run**2).sum(axis=1), 1e-12)
    nearest = start + run * np.clip(along, 0, 1)[..., None]
    return float(np.linalg.norm(points[:, None] - nearest, axis=2).min(axis=1).max())


@given(piece)
def test_flattening_stays_within_its_tolerance(curve: tuple) -> None:
    exact = np.array([point_on(curve, t) for t in np.linspace(0, 1, 41)])

    line = flatten(curve, 0.2)

    assert np.allclose(line[[0, -1]], [curve[0], curve[3]])
    assert _away(line, exact) < 0.3


@given(piece, st.floats(0.05, 0.95))
def test_splitting_keeps_the_course(curve: tuple, t: float) -> None:
    assume(curve[0] != curve[1] or curve[2] != curve[3])  # straight runs stay evenly paced instead

    first, second = split(curve, t)

    assert np.allclose(first[3], point_on(curve, t), atol=1e-6)
    for share in (0.2, 0.7):
        assert np.allclose(point_on(first, share), point_on(curve, share * t), atol=1e-6)
        assert np.allclose(point_on(second, share), point_on(curve, t + share * (1 - t)), atol=1e-6)


@given(piece, st.floats(0.15, 0.85), point)
def test_bending_brings_the_place_to_the_hand_and_keeps_the_ends(curve: tuple, t: float, to: tuple) -> None:
    changed = bent(curve, t, to)

    assert np.allclose(point_on(changed, t), to, atol=1e-6)
    assert np.allclose(changed[[0, 3]], [curve[0], curve[3]])


def test_the_nearest_place_on_a_straight_run() -> None:
    t, away = nearest_place([(0, 0), (0, 0), (10, 0), (10, 0)], (4, 3))

    assert (t, away) == pytest.approx((0.4, 3.0))


def test_a_wobbling_circle_becomes_a_few_smooth_pieces() -> None:
    turn = np.linspace(0, 2 * np.pi, 400)
    jitter = np.random.default_rng(0).normal(0, 0.4, (400, 2))
    run = np.stack([500 + 300 * np.cos(turn), 500 + 300 * np.sin(turn)], axis=1) + jitter

    pieces = fit_curves(run, 2.0)

    line = np.concatenate([flatten(curve) for curve in pieces])
    assert len(pieces) <= 16
    assert np.abs(np.hypot(*(line - 500).T) - 300).max() < 3
    assert _away(line, run) < 3


def test_corners_of_a_freehand_run_stay_sharp() -> None:
    corners = np.array([(0, 0), (100, 0), (100, 100), (0, 100)], float)
    run = np.concatenate([np.linspace(a, b, 60) for a, b in pairwise(corners)])

    pieces = fit_curves(run, 1.0)

    assert len(pieces) == 3
    assert np.allclose([curve[3] for curve in pieces], corners[1:], atol=1.5)


@given(st.lists(point, max_size=30))
def test_any_run_is_fitted_or_empty(run: list) -> None:
    pieces = fit_curves(run, 1.0)

    if pieces:
        assert np.isfinite(np.array(pieces)).all()
        assert np.allclose(pieces[-1][3], run[-1])
    else:
        assert len(set(run)) < 2
