import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from peel.matte.solve import conjugate_gradients
from peel.matte.solve.bilinear_basis import basis_on_band
from peel.matte.solve.conjugate_gradients import _State, solve_band
from peel.matte.solve.laplacian import BandSystem, assemble_band

_EPS = 1e-5


def _system(seed: int, height: int = 40, width: int = 52) -> tuple[BandSystem, np.ndarray]:
    """Assemble the system of a random picture with a ragged band; also the band's colours."""
    rng = np.random.default_rng(seed)
    photo = rng.random((height, width, 3), np.float32)
    band = rng.random((height, width)) < rng.uniform(0.2, 0.95)
    band[0, 0] = True
    fixed = (rng.random((height, width)) < 0.5).astype(np.float32)
    return assemble_band(photo, band, fixed, _EPS), photo[band]


@settings(max_examples=25)
@given(seed=st.integers(0, 10_000))
def test_what_hats_add_up_and_what_they_spread_out_are_each_others_mirror(seed: int) -> None:
    system, colours = _system(seed)
    basis = basis_on_band(system.runs, system.shape, colours, 8)
    rng = np.random.default_rng(seed)
    values, answer = rng.normal(size=system.size).astype(np.float32), rng.normal(size=(basis.size, 4))
    field, none = np.empty_like(values), np.zeros_like(values)

    inner = basis.prolong(answer, values, none, field, [basis.everything])

    sums = basis.restrict(values, [basis.everything])
    assert inner == pytest.approx(float((sums * answer).sum()), rel=1e-3, abs=1e-2)
    assert inner == pytest.approx(float(field.astype(float) @ values), rel=1e-3, abs=1e-2)


@settings(max_examples=15)
@given(seed=st.integers(0, 10_000))
def test_products_are_symmetric_and_never_negative(seed: int) -> None:
    system, _ = _system(seed)
    size = system.size
    state = _State(system, np.zeros(size, np.float32))
    rng = np.random.default_rng(seed)
    one, other = (rng.normal(size=size).astype(np.float32) for _ in range(2))

    def product(values: np.ndarray) -> tuple[np.ndarray, float]:
        state.z = values
        state.update_direction(0.0)
        inner = state.multiply()
        out = conjugate_gradients.kernels.gather(state.runs, state.y, size)
        state.step(0.0)
        return out.astype(float), inner

    (of_one, inner), (of_other, _) = product(one), product(other)

    assert of_one @ other == pytest.approx(of_other @ one, rel=1e-3, abs=1e-2)
    assert inner == pytest.approx(of_one @ one, rel=1e-3, abs=1e-2)
    assert inner >= 0


def test_the_stencil_is_packed_alike_in_any_portions(monkeypatch: pytest.MonkeyPatch) -> None:
    whole = _State(_system(3)[0], np.zeros(_system(3)[0].size, np.float32)).packed

    monkeypatch.setattr(conjugate_gradients, "_PACK_CHUNK", 7)
    parts = _State(_system(3)[0], np.zeros(_system(3)[0].size, np.float32)).packed

    np.testing.assert_array_equal(whole, parts)


def _wide(seed: int = 5) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Draw a wide smooth slope before a noisy wall: what takes a solver long."""
    ys, xs = np.mgrid[:160, :240]
    truth = np.clip((xs - 70 + 20 * np.sin(ys / 15)) / 90, 0, 1).astype(np.float32)
    noise = np.random.default_rng(seed).normal(0, 0.01, (160, 240, 3))
    photo = truth[..., None] * (0.7, 0.6, 0.3) + (1 - truth[..., None]) * (0.3, 0.35, 0.4) + noise
    band = np.zeros(truth.shape, bool)
    band[:, 20:220] = True
    return photo.astype(np.float32), band, (xs > 120).astype(np.float32)


@pytest.mark.parametrize("tolerance", [4e-3, 8e-4, 1e-4])
def test_how_far_alpha_moved_last_tells_what_is_still_missing(tolerance: float) -> None:
    photo, band, fixed = _wide()
    start = np.full(int(band.sum()), 0.5, np.float32)

    rough, report = solve_band(assemble_band(photo, band, fixed, 1e-7), photo[band], start, tolerance=tolerance)
    exact, _ = solve_band(assemble_band(photo, band, fixed, 1e-7), photo[band], start, tolerance=1e-6)

    missing = float(np.sqrt(np.square(rough - exact).mean()))
    assert report.converged
    assert report.moved <= tolerance
    assert missing < 5 * tolerance


def test_a_good_start_needs_fewer_iterations() -> None:
    photo, band, fixed = _wide()
    start = np.full(int(band.sum()), 0.5, np.float32)

    solution, cold = solve_band(assemble_band(photo, band, fixed, 1e-7), photo[band], start)
    _, warm = solve_band(assemble_band(photo, band, fixed, 1e-7), photo[band], solution)

    assert warm.iterations < 0.5 * cold.iterations


def test_the_share_done_only_grows() -> None:
    photo, band, fixed = _wide()
    shares: list[float] = []

    def still(alpha: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        return np.full_like(alpha, 1e-5), np.full_like(alpha, 5e-6)

    solve_band(
        assemble_band(photo, band, fixed, 1e-7),
        photo[band],
        np.full(int(band.sum()), 0.5, np.float32),
        priors=[still],
        progress=shares.append,
    )

    assert len(shares) > 20
    assert shares == sorted(shares)
    assert 0 <= shares[0] < 0.1
    assert 0.8 < shares[-1] <= 1


def test_pulls_are_added_up() -> None:
    photo, band, fixed = _wide()
    start = np.full(int(band.sum()), 0.5, np.float32)

    def to(value: float, weight: float) -> conjugate_gradients.PriorTerms:
        return lambda alpha: (np.full_like(alpha, weight), np.full_like(alpha, weight * value))

    def solved(*priors: conjugate_gradients.PriorTerms) -> np.ndarray:
        system = assemble_band(photo, band, fixed, 1e-7)
        return solve_band(system, photo[band], start, tolerance=1e-5, priors=priors)[0]

    both, middle = solved(to(0.0, 1.0), to(1.0, 1.0)), solved(to(0.5, 2.0))

    np.testing.assert_allclose(both, middle, atol=1e-3)
    assert np.abs(middle - 0.5).mean() < 0.05
