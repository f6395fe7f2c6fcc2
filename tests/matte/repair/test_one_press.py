"""Repairs by one press on a matte with planted defects."""

import numpy as np

from peel.matte.repair.one_press import haze, hollow_inside, littered_outside, pinholes, specks


def _disc() -> np.ndarray:
    ys, xs = np.mgrid[:120, :160]
    return np.clip((40.5 - np.hypot(ys - 60, xs - 80)) / 2, 0, 1).astype(np.float32)


def test_pinholes_are_found_up_to_their_size_and_true_gaps_stay() -> None:
    alpha = _disc()
    alpha[60:62, 80:82] = 0.3
    alpha[50:62, 60:72] = 0.0

    small, all_of_them = pinholes(alpha, 3), pinholes(alpha, 20)

    assert small[60:62, 80:82].all()
    assert small.sum() == 4
    assert all_of_them[50:62, 60:72].all()
    assert not all_of_them[:10].any()


def test_specks_are_found_and_the_subject_is_none() -> None:
    alpha = _disc()
    alpha[5:7, 5:7] = 0.8

    found = specks(alpha, 4)

    assert found[5:7, 5:7].all()
    assert found.sum() == 4
    assert not specks(alpha, 1).any()


def test_the_inside_is_what_lies_deep_enough_and_is_not_solid() -> None:
    alpha = _disc()
    alpha[58:62, 70:90] = 0.7
    alpha[60, 45] = 0.7

    found = hollow_inside(alpha, 12)

    assert found[58:62, 70:90].all()
    assert not found[60, 45]
    assert not hollow_inside(_disc(), 12).any()


def test_the_outside_is_what_lies_far_enough_and_is_not_clear() -> None:
    alpha = _disc()
    alpha[10, 10] = 0.2
    alpha[60, 123] = 0.2

    found = littered_outside(alpha, 12)

    assert found[10, 10]
    assert not found[60, 123]


def test_haze_is_low_and_flat_and_a_faint_strand_is_none() -> None:
    alpha = _disc()
    alpha[:, 130:] = 0.06
    alpha[:, 140] = 0.2

    found = haze(alpha)

    assert found[:, 132:136].mean() > 0.9
    assert not found[:, 139:142].any()
    assert not found[:, :120].any()
