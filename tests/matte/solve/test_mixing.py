import numpy as np
import pytest

from peel.matte.parallel import run_all
from peel.matte.solve.mixing import mixes_linearly
from peel.matte.solve.noise import measure_noise
from peel.matte.srgb import to_encoded, to_linear


def _leafy(linear: bool) -> tuple[np.ndarray, np.ndarray]:
    """Red blobs over blue, softened, mixed by value or as light; the zones leave their edges unsure."""
    ys, xs = np.mgrid[:320, :420]
    alpha = np.clip(0.5 + 0.5 * np.sin(xs / 9) * np.cos(ys / 8) + (210 - xs) / 160, 0, 1)[..., None]
    fore, back = np.array([0.85, 0.25, 0.15]), np.array([0.15, 0.45, 0.8])
    if linear:
        photo = to_encoded(
            alpha * to_linear(fore.astype(np.float32)) + (1 - alpha) * to_linear(back.astype(np.float32))
        )
    else:
        photo = alpha * fore + (1 - alpha) * back
    photo = photo + np.random.default_rng(0).normal(0, 0.008, photo.shape)
    zones = np.full(ys.shape, 128, np.uint8)
    zones[:, :40], zones[:, -40:] = 255, 0
    return np.clip(photo, 0, 1).astype(np.float32), zones


@pytest.mark.parametrize("linear", [False, True])
def test_finds_out_how_a_photo_mixes(linear: bool) -> None:
    photo, zones = _leafy(linear)

    assert mixes_linearly(photo, zones) == linear
    assert mixes_linearly((photo * 255).round().astype(np.uint8), zones) == linear


def test_grays_do_not_tell_and_count_as_values() -> None:
    photo, zones = _leafy(linear=True)
    gray = np.repeat(photo.mean(axis=2, keepdims=True), 3, axis=2)

    assert not mixes_linearly(gray, zones)


def test_nothing_unsure_counts_as_values() -> None:
    photo, zones = _leafy(linear=True)

    assert not mixes_linearly(photo, np.where(zones == 128, 0, zones).astype(np.uint8))


def test_light_is_the_inverse_of_the_encoding() -> None:
    light = np.linspace(0, 1, 500)

    np.testing.assert_allclose(to_linear(to_encoded(light).astype(np.float32)), light, atol=2e-4)


def test_noise_follows_into_light() -> None:
    rng = np.random.default_rng(1)
    photo = (0.6 + rng.normal(0, 0.02, (200, 200, 3))).astype(np.float32)
    bin_of_light = int(to_linear(np.float32(0.6).reshape(1))[0] * 16)

    carried = measure_noise(photo).in_linear_light().variance[bin_of_light]

    assert carried == pytest.approx(measure_noise(to_linear(photo)).variance[bin_of_light], rel=0.3)


def test_tasks_within_tasks_do_not_wait_for_each_other() -> None:
    def outer(k: int) -> int:
        return sum(run_all([lambda: k, lambda: 10 * k]))

    assert run_all([lambda: outer(1), lambda: outer(2), lambda: outer(3)]) == [11, 22, 33]
