"""Edges that are snapped to and followed, in photos so simple that the right answer is known to the pixel."""

import numpy as np
import pytest

from peel.work.marking.tracing import Tracer
from peel.work.stages import Pyramid

EDGE = 151  # the first bright column


def _tracer(height: int = 200, width: int = 300, contrast: int = 100) -> Tracer:
    picture = np.full((height, width, 3), 80, np.uint8)
    picture[:, EDGE:] += contrast
    grain = np.random.default_rng(1).integers(-2, 3, picture.shape)
    picture = np.clip(picture.astype(int) + grain, 0, 255).astype(np.uint8)
    return Tracer(Pyramid(picture))


@pytest.mark.parametrize("away", [-7, -3, 0, 4, 8])
def test_a_point_near_an_edge_goes_to_it_on_its_own_row(away: int) -> None:
    x, y = _tracer().snapped((EDGE + away, 100.5), 9.0)

    assert abs(x - EDGE) <= 1
    assert abs(y - 100.5) <= 1


@pytest.mark.parametrize("reach", [9.0, 20.0, 40.0, 70.0])
def test_a_wider_reach_looks_at_a_smaller_picture_and_finds_the_same_edge(reach: float) -> None:
    x, _ = _tracer().snapped((EDGE - 0.6 * reach, 100.5), reach)

    step = 1 << max(int(np.log2(reach / 8)), 0)
    assert abs(x - EDGE) <= step


def test_what_is_out_of_reach_or_only_grain_is_left() -> None:
    assert _tracer().snapped((EDGE - 14.0, 100.5), 9.0) == (EDGE - 14.0, 100.5)
    assert _tracer(contrast=3).snapped((EDGE + 2.0, 100.5), 9.0) == (EDGE + 2.0, 100.5)
    assert _tracer().snapped((-500.0, 100.0), 9.0) == (-500.0, 100.0)
    assert _tracer().snapped((100.0, 900.0), 9.0) == (100.0, 900.0)


def test_at_the_border_of_the_photo_edges_are_found_too() -> None:
    picture = np.full((60, 80, 3), 80, np.uint8)
    picture[:, 3:] = 200
    x, y = Tracer(Pyramid(picture)).snapped((0.5, 0.5), 9.0)
    assert abs(x - 3) <= 1
    assert 0 <= y <= 3


@pytest.mark.parametrize(("height", "top", "bottom"), [(200, 20.0, 180.0), (900, 30.0, 870.0), (2000, 50.0, 1950.0)])
def test_a_path_between_two_points_beside_an_edge_keeps_to_it(height: int, top: float, bottom: float) -> None:
    tracer = _tracer(height)

    path = tracer.path((EDGE - 4.0, top), (EDGE + 4.0, bottom))
    again = tracer.path((EDGE - 4.0, top), (EDGE + 4.0, bottom - 60))

    assert tuple(path[0]) == (EDGE - 4.0, top)
    assert tuple(path[-1]) == (EDGE + 4.0, bottom)
    for line, end in ((path, bottom), (again, bottom - 60)):
        inner = line[(line[:, 1] > top + 25) & (line[:, 1] < end - 25)]
        assert np.abs(inner[:, 0] - EDGE).max() < 1.6


def test_in_a_picture_without_any_grain_there_is_a_line_all_the_same() -> None:
    picture = np.full((900, 300, 3), 80, np.uint8)
    picture[:, EDGE:] += 100
    path = Tracer(Pyramid(picture)).path((EDGE - 4.0, 30.0), (EDGE + 4.0, 870.0))
    assert tuple(path[0]) == (EDGE - 4.0, 30.0)
    assert tuple(path[-1]) == (EDGE + 4.0, 870.0)


def test_points_next_to_each_other_or_nowhere_are_joined_straight() -> None:
    tracer = _tracer()
    assert tracer.path((10.0, 10.0), (13.0, 12.0)).tolist() == [[10, 10], [13, 12]]
    assert np.isnan(tracer.path((10.0, 10.0), (float("nan"), 12.0))[1, 0])
    assert len(tracer.path((10.0, 10.0), (14.0, 10.0))) > 2
