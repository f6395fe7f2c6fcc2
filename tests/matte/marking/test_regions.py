import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from peel.matte.marking.regions import drop_islands, fill_holes, grown, region_at, smoothed

regions = arrays(bool, (18, 23))


@given(regions, st.floats(0.5, 6))
def test_growing_is_shrinking_the_other_side(region: np.ndarray, by: float) -> None:
    assert np.array_equal(grown(region, by), ~grown(~region, -by))


@given(regions, st.floats(0.5, 6))
def test_growing_only_adds(region: np.ndarray, by: float) -> None:
    assert (grown(region, by) >= region).all()


@given(regions)
def test_filled_holes_leave_no_piece_of_the_outside_off_the_frame(region: np.ndarray) -> None:
    filled = fill_holes(region)

    assert (filled >= region).all()
    outside = np.pad(~filled, 1, constant_values=True).astype(np.uint8)
    assert np.array_equal(region_at(outside, 0, 0), outside > 0)


@given(regions, st.integers(1, 40))
def test_islands_below_a_size_go_and_no_others(region: np.ndarray, size: int) -> None:
    left = drop_islands(region, size)

    assert (left <= region).all()
    for row, column in zip(*np.nonzero(region), strict=True):
        assert left[row, column] == (region_at(region.astype(np.uint8), row, column).sum() >= size)


def test_a_disc_grows_by_as_many_pixels() -> None:
    rows, columns = np.mgrid[:120, :120]
    away = np.hypot(rows - 60, columns - 60)

    assert abs((grown(away <= 30, 8)).sum() - np.pi * 38**2) < 0.03 * np.pi * 38**2
    assert abs((grown(away <= 30, -8)).sum() - np.pi * 22**2) < 0.05 * np.pi * 22**2


def test_smoothing_takes_a_spike_and_keeps_the_body() -> None:
    region = np.zeros((80, 80), bool)
    region[20:60, 20:60] = True
    spiked = region.copy()
    spiked[5:20, 38:41] = True

    smooth = smoothed(spiked, 6)

    assert not smooth[:16].any()
    assert smooth[30:50, 30:50].all()
    assert abs(int(smooth.sum()) - int(region.sum())) < 0.06 * region.sum()
