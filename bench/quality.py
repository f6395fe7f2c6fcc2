"""How good and how fast the matte is, against closed-form matting in plain SciPy."""

import time

import numpy as np

from bench.baseline import closed_form, guided, nearest_colour
from bench.cases import Case
from peel.matte.colour.foreground import estimate_foreground
from peel.matte.inspect.measures import colour_error, connectivity_error, gradient_error, sad
from peel.matte.solve.closed_form import solve_matte

__all__ = ["HEAD", "row"]

HEAD = (
    "| case | unsure px | baseline's mean error | SAD ratio | gradient ratio | connectivity ratio | colour ratio | "
    "guided filter's SAD ratio | iterations | seconds | baseline seconds | times faster |\n" + "|---" * 12 + "|"
)


def row(case: Case) -> str:
    """Measure one case; one line of the table."""
    band = case.band
    since = time.perf_counter()
    alpha, report = solve_matte(case.photo, case.zones)
    ours = time.perf_counter() - since
    since = time.perf_counter()
    base, iterations = closed_form(case.photo, case.zones)
    theirs = time.perf_counter() - since
    mattes = (alpha, base, guided(case.photo, case.zones))
    errors = [sad(matte, case.alpha, band) for matte in mattes]
    gradients = [gradient_error(matte, case.alpha, band) for matte in mattes[:2]]
    connections = [connectivity_error(matte, case.alpha, band) for matte in mattes[:2]]
    parts = (
        case.name,
        f"{report.unknowns}",
        f"{errors[1] * 1000 / report.unknowns:.4f}",
        f"{errors[0] / errors[1]:.3f}",
        f"{gradients[0] / gradients[1]:.3f}",
        f"{connections[0] / connections[1]:.3f}",
        _colour_ratio(case, alpha),
        f"{errors[2] / errors[1]:.2f}",
        f"{report.iterations} / {iterations}",
        f"{ours:.1f}",
        f"{theirs:.0f}",
        f"{theirs / ours:.1f}",
    )
    return "| " + " | ".join(parts) + " |"


def _colour_ratio(case: Case, alpha: np.ndarray) -> str:
    """Compare the error of the cutout's colours with that of the nearest certain subject colour, same matte."""
    if case.colours is None:
        return "–"
    colours = (estimate_foreground(case.photo, alpha), nearest_colour(case.photo, case.zones))
    found, nearest = (colour_error(part, alpha, case.colours, case.alpha, case.band) for part in colours)
    return f"{found / nearest:.2f}"
