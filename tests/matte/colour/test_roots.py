"""Roots: half-clear hair gets its own hue back, and what is differently coloured of itself stays."""

import cv2
import numpy as np
import pytest

from peel.matte.colour.foreground import estimate_foreground
from peel.matte.colour.roots import leaning, rooted
from peel.matte.colour.spill import PLANE

SHAPE = (192, 256)
HAIR, CLOTH = np.array([0.72, 0.55, 0.33], np.float32), np.array([0.16, 0.62, 0.24], np.float32)
WHOLE = (slice(0, SHAPE[0]), slice(0, SHAPE[1]))


def _matte() -> np.ndarray:
    """Draw hair that is solid on the left and ends in strands."""
    rng = np.random.default_rng(6)
    alpha = np.zeros(SHAPE, np.float32)
    alpha[:, :90] = 1
    for row in rng.uniform(0, SHAPE[0], 40):
        end = (int(rng.uniform(120, 190)), int(row + rng.normal(0, 14)))
        cv2.line(alpha, (85, int(row)), end, float(rng.uniform(0.4, 0.9)), 2, cv2.LINE_AA)
    return cv2.GaussianBlur(alpha, (0, 0), 0.7).clip(0, 1)


def _leans(photo: np.ndarray, colours: np.ndarray, alpha: np.ndarray) -> np.ndarray:
    return leaning(photo, colours, alpha, WHOLE, 1)


def _away(colours: np.ndarray, truth: np.ndarray, where: np.ndarray) -> float:
    return float(np.linalg.norm((colours - truth)[where] @ PLANE.T, axis=1).mean())


@pytest.mark.parametrize(
    "cast", [CLOTH, np.array([0.75, 0.3, 0.15], np.float32)], ids=["green", "red, a hue like hair's"]
)
def test_the_backdrops_light_on_strands_goes(cast: np.ndarray) -> None:
    alpha = _matte()
    truth = np.broadcast_to(HAIR, (*SHAPE, 3))
    tainted = (truth + 0.4 * (1 - alpha[..., None]) * (cast - truth)).astype(np.float32)
    photo = (alpha[..., None] * tainted + (1 - alpha[..., None]) * cast).astype(np.float32)

    made = rooted(tainted, _leans(photo, tainted, alpha), 1.0)

    where = (alpha > 0.1) & (alpha < 0.9)
    assert _away(made, truth, where) < 0.35 * _away(tainted, truth, where)
    np.testing.assert_allclose(made.mean(axis=2), tainted.mean(axis=2), atol=1e-4)  # brightness stays


def test_nothing_is_changed_where_the_estimate_is_right_or_nothing_is_half_clear() -> None:
    alpha = _matte()
    truth = np.broadcast_to(HAIR, (*SHAPE, 3)).astype(np.float32)
    photo = (alpha[..., None] * truth + (1 - alpha[..., None]) * CLOTH).astype(np.float32)

    leans = _leans(photo, truth, alpha)

    assert np.abs(leans).max() < 0.02
    deep = cv2.erode(alpha, np.ones((13, 13), np.uint8)) == 1
    np.testing.assert_array_equal(rooted(truth, leans, 1.0)[deep], truth[deep])
    np.testing.assert_array_equal(rooted(truth, leans, 0.0), truth)


def test_tips_of_another_colour_keep_it_even_if_it_is_the_backdrops() -> None:
    alpha = _matte()
    shade = np.clip((np.arange(SHAPE[1], dtype=np.float32) - 60) / 30, 0, 1)[None, :, None]
    truth = np.broadcast_to((1 - shade) * HAIR + shade * (0.3 * HAIR + 0.7 * CLOTH), (*SHAPE, 3)).astype(np.float32)
    solid = np.where(alpha > 0.3, np.minimum(1, alpha * 1.5), alpha).astype(np.float32)
    photo = (solid[..., None] * truth + (1 - solid[..., None]) * CLOTH).astype(np.float32)

    leans = _leans(photo, truth, solid)

    tips = (solid > 0.1) & (np.arange(SHAPE[1])[None] > 100)
    assert np.abs(leans)[tips].mean() < 0.02


def test_hair_of_the_backdrops_hue_and_strands_without_a_root_stay() -> None:
    alpha = _matte()
    colours = np.broadcast_to(CLOTH * np.float32(0.8), (*SHAPE, 3)).astype(np.float32)
    photo = (alpha[..., None] * colours + (1 - alpha[..., None]) * CLOTH).astype(np.float32)
    assert np.abs(_leans(photo, colours, alpha)).max() < 0.01

    rootless = np.where(np.arange(SHAPE[1])[None] < 100, 0, alpha * 0.9).astype(np.float32)
    assert not _leans(photo, np.broadcast_to(HAIR, (*SHAPE, 3)).astype(np.float32), rootless).any()


def test_a_window_is_rooted_as_the_whole_is() -> None:
    alpha = _matte()
    cast = (HAIR + 0.4 * (1 - alpha[..., None]) * (CLOTH - HAIR)).astype(np.float32)
    photo = (alpha[..., None] * cast + (1 - alpha[..., None]) * CLOTH).astype(np.float32)
    colours = estimate_foreground(photo, alpha)
    inner = (slice(40, 150), slice(64, 200))

    part = leaning(photo, np.ascontiguousarray(colours[inner]), alpha, inner, 1)

    whole = _leans(photo, colours, alpha)[inner]
    np.testing.assert_allclose(part[30:-30, 30:-30], whole[30:-30, 30:-30], atol=0.02)
