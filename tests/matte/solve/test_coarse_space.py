import numpy as np
import pytest

from peel.matte.solve import conjugate_gradients
from peel.matte.solve.bilinear_basis import Product, basis_on_band, couplings
from peel.matte.solve.coarse_space import _coarser, _gathered, coarse_space
from peel.matte.solve.conjugate_gradients import _State, solve_band
from peel.matte.solve.laplacian import assemble_band

_EPS = 1e-5


def _picture(height: int, width: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    rng = np.random.default_rng(1)
    photo = rng.random((height, width, 3), np.float32)
    band = np.zeros((height, width), bool)
    band[3:-3, 4:-5] = rng.random((height - 6, width - 9)) < 0.9
    return photo, band, (np.mgrid[:height, :width][1] > width // 2).astype(np.float32)


def _dense(photo: np.ndarray, band: np.ndarray, fixed: np.ndarray) -> np.ndarray:
    """Read the system matrix off the stencil, in double precision."""
    system = assemble_band(photo, band, fixed, _EPS)
    index = np.full((band.shape[0] + 4, band.shape[1] + 4), -1)
    index[2:-2, 2:-2][band] = np.arange(system.size)
    out = np.diag(system.stencil[0].astype(float))
    steps = [(0, 1), (0, 2), *((down, across) for down in (1, 2) for across in range(-2, 3))]
    for row, (down, across) in enumerate(steps, start=1):
        for y, x in zip(*np.nonzero(index >= 0), strict=True):
            other = index[y + down, x + across]
            if other >= 0:
                out[index[y, x], other] = out[other, index[y, x]] = system.stencil[row, index[y, x]]
    return out


def _product(photo: np.ndarray, band: np.ndarray, fixed: np.ndarray) -> Product:
    system = assemble_band(photo, band, fixed, _EPS)
    return _State(system, np.zeros(system.size, np.float32)).add_product


def test_the_coarse_correction_solves_the_coarse_problem() -> None:
    photo, band, fixed = _picture(30, 37)
    dense = _dense(photo, band, fixed)
    system = assemble_band(photo, band, fixed, _EPS)
    product = _product(photo, band, fixed)

    space = coarse_space(system.runs, system.shape, photo[band], product, spacing=8)
    ys, xs = (part + 2 for part in np.nonzero(band))
    basis = []
    for row in range(space.basis.nodes.shape[0]):
        for column in range(space.basis.nodes.shape[1]):
            hat = np.clip(1 - np.abs(ys / 8 - row), 0, 1) * np.clip(1 - np.abs(xs / 8 - column), 0, 1)
            if space.basis.nodes[row, column] >= 0:
                basis += [hat, *(hat * photo[band][:, c] for c in range(3))]
    basis = np.stack(basis, axis=1)
    residual = np.random.default_rng(2).normal(size=system.size).astype(np.float32)
    expected = basis @ np.linalg.pinv(basis.T @ dense @ basis, rcond=1e-10) @ (basis.T @ residual)

    own, out = np.full(system.size, 0.3, np.float32), np.empty(system.size, np.float32)
    inner = space.precondition(residual, own, out, [space.basis.everything])

    correction = out - own * residual
    assert np.abs(correction - expected).max() < 0.02 * np.abs(expected).max()
    assert inner == pytest.approx(float(residual @ out), rel=1e-4)


def test_a_coarser_grid_couples_as_if_it_were_laid_by_itself() -> None:
    photo, band, fixed = _picture(60, 75)
    system = assemble_band(photo, band, fixed, _EPS)
    product = _product(photo, band, fixed)

    fine, wide = (basis_on_band(system.runs, system.shape, photo[band], spacing) for spacing in (8, 16))
    blocks, expected = (couplings(basis, np.zeros((basis.size, 3)), product) for basis in (fine, wide))
    coarser, ways = _coarser(fine.nodes)

    rows, columns = np.nonzero(wide.nodes >= 0)
    gathered = _gathered(blocks, fine.nodes, coarser)[coarser[rows, columns]]
    np.testing.assert_allclose(gathered, expected, atol=1e-4 * np.abs(expected).max())
    ones = np.ones(system.size, np.float32)
    summed = ways.T @ fine.restrict(ones, [fine.everything])
    np.testing.assert_allclose(summed[coarser[rows, columns]], wide.restrict(ones, [wide.everything]), rtol=1e-4)


def test_a_wide_band_needs_few_iterations() -> None:
    ys, xs = np.mgrid[:300, :400]
    truth = np.clip((xs - 150 + 30 * np.sin(ys / 20)) / 60, 0, 1).astype(np.float32)
    rng = np.random.default_rng(0)
    photo = (truth[..., None] * (0.8, 0.5, 0.2) + (1 - truth[..., None]) * (0.1, 0.3, 0.5)).astype(np.float32)
    photo += rng.normal(0, 0.005, photo.shape).astype(np.float32)
    band = np.zeros(truth.shape, bool)
    band[:, 20:380] = True

    system = assemble_band(photo, band, (xs > 200).astype(np.float32), 1e-7)
    values, report = solve_band(system, photo[band], np.full(band.sum(), 0.5, np.float32), tolerance=1e-4)

    assert report.converged
    assert report.iterations < 80
    assert np.abs(values - truth[band]).mean() < 0.02


@pytest.mark.parametrize("above", [1, 10**9])
def test_the_cut_into_pieces_does_not_show(above: int, monkeypatch: pytest.MonkeyPatch) -> None:
    photo, band, fixed = _picture(90, 110)
    start = np.full(int(band.sum()), 0.5, np.float32)
    monkeypatch.setattr(conjugate_gradients, "_PARALLEL_ABOVE", above)

    values, report = solve_band(assemble_band(photo, band, fixed, _EPS), photo[band], start, tolerance=1e-6)

    system = assemble_band(photo, band, fixed, _EPS)
    expected = np.linalg.solve(_dense(photo, band, fixed), system.rhs.astype(float))
    assert report.converged
    np.testing.assert_allclose(values, expected, atol=2e-3)


@pytest.mark.parametrize("rows", [(17, 18), (63, 65), (0, 1), (95, 96)])
def test_a_band_may_be_a_line_beside_the_seam_of_two_strips(rows: tuple[int, int]) -> None:
    photo, _, fixed = _picture(96, 40)
    band = np.zeros(fixed.shape, bool)
    band[rows[0] : rows[1], 5:-5] = True
    start = np.full(int(band.sum()), 0.5, np.float32)

    values, report = solve_band(assemble_band(photo, band, fixed, _EPS), photo[band], start, tolerance=1e-6)

    system = assemble_band(photo, band, fixed, _EPS)
    assert report.converged
    np.testing.assert_allclose(values, np.linalg.solve(_dense(photo, band, fixed), system.rhs.astype(float)), atol=2e-3)
