"""Pictures and zones at a smaller size."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from peel.matte.smaller import any_in_squares, averaged, smaller_trimap


@pytest.mark.parametrize("step", [2, 3])
@pytest.mark.parametrize("dtype", [np.uint8, np.uint16])
def test_averages_are_those_of_squares_also_at_the_far_rims(step: int, dtype: type) -> None:
    picture = np.random.default_rng(2).integers(0, np.iinfo(dtype).max, (step * 70 + 1, step * 9 + 1, 3)).astype(dtype)

    found = averaged(picture, step)

    first = picture[:step, :step].reshape(-1, 3).mean(axis=0) / np.iinfo(dtype).max
    assert found.shape == (71, 10, 3)
    assert np.allclose(found[0, 0], first, atol=1e-4)
    assert np.allclose(found[-1, -1], picture[-1, -1] / np.iinfo(dtype).max, atol=1e-4)


def test_a_square_is_certain_only_where_all_of_it_is() -> None:
    zones = np.zeros((6, 6), np.uint8)
    zones[:, 3:] = 255
    zones[4, 5] = 128

    assert smaller_trimap(zones, 2).tolist() == [[0, 128, 255], [0, 128, 255], [0, 128, 128]]


@given(st.integers(1, 17), st.integers(1, 17), st.integers(1, 5), st.integers(0, 2**20))
def test_a_square_is_set_where_a_pixel_of_it_is(height: int, width: int, step: int, seed: int) -> None:
    mask = np.random.default_rng(seed).random((height, width)) < 0.2

    found = any_in_squares(mask, step)

    wanted = [[mask[y : y + step, x : x + step].any() for x in range(0, width, step)] for y in range(0, height, step)]
    assert found.tolist() == wanted


@pytest.mark.parametrize("step", [2, 4])
@pytest.mark.parametrize("size", [(16, 24), (17, 21), (3, 50)])
def test_a_smaller_picture_is_unsure_wherever_zones_meet(step: int, size: tuple[int, int]) -> None:
    rng = np.random.default_rng(step)
    photo = rng.random((*size, 3), np.float32)
    zones = np.where(np.mgrid[: size[0], : size[1]][1] < size[1] // 2 - 1, 255, 0).astype(np.uint8)

    small, small_zones = averaged(photo, step), smaller_trimap(zones, step)

    assert small.shape[:2] == small_zones.shape == (-(-size[0] // step), -(-size[1] // step))
    for v, u in np.ndindex(small_zones.shape):
        values = np.unique(zones[v * step : v * step + step, u * step : u * step + step])
        assert small_zones[v, u] == (values[0] if len(values) == 1 else 128)
    np.testing.assert_allclose(small[0, 0], photo[: min(step, size[0]), :step].mean(axis=(0, 1)), atol=0.2)
