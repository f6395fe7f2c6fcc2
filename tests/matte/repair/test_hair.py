"""Strands of a matte, found one by one."""

import cv2
import numpy as np
import pytest

from peel.matte.repair.hair import hair_of


def _with_lines(lines: list[tuple[float, float, float, float, float]], size: int = 400) -> np.ndarray:
    """Draw a solid disc and straight strands from (x, y) to (x, y), 2 pixels wide, of an opacity."""
    alpha = np.zeros((size, size), np.float32)
    cv2.circle(alpha, (size // 2, size // 2), size // 6, 1.0, -1)
    for x0, y0, x1, y1, opacity in lines:
        fine = np.zeros((4 * size, 4 * size), np.uint8)
        ends = [tuple(round(4 * v * 16) for v in end) for end in ((x0, y0), (x1, y1))]
        cv2.line(fine, *ends, 255, 8, cv2.LINE_AA, 4)
        alpha = np.maximum(alpha, opacity * cv2.resize(fine, (size, size), interpolation=cv2.INTER_AREA) / 255)
    return np.round(cv2.GaussianBlur(alpha, (0, 0), 0.6) * 65535).astype(np.uint16)


def _left(alpha: np.ndarray, shortest: float) -> np.ndarray:
    return np.asarray((alpha - hair_of(alpha).falls(shortest)) / 65535, np.float32)


@pytest.mark.parametrize(("length", "opacity"), [(40, 1.0), (100, 1.0), (100, 0.6)])
def test_a_strand_is_as_long_as_it_was_drawn(length: float, opacity: float) -> None:
    hair = hair_of(_with_lines([(200, 130, 200, 130 - length, opacity)]))
    longest = int(hair.length.argmax())
    assert hair.length[longest] == pytest.approx(length, abs=6)
    assert hair.width[longest] == pytest.approx(2 * opacity, rel=0.35)
    assert hair.visible_length[longest] == pytest.approx(length, abs=6)


def test_a_faint_strand_counts_less_than_its_length() -> None:
    hair = hair_of(_with_lines([(200, 130, 200, 30, 0.2)]))
    assert 20 < hair.visible_length.max() < 60


def test_the_short_one_goes_whole_and_the_long_one_stays_where_they_cross() -> None:
    alpha = _with_lines([(120, 60, 330, 60, 1.0), (200, 80, 225, 40, 1.0)])
    left = _left(alpha, 100)
    assert left[59:62, 125:325].max(axis=0).min() > 0.7  # nowhere broken
    assert left[70:80, 195:210].max() < 0.15
    assert left[40:50, 215:230].max() < 0.15


def test_the_subject_itself_loses_nothing() -> None:
    alpha = _with_lines([(200, 140, 200, 100, 1.0), (260, 260, 290, 290, 1.0)])
    left = _left(alpha, 4000)
    inside = np.hypot(*(np.mgrid[:400, :400] - 200)) < 400 / 6 - 3
    assert np.abs(left - alpha / 65535)[inside].max() < 0.02
    assert left[105:125, 195:205].max() < 0.1


@pytest.mark.parametrize("value", [0, 65535, 30000])
def test_a_plain_matte_has_no_hair(value: int) -> None:
    assert len(hair_of(np.full((60, 80), value, np.uint16)).length) == 0
    assert len(hair_of(np.full((3, 2), value, np.uint16)).length) == 0
