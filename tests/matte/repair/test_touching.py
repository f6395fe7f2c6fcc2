"""Touch-ups on mattes of known shape: what changes, by how much, and what must not."""

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from peel.matte.marking.strokes import stroke_weights
from peel.matte.repair.touching import (
    MOST_PUSH,
    firmed,
    forced,
    nudged,
    push_steps,
    pushed,
    softened,
)

MATTES = arrays(np.float32, (9, 11), elements=st.floats(0, 1, width=32))


def _edge(at: float = 40.0, blur: float = 4.0) -> np.ndarray:
    """Draw a straight edge, solid on the left."""
    return np.clip((at - np.arange(80, dtype=np.float32)) / blur + 0.5, 0, 1)[None].repeat(60, axis=0)


@given(MATTES)
def test_no_amount_is_the_identity(alpha: np.ndarray) -> None:
    nothing = np.zeros_like(alpha)

    for out in (
        forced(alpha, nothing),
        firmed(alpha, nothing),
        nudged(alpha, nothing, nothing),
        softened(alpha, nothing),
    ):
        assert np.array_equal(out, alpha)


@given(MATTES, st.floats(0, 1, width=32))
def test_forcing_goes_that_share_of_the_way(alpha: np.ndarray, share: float) -> None:
    amount = np.full_like(alpha, share)

    assert np.allclose(forced(alpha, amount), alpha + share * (1 - alpha), atol=1e-6)
    assert np.allclose(forced(alpha, -amount), alpha * (1 - share), atol=1e-6)


@given(MATTES, st.floats(-1, 1, width=32))
def test_firming_and_thinning_leave_their_opposite_end_alone(alpha: np.ndarray, amount: float) -> None:
    out = firmed(alpha, np.full_like(alpha, amount))

    assert out.min() >= 0
    assert out.max() <= 1 + 1e-6
    assert np.all(out >= alpha - 1e-6) if amount >= 0 else np.all(out <= alpha + 1e-6)
    assert np.all(out[alpha == 0] == 0)
    assert np.allclose(out[alpha == 1], 1)


def test_thinning_takes_haze_and_leaves_a_thin_strand_with_its_rims() -> None:
    alpha = np.full((40, 60), 0.08, np.float32)
    alpha[:, 30] = 0.6
    alpha[:, [29, 31]] = 0.15

    out = firmed(alpha, np.full_like(alpha, -1))

    assert np.array_equal(out[:, 29:32], alpha[:, 29:32])
    assert out[:, :26].max() < 1e-6


def test_firming_climbs_to_solid_with_passes_and_keeps_the_strands_contrast() -> None:
    alpha = np.zeros((40, 60), np.float32)
    alpha[:, 20:] = 0.6
    alpha[:, 30:50:3] = 0.15  # gaps between strands
    before, last = alpha[:, 31:50], 0.6
    for amount in (0.5, 0.75, 0.875):  # three passes, each half of what is left
        out = firmed(alpha, np.full_like(alpha, amount))
        assert out[20, 25] > last + 0.05
        last = float(out[20, 25])
    assert last > 0.9
    assert np.all(out[:, :18] == 0)
    ratio = out[:, 30] / out[:, 31]
    assert ratio == pytest.approx(0.25, abs=0.02)
    assert np.ptp(out[:, 31:50]) > np.ptp(before)
    assert firmed(alpha, np.ones_like(alpha))[:, 22:28].min() > 1 - 1e-5


def test_thinning_goes_on_with_what_was_cleared_half() -> None:
    alpha = np.full((20, 20), 0.5, np.float32)
    thinned = np.full_like(alpha, -1)
    assert np.array_equal(firmed(alpha, thinned), alpha)  # a strand as far as anyone can tell
    assert firmed(alpha, thinned, np.full_like(alpha, 0.5))[10, 10] == pytest.approx(0.25)


def test_firming_closes_a_see_through_inside_and_leaves_a_thin_gap_open() -> None:
    alpha = np.full((40, 60), 0.92, np.float32)
    alpha[:, 30] = 0.3

    out = firmed(alpha, np.ones_like(alpha))

    assert out[:, 30] == pytest.approx(0.3 / 0.92, abs=0.01)  # as open as it was against what is beside it
    assert out[:, :26].min() > 1 - 1e-6


def test_an_edge_that_is_pushed_is_where_it_was_pushed_to() -> None:
    field = np.full((60, 80), 5.0, np.float32)

    moved = nudged(_edge(40), field, np.zeros_like(field))

    assert np.allclose(moved, _edge(45), atol=1e-5)


def test_pushing_there_and_back_is_nearly_the_identity() -> None:
    weights = stroke_weights([(40, 30)], 20, (0, 0, 60, 80), 1.0)
    still = np.zeros((60, 80), np.float32)

    there = pushed(still, still, weights, (4.0, 0.0))
    back = pushed(*there, weights, (-4.0, 0.0))

    assert there[0].max() == pytest.approx(4, abs=0.1)
    assert np.abs(nudged(_edge(), *back) - _edge()).max() < 0.2
    assert np.abs(back[0]).mean() < 0.2 * np.abs(there[0]).mean()


def test_a_long_push_carries_the_edge_along_smoothly_and_ends_at_a_limit() -> None:
    right = down = np.zeros((60, 120), np.float32)
    for _, (x, y), by in push_steps([(30, 30), (100, 30)], 16):
        right, down = pushed(right, down, stroke_weights([(x, y)], 16, (0, 0, 60, 120), 1.0), by)

    assert np.hypot(right, down).max() <= MOST_PUSH + 1e-3
    assert np.diff(right, axis=1).max() < 1.01, "what is behind the brush is drawn out, never folded over"
    assert not down[:10].any()


def test_movements_are_split_so_that_none_folds_the_field() -> None:
    steps = push_steps([(0, 0), (30, 40)], 10)

    assert sum(by[0] for _, _, by in steps) == pytest.approx(30)
    assert sum(by[1] for _, _, by in steps) == pytest.approx(40)
    assert max(np.hypot(*by) for _, _, by in steps) <= 5
    assert push_steps([(3, 3)], 10) == []


def test_softening_widens_an_edge_and_keeps_its_place() -> None:
    soft = softened(_edge(40, 1), np.ones((60, 80), np.float32))

    steepness = np.abs(np.diff(soft[30])).max()
    assert steepness == pytest.approx(1 / (4 * np.sqrt(2 * np.pi)), rel=0.1)
    assert soft[30, 40] == pytest.approx(0.5, abs=0.06)
    assert np.allclose(soft[:, :20], 1, atol=1e-3)


@given(
    st.floats(1, 12),
    st.floats(0, 1),
    st.lists(st.tuples(st.floats(-5, 45), st.floats(-5, 35)), min_size=1, max_size=5),
)
def test_a_brush_has_no_weight_outside_its_radius_and_all_of_it_at_its_core(
    radius: float, softness: float, points: list[tuple[float, float]]
) -> None:
    weights = stroke_weights(points, radius, (0, 0, 30, 40), softness)

    ys, xs = np.mgrid[:30, :40] + 0.5
    away = np.min([np.hypot(xs - x, ys - y) for x, y in _along(points)], axis=0)
    assert weights.min() >= 0
    assert weights.max() <= 1
    assert not weights[away > radius + 2].any()
    core = away < radius * (1 - softness) - 1.6
    assert np.all(weights[core] > 0.99)


def _along(points: list[tuple[float, float]]) -> list[tuple[float, float]]:
    path = [points[0]]
    for (x0, y0), (x1, y1) in itertools.pairwise(points):
        count = int(np.hypot(x1 - x0, y1 - y0)) * 2 + 1
        path += [(x0 + (x1 - x0) * k / count, y0 + (y1 - y0) * k / count) for k in range(1, count + 1)]
    return path


def test_a_pen_s_pressure_scales_strength_or_size_and_nonsense_presses_fully() -> None:
    line, window = [(5, 15), (20, 15), (35, 15)], (0, 0, 30, 40)

    plain = stroke_weights(line, 6, window)
    weak = stroke_weights(line, 6, window, 0.0, [0.5, 0.5, 0.5])
    thin = stroke_weights(line, 6, window, 0.0, None, [0.5, 0.5, 0.5])
    odd = stroke_weights(line, 6, window, 0.0, [float("nan"), 7.0, float("inf")])

    assert np.allclose(weak, plain * 0.5, atol=1e-6)
    assert (thin > 0.5).sum() == pytest.approx((plain > 0.5).sum() / 2, rel=0.25)
    assert np.array_equal(odd, plain)
