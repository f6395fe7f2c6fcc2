import cv2
import numpy as np
import pytest

from peel.matte.solve import sparsity
from peel.matte.solve.closed_form import solve_matte
from peel.matte.solve.conjugate_gradients import solve_band
from peel.matte.solve.laplacian import assemble_band
from peel.matte.solve.settings import EdgeTerms, SolveSettings
from peel.matte.solve.sparsity import sparsity_terms, texture_weight

_HALF = np.full(5, 0.5, np.float32)
_ROUGH = np.ones(5, np.float32)


def test_what_is_nearly_clear_or_solid_is_pulled_there() -> None:
    alpha = np.array([0.01, 0.2, 0.5, 0.8, 0.99], np.float32)

    weight, towards = sparsity_terms(alpha, np.full(5, 0.8, np.float32), np.zeros(5, np.float32), _ROUGH, strength=1e-5)

    share = towards / weight
    assert np.all(np.diff(share) > 0)
    assert share[0] < 0.02
    assert share[-1] > 0.98
    assert weight[0] > 5 * weight[2]
    assert weight[-1] > 5 * weight[2]


def test_colour_holds_back_the_pull() -> None:
    near_solid = np.full(5, 0.97, np.float32)
    near_clear = np.full(5, 0.03, np.float32)
    none, sure = np.zeros(5, np.float32), np.ones(5, np.float32)

    assert np.all(sparsity_terms(near_solid, none, none, _ROUGH, strength=1e-5)[1] == 0)  # it looks like backdrop
    assert np.all(
        sparsity_terms(near_clear, _HALF, sure, _ROUGH, strength=1e-5)[0]
        < 0.1 * sparsity_terms(near_clear, _HALF, none, _ROUGH, strength=1e-5)[0]
    )
    assert np.all(sparsity_terms(near_solid, _HALF, none, np.zeros(5, np.float32), strength=1e-5)[0] == 0)


def test_plain_material_is_not_rough_nor_is_what_lies_in_it() -> None:
    plain = np.full((60, 60), 4, np.uint8)
    plain[:, 30:] = 0
    plain[30, 10] = 0
    band = np.ones(plain.shape, bool)

    rough = texture_weight(plain, band).reshape(plain.shape)

    assert rough[:, :20].max() == 0
    assert rough[:, 40:].min() == 1


def _leaves() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Draw blots of changing tone before a sky, with noise, as an unsure zone between a subject and a backdrop."""
    rng = np.random.default_rng(4)

    def cloud(size: float) -> np.ndarray:
        field = cv2.GaussianBlur(rng.standard_normal((160, 200), np.float32), (0, 0), size)
        return np.asarray(field / field.std())

    truth = cv2.GaussianBlur((cloud(4) > 0.2).astype(np.float32), (0, 0), 0.7)
    truth[:, :20], truth[:, 180:] = 1, 0
    front = np.array([0.16, 0.26, 0.10], np.float32) * np.exp(0.4 * cloud(5))[..., None]
    back = np.array([0.62, 0.74, 0.86], np.float32) * (1 + 0.04 * cloud(30))[..., None]
    photo = front * truth[..., None] + back * (1 - truth[..., None])
    photo += rng.normal(0, 0.01, photo.shape).astype(np.float32)
    zones = np.full(truth.shape, 128, np.uint8)
    zones[:, :20], zones[:, 180:] = 255, 0
    return photo.astype(np.float32), truth, zones


def test_pulling_makes_leaves_of_changing_tone_solid() -> None:
    photo, truth, zones = _leaves()

    plain, _ = solve_matte(photo, zones, settings=SolveSettings(terms=EdgeTerms(sparsity=0)))
    pulled, report = solve_matte(photo, zones)

    band = zones == 128
    assert report.converged
    assert np.abs(pulled - truth)[band].mean() < 0.95 * np.abs(plain - truth)[band].mean()


def test_a_pull_is_solved_for_exactly() -> None:
    photo, _, zones = _leaves()
    band = zones == 128
    fixed = (zones == 255).astype(np.float32)
    rng = np.random.default_rng(1)
    weight, towards = (0.01 * rng.random(int(band.sum()), np.float32) for _ in range(2))
    start = np.full(int(band.sum()), 0.5, np.float32)
    given = assemble_band(photo, band, fixed, 1e-5)
    given.stencil[0] += weight
    given.rhs[...] += towards

    expected, _ = solve_band(given, photo[band], start, tolerance=1e-6)
    system = assemble_band(photo, band, fixed, 1e-5)
    pulled, report = solve_band(system, photo[band], start, tolerance=1e-6, priors=[lambda _alpha: (weight, towards)])

    assert report.converged
    np.testing.assert_allclose(pulled, expected, atol=2e-3)


@pytest.mark.parametrize("rows", [4, 16, 60])
def test_roughness_in_strips_does_not_show(rows: int, monkeypatch: pytest.MonkeyPatch) -> None:
    rng = np.random.default_rng(8)
    plain = (rng.random((150, 70)) < np.linspace(0, 1, 150)[:, None]).astype(np.uint8) * np.uint8(2)
    band = rng.random((150, 70)) < 0.7
    whole = texture_weight(plain, band)

    monkeypatch.setattr(sparsity, "_ROWS", rows)

    assert 0 < whole.mean() < 1
    np.testing.assert_array_equal(texture_weight(plain, band), whole)
