import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from peel.matte.marking.strokes import simplify_run, stroke_bounds, stroke_mask


@given(radius=st.floats(3, 40))
def test_a_dab_is_a_disc_of_its_radius(radius: float) -> None:
    mask = stroke_mask([(60, 60)], radius, (0, 0, 120, 120))

    # every pixel that the circle touches is filled, and radii are rounded to a sixteenth
    assert radius < np.sqrt(mask.sum() / np.pi) < radius + 0.71
    assert mask[60, 60]


def test_a_stroke_covers_what_lies_within_its_radius() -> None:
    mask = stroke_mask([(20, 50), (100, 50)], 10, (0, 0, 100, 120))

    assert mask[42:58, 20:100].all()
    assert not mask[:38].any()
    assert not mask[62:].any()


def test_a_window_sees_the_same_stroke() -> None:
    path = [(10.3, 12.7), (70.2, 40.9), (30.5, 80.1)]
    whole = stroke_mask(path, 7.5, (0, 0, 100, 100))

    part = stroke_mask(path, 7.5, (20, 15, 90, 80))

    assert (part != whole[20:90, 15:80]).mean() < 0.005


def test_bounds_hold_the_whole_stroke() -> None:
    path = [(30.5, 40.2), (60.0, 55.5)]
    top, left, bottom, right = stroke_bounds(path, 9)
    mask = stroke_mask(path, 9, (0, 0, 120, 120))

    rows, columns = np.nonzero(mask)
    assert top <= rows.min()
    assert rows.max() < bottom
    assert left <= columns.min()
    assert columns.max() < right


def test_simplifying_keeps_corners_and_ends() -> None:
    run = [(x, 0.0) for x in range(50)] + [(50.0, y) for y in range(50)]

    assert simplify_run(run, 0.5) == [(0.0, 0.0), (50.0, 0.0), (50.0, 49.0)]
