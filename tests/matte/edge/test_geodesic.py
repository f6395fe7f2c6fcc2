"""Geodesic distances agree with a plain shortest-path search, and stop where they are told to."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse import coo_array
from scipy.sparse.csgraph import dijkstra

from peel.matte.edge.geodesic import BEYOND, geodesic_distance


def _by_scipy(cost: np.ndarray, seeds: np.ndarray, allowed: np.ndarray) -> np.ndarray:
    height, width = cost.shape
    rows, columns, lengths = [], [], []
    for row, column in np.argwhere(allowed | seeds):
        for down, right in np.ndindex(3, 3):
            at, to = row + down - 1, column + right - 1
            if (at, to) != (row, column) and 0 <= at < height and 0 <= to < width and allowed[at, to]:
                rows.append(row * width + column)
                columns.append(at * width + to)
                lengths.append(float(np.hypot(down - 1, right - 1) * cost[at, to]))
    graph = coo_array((lengths, (rows, columns)), shape=(cost.size, cost.size)).tocsr()
    return dijkstra(graph, indices=np.flatnonzero(seeds), min_only=True).reshape(cost.shape)


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 2**32 - 1), st.integers(2, 12), st.integers(2, 12))
def test_it_finds_the_shortest_paths(seed: int, height: int, width: int) -> None:
    rng = np.random.default_rng(seed)
    cost = rng.uniform(0.02, 5, (height, width)).astype(np.float32)
    seeds, allowed = rng.random((height, width)) < 0.15, rng.random((height, width)) < 0.8
    seeds.flat[rng.integers(seeds.size)] = True

    found = geodesic_distance(cost, seeds, allowed, 6.0)

    expected = _by_scipy(cost, seeds, allowed & ~seeds)
    near = expected < 5.999
    np.testing.assert_allclose(found[near], expected[near], rtol=1e-4, atol=1e-4)
    assert (found[expected > 6.001] == np.float32(BEYOND)).all()


def test_a_large_cheap_area_is_walked_whole() -> None:
    seeds = np.zeros((300, 300), bool)
    seeds[0, 0] = True

    found = geodesic_distance(np.full((300, 300), 0.001, np.float32), seeds, ~seeds, 1.0)

    assert found.max() == pytest.approx(0.001 * 299 * np.sqrt(2), rel=1e-3)
