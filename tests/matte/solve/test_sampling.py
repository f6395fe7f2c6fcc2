import numpy as np
import pytest

from peel.matte.solve.closed_form import solve_matte
from peel.matte.solve.sampling import colour_prior, gathering_step
from peel.matte.solve.settings import EdgeTerms, SolveSettings


def _leaves(height: int = 160, width: int = 200) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Discs in two greens before a bright sky, with gaps that no certain backdrop reaches; the band lies over all."""
    rng = np.random.default_rng(4)
    ys, xs = np.mgrid[:height, :width]
    alpha = (xs < 30).astype(np.float32)
    greens = np.array([[0.12, 0.32, 0.10], [0.22, 0.24, 0.06]])
    colour = np.where((ys < height / 2)[..., None], greens[0], greens[1])
    for y, x in zip(rng.uniform(0, height, 110), rng.uniform(25, 150, 110), strict=True):
        disc = np.clip(9.5 - np.hypot(ys - y, xs - x), 0, 1)
        alpha = np.maximum(alpha, disc)
        colour = np.where(disc[..., None] > 0, greens[int(rng.integers(2))], colour)
    sky = np.array([0.80, 0.88, 0.95])
    photo = alpha[..., None] * colour + (1 - alpha[..., None]) * sky + rng.normal(0, 0.01, (height, width, 3))
    zones = np.full(alpha.shape, 128, np.uint8)
    zones[:, :25], zones[:, 170:] = 255, 0
    return np.clip(photo, 0, 1).astype(np.float32), alpha.astype(np.float32), zones


def test_opens_gaps_that_the_laplacian_alone_fills() -> None:
    photo, truth, zones = _leaves()
    band = zones == 128

    alone, _ = solve_matte(
        photo, zones, settings=SolveSettings(terms=EdgeTerms(sampled_colour=0, local_colour=0, patches=0, lines=0))
    )
    helped, report = solve_matte(photo, zones)

    assert report.converged
    assert np.abs(helped - truth)[band].mean() < 0.3 * np.abs(alone - truth)[band].mean()


def test_is_sure_where_the_colours_differ_and_silent_where_they_do_not() -> None:
    photo, truth, zones = _leaves()
    same = np.full_like(photo, 0.5)

    sure, silent = colour_prior(photo, zones), colour_prior(same, zones)

    trusted = sure.confidence > 0.1
    assert trusted.mean() > 0.2
    assert np.abs(sure.alpha - truth)[trusted].mean() < 0.05
    assert silent.confidence.max() == 0


@pytest.mark.parametrize("turn", [np.fliplr, np.flipud, np.rot90])
def test_turns_with_the_photo(turn: object) -> None:
    photo, _, zones = _leaves()

    straight = colour_prior(photo, zones)
    turned = colour_prior(np.ascontiguousarray(turn(photo)), np.ascontiguousarray(turn(zones)))

    assert np.abs(turn(straight.alpha) - turned.alpha).mean() < 0.005


@pytest.mark.parametrize("shape", [(160, 200), (2000, 1000), (3000, 2000)])
def test_a_window_gives_what_the_photo_gives(shape: tuple[int, int]) -> None:
    photo, _, zones = _leaves()
    wanted = np.zeros(zones.shape, bool)
    wanted[60:90, 80:120] = True

    whole = colour_prior(photo, zones, photo_shape=shape)
    part = colour_prior(photo, zones, wanted=wanted, photo_shape=shape)

    np.testing.assert_allclose(part.alpha[wanted], whole.alpha[wanted], atol=1e-5)
    np.testing.assert_allclose(part.confidence[wanted], whole.confidence[wanted], atol=1e-5)


@pytest.mark.parametrize(("pixels", "step"), [(400_000, 1), (2_000_000, 2), (6_000_000, 4), (60_000_000, 4)])
def test_more_pixels_of_larger_photos_share_what_they_gather(pixels: int, step: int) -> None:
    assert gathering_step(pixels) == step


@pytest.mark.parametrize("value", [0, 128, 255])
def test_a_single_zone_gives_no_confidence(value: int) -> None:
    photo, _, zones = _leaves(40, 50)

    prior = colour_prior(photo, np.full_like(zones, value))

    assert (prior.confidence == 0).all()
    assert np.isfinite(prior.alpha).all()
