import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from peel.matte.solve.closed_form import solve_matte
from peel.matte.solve.local_colours import LocalColourModel, block_side
from peel.matte.solve.noise import NoiseCurve
from peel.matte.solve.settings import EdgeTerms, SolveSettings

SKY, HAIR = np.array([0.55, 0.7, 0.9]), np.array([0.25, 0.12, 0.06])
QUIET = NoiseCurve(np.full(16, 1e-5, np.float32), np.ones(3, np.float32))


def _strands(hair: np.ndarray = HAIR, sky: np.ndarray = SKY, sigma: float = 0.003) -> tuple[np.ndarray, np.ndarray]:
    """Draw thin strands with gaps between them, solid on the left and clear on the right."""
    rng = np.random.default_rng(2)
    across = np.mgrid[:96, :160][0]
    alpha = np.clip(1.4 * np.sin(across * 0.55) ** 2 - 0.2, 0, 1).astype(np.float32)
    alpha[:, :30], alpha[:, 130:] = 1, 0
    tone = hair * (1 + 0.15 * np.sin(np.mgrid[:96, :160][1] / 9.0))[..., None]
    photo = alpha[..., None] * tone + (1 - alpha[..., None]) * sky + rng.normal(0, sigma, (96, 160, 3))
    return photo.astype(np.float32), alpha


def _asked(photo: np.ndarray, alpha: np.ndarray, rough: float = 1.0) -> tuple[LocalColourModel, np.ndarray]:
    band = np.zeros(alpha.shape, bool)
    band[:, 30:130] = True
    fixed = np.where(band, 0, alpha).astype(np.float32)
    return LocalColourModel(photo, fixed, band, np.full(int(band.sum()), rough, np.float32), QUIET, 4), band


def test_a_rough_answer_is_brought_closer_to_the_truth() -> None:
    photo, truth = _strands()
    near, band = _asked(photo, truth)
    guess = np.clip(
        truth[band] + 0.25 * np.where(truth[band] < 0.5, 1, -1) * ((truth[band] > 0) & (truth[band] < 1)), 0, 1
    )

    weight, towards = near.terms(guess.astype(np.float32))

    heard = weight > 0
    assert heard.mean() > 0.95
    estimate = towards[heard] / weight[heard]
    assert np.abs(estimate - truth[band][heard]).mean() < 0.4 * np.abs(guess - truth[band])[heard].mean()
    assert weight.dtype == towards.dtype == np.float32


def test_strong_contrast_without_noise_is_explained_at_every_alpha() -> None:
    truth = np.broadcast_to(np.clip((np.mgrid[:96, :160][1] - 30) / 100, 0, 1), (96, 160)).astype(np.float32)
    photo = np.repeat(truth[..., None], 3, axis=2) * np.float32(0.98) + np.float32(0.01)
    near, band = _asked(photo, truth)

    weight, towards = near.terms(truth[band])

    assert (weight > 0).all()
    assert np.abs(towards / weight - truth[band]).max() < 0.15


def test_alike_colours_are_hardly_listened_to() -> None:
    differ, truth = _strands()
    alike, _ = _strands(sky=HAIR * 1.05)

    weights = []
    for photo in (differ, alike):
        near, band = _asked(photo, truth)
        weights.append(near.terms(truth[band])[0].mean())

    assert weights[1] < 0.1 * weights[0]


def test_what_neither_side_explains_and_what_is_plain_is_left_alone() -> None:
    photo, truth = _strands()
    photo[40:44, 60:64], truth[40:44, 60:64] = (0.1, 0.9, 0.1), 0.5
    near, band = _asked(photo, truth)
    plain, _ = _asked(photo, truth, rough=0.0)

    weight = np.zeros(band.shape, np.float32)
    weight[band] = near.terms(truth[band])[0]

    assert (weight[41:43, 61:63] == 0).all()
    assert not plain.terms(truth[band])[0].any()


def test_a_window_gives_what_the_whole_gives() -> None:
    photo, truth = _strands()
    near, band = _asked(photo, truth)
    window = np.s_[:, 32:160]
    inner = LocalColourModel(
        np.ascontiguousarray(photo[window]), near.fixed[window], band[window], near.texture[: int(band[window].sum())], QUIET, 4
    )  # fmt: skip
    whole, part = np.zeros(band.shape, np.float32), np.zeros(band[window].shape, np.float32)

    weight, towards = near.terms(truth[band])
    whole[band] = towards / weight
    weight, towards = inner.terms(truth[window][band[window]])
    part[band[window]] = towards / weight

    np.testing.assert_allclose(part[:, 48:96], whole[window][:, 48:96], atol=2 / 255)


@settings(deadline=None, max_examples=25)
@given(
    shape=st.tuples(st.integers(1, 40), st.integers(1, 40)),
    value=st.sampled_from([0.0, 0.3, 1.0]),
    guess=st.sampled_from([0.0, 0.5, 1.0]),
    side=st.sampled_from([4, 8, 16]),
)
def test_flat_and_tiny_pictures_give_numbers(shape: tuple[int, int], value: float, guess: float, side: int) -> None:
    photo = np.full((*shape, 3), value, np.float32)
    band = np.ones(shape, bool)
    rough = np.ones(band.size, np.float32)

    weight, towards = LocalColourModel(photo, np.zeros(shape, np.float32), band, rough, QUIET, side).terms(
        np.full(band.size, guess, np.float32)
    )

    assert np.isfinite(weight).all()
    assert np.isfinite(towards).all()
    assert (towards >= 0).all()
    assert (towards <= weight * np.float32(1.0001)).all()


@pytest.mark.parametrize(("pixels", "side"), [(2_000_000, 4), (6_000_000, 8), (24_000_000, 16)])
def test_blocks_grow_with_the_photo(pixels: int, side: int) -> None:
    assert block_side(pixels) == side


def test_thin_strands_come_out_closer_with_the_colours_nearby() -> None:
    photo, truth = _strands(sigma=0.006)
    zones = np.full(truth.shape, 128, np.uint8)
    zones[:, :25], zones[:, 135:] = 255, 0
    band = zones == 128

    with_them, report = solve_matte(photo, zones)
    without, _ = solve_matte(photo, zones, settings=SolveSettings(terms=EdgeTerms(local_colour=0)))

    assert report.converged
    assert np.abs(with_them - truth)[band].mean() < 0.9 * np.abs(without - truth)[band].mean()


def _veil(colour: np.ndarray, body: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Draw cloth of one colour, between a body on the left and a wall on the right that gets lighter downwards."""
    down, across = np.mgrid[:96, :160]
    wall = np.array([0.30, 0.20, 0.14]) * (1 + 0.5 * down / 96)[..., None]
    truth = np.clip(0.45 + 0.15 * np.sin(down / 9.0), 0, 1).astype(np.float32)
    truth[:, :30], truth[:, 130:] = 1, 0
    subject = np.where((across < 30)[..., None], body, colour)
    noise = np.random.default_rng(4).normal(0, 0.003, (96, 160, 3))
    photo = truth[..., None] * subject + (1 - truth[..., None]) * wall + noise
    band = np.zeros(truth.shape, bool)
    band[:, 30:130] = True
    return photo.astype(np.float32), truth, band


def test_a_colour_given_for_cloth_is_found_before_a_backdrop_that_changes() -> None:
    own = np.array([0.8, 0.75, 0.9], np.float32)
    photo, truth, band = _veil(own, np.array([0.35, 0.2, 0.1]))
    fixed, plain = np.where(band, 0, truth).astype(np.float32), np.zeros(int(band.sum()), np.float32)
    poor_guess = np.full(int(band.sum()), 0.1, np.float32)
    others = np.array([[0.1, 0.9, 0.1], own], np.float32)

    weight, towards = LocalColourModel(photo, fixed, band, plain, QUIET, 4, others).terms(poor_guess)

    heard = np.zeros(band.shape, bool)
    heard[band] = weight > 0
    inside = heard[:, 40:120]
    assert inside.mean() > 0.95
    estimate = np.zeros(band.shape, np.float32)
    estimate[band] = towards / np.maximum(weight, 1e-12)
    assert np.abs(estimate - truth)[heard].mean() < 0.03


def test_a_colour_given_for_cloth_leaves_alone_what_marked_colours_explain() -> None:
    body = np.array([0.1, 0.2, 0.6])
    photo, truth, band = _veil(body, body)
    fixed, plain = np.where(band, 0, truth).astype(np.float32), np.zeros(int(band.sum()), np.float32)
    rough = np.ones_like(plain)
    given = np.array([[0.8, 0.75, 0.9]], np.float32)

    sheer, _ = LocalColourModel(photo, fixed, band, plain, QUIET, 4, given).terms(truth[band])
    certain, _ = LocalColourModel(photo, fixed, band, rough, QUIET, 4).terms(truth[band])

    assert sheer.mean() < 0.1 * certain.mean()
