"""Single strands before a quiet backdrop: their alpha, their haze, and lines that are none."""

import cv2
import numpy as np

from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.matte.solve.line_evidence import line_evidence

_SHAPE = (160, 260)


def _scene(opacity: float, *, on_into_backdrop: bool = False, noise: float = 0.006) -> tuple[np.ndarray, ...]:
    """Draw whiskers of a known alpha that leave a dark body, before an even wall: photo, zones, alpha."""
    alpha = np.zeros(_SHAPE, np.float32)
    for row in range(20, 150, 14):
        cv2.line(alpha, (30, row), (259 if on_into_backdrop else 190, row + 6), opacity, 2, cv2.LINE_AA)
    alpha = np.minimum(cv2.GaussianBlur(alpha, (0, 0), 0.5), opacity)
    alpha[:, :40] = 1
    colours = np.full((*_SHAPE, 3), (0.9, 0.88, 0.85), np.float32)
    colours[:, :40] = (0.2, 0.12, 0.08)
    wall = np.array([0.42, 0.45, 0.47], np.float32)
    rng = np.random.default_rng(2)
    photo = alpha[..., None] * colours + (1 - alpha[..., None]) * wall + rng.normal(0, noise, colours.shape)
    zones = np.full(_SHAPE, UNKNOWN, np.uint8)
    zones[:, :32], zones[:, 215:] = FOREGROUND, BACKGROUND
    return photo.astype(np.float32), zones, alpha


def test_whiskers_are_pulled_near_their_own_alpha_and_the_wall_between_them_to_nothing() -> None:
    photo, zones, alpha = _scene(0.9)

    weight, found = line_evidence(photo, zones)

    outside = np.zeros(_SHAPE, bool)
    outside[:, 50:185] = True
    strands = outside & (alpha > 0.7)
    assert (weight[strands] > 0).mean() > 0.7
    said = strands & (weight > 0)
    assert np.abs(found - alpha)[said].mean() < 0.15
    clear = outside & (cv2.dilate(alpha, np.ones((9, 9))) == 0) & (weight > 0)
    assert clear.any()
    assert found[clear].max() < 0.1


def test_lines_that_go_on_into_the_certain_backdrop_are_no_strands() -> None:
    photo, zones, alpha = _scene(0.9, on_into_backdrop=True)

    weight, _ = line_evidence(photo, zones)

    lines = (alpha > 0.5) & (zones == UNKNOWN)
    lines[:, :50] = False
    assert (weight[lines] > 0).mean() < 0.1


def test_before_a_backdrop_with_detail_of_its_own_nothing_is_said() -> None:
    photo, zones, _ = _scene(0.9)
    pattern = cv2.GaussianBlur(np.random.default_rng(7).normal(0, 1, _SHAPE), (0, 0), 2)
    photo += (0.12 * pattern / pattern.std())[..., None].astype(np.float32)

    weight, _ = line_evidence(photo, zones)

    assert weight.max() == 0


def test_one_colour_everywhere_or_no_backdrop_says_nothing_wrong() -> None:
    flat = np.full((*_SHAPE, 3), 0.5, np.float32)
    zones = np.full(_SHAPE, UNKNOWN, np.uint8)
    assert not line_evidence(flat, zones)[0].any()
    zones[:, 200:] = BACKGROUND
    weight, alpha = line_evidence(flat, zones)
    assert np.isfinite(weight).all()
    assert alpha.max() == 0


def test_before_a_busy_backdrop_lines_count_where_they_reach_the_subject() -> None:
    photo, zones, alpha = _scene(0.9)
    pattern = cv2.GaussianBlur(np.random.default_rng(7).normal(0, 1, _SHAPE), (0, 0), 4)
    photo += (0.07 * pattern / pattern.std())[..., None].astype(np.float32)
    gap = photo.copy()
    gap[:, 60:110] = gap[:, 195:245]  # the strands' ends are left, with backdrop between them and the body

    joined, _ = line_evidence(photo, zones)
    apart, _ = line_evidence(gap, zones)

    ends = np.zeros(_SHAPE, bool)
    ends[:, 125:185] = alpha[:, 125:185] > 0.6
    assert joined[ends].mean() > 0.01
    assert apart[ends].max() == 0
