"""How good and how fast the matte is, against closed-form matting in plain SciPy."""

import time

from bench.baseline import closed_form, guided, nearest_colour
from bench.cases import Case
from peel.matte.foreground import estimate_foreground
from peel.matte.measures import colour_error, gradient_error, sad
from peel.matte.solve import solve_matte

__all__ = ["HEAD", "row"]

HEAD = (
    "| case | unsure px | SAD ratio | gradient ratio | colour ratio | guided filter's SAD ratio | "
    "seconds | baseline seconds | times faster |\n|---|---|---|---|---|---|---|---|---|"
)


def row(case: Case) -> str:
    """Measure one case; one line of the table."""
    band = case.band
    since = time.perf_counter()
    alpha, report = solve_matte(case.photo, case.zones)
    ours = time.perf_counter() - since
    since = time.perf_counter()
    base, _iterations = closed_form(case.photo, case.zones)
    theirs = time.perf_counter() - since
    base_sad = sad(base, case.alpha, band)
    colour = "–"
    if case.colours is not None:
        found = colour_error(estimate_foreground(case.photo, alpha), alpha, case.colours, case.alpha, band)
        nearest = colour_error(nearest_colour(case.photo, case.zones), alpha, case.colours, case.alpha, band)
        colour = f"{found / nearest:.2f}"
    filtered = sad(guided(case.photo, case.zones), case.alpha, band)
    parts = (
        case.name,
        f"{report.unknowns}",
        f"{sad(alpha, case.alpha, band) / base_sad:.3f}",
        f"{gradient_error(alpha, case.alpha, band) / gradient_error(base, case.alpha, band):.3f}",
        colour,
        f"{filtered / base_sad:.2f}",
        f"{ours:.1f}",
        f"{theirs:.1f}",
        f"{theirs / ours:.1f}",
    )
    return "| " + " | ".join(parts) + " |"
