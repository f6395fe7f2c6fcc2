"""What a hand's clicks and drags make of a contour: runs that are straight, freehand, or follow the photo's edge."""

from typing import Final

import numpy as np

from peel.job.edits import contours
from peel.job.job import Job
from peel.job.settings import Point
from peel.work.marking.finding import Finder
from peel.work.marking.tracing import Tracer

__all__ = ["close_along", "found_within_outline", "freehand", "set_point"]

_TRACED_PX: Final = 1.25  # how far fitted curves may stray from a line along an edge


def freehand(job: Job, run: list[Point], tolerance: float, exact: bool, hole: bool) -> Job:
    """Continue the open contour with a freehand run, or begin one with it."""
    drawing = contours.open_contour(job)
    start = drawing.nodes[-1].at if drawing is not None else run[0]
    near = np.hypot(start[0] - run[0][0], start[1] - run[0][1]) < 4 * tolerance
    out, nodes = contours.nodes_along(run, tolerance, exact=exact)
    if drawing is None or not near:
        # A run that begins away from the last point is joined to it by a straight stretch, without a bend.
        return contours.add_nodes(job, [contours.make_node(run[0], out=out, exact=exact), *nodes], hole=hole)
    return contours.add_nodes(job, nodes, out=out)


def set_point(job: Job, to: Point, reach: float, exact: bool, hole: bool, tracer: Tracer | None) -> Job:
    """Continue the open contour to a point, straight or along the edge; close it if that is its start."""
    drawing = contours.open_contour(job)
    if drawing is not None and len(drawing.nodes) > 2 and np.hypot(*np.subtract(drawing.nodes[0].at, to)) <= reach:
        return close_along(job, exact, tracer)
    if tracer is not None:
        to = tracer.snapped(to, reach)
    if drawing is None or tracer is None:
        return contours.add_node(job, contours.make_node(to, exact=exact), hole=hole)
    line = tracer.path(drawing.nodes[-1].at, to)
    out, nodes = contours.nodes_along([(float(x), float(y)) for x, y in line], _TRACED_PX, exact=exact)
    return contours.add_nodes(job, nodes, out=out) if nodes else job


def found_within_outline(job: Job, finder: Finder) -> Job:
    """Take the open contour for a limit: find the subject within it, and drop the contour.

    Raises
    ------
    MarkError
        If nothing within differs from what lies around it.
    """
    drawing = contours.open_contour(job)
    left = contours.leave_contour(job)
    return left if drawing is None or len(drawing.nodes) < 3 else finder.mark_within(left, contours.outline_of(drawing))


def close_along(job: Job, exact: bool, tracer: Tracer | None) -> Job:
    """Close the open contour, straight or along the edge."""
    drawing = contours.open_contour(job)
    if drawing is None or tracer is None or len(drawing.nodes) < 3:
        return contours.close_contour(job, exact=exact)
    line = tracer.path(drawing.nodes[-1].at, drawing.nodes[0].at)
    out, nodes = contours.nodes_along([(float(x), float(y)) for x, y in line], _TRACED_PX, exact=exact)
    return contours.close_contour(job, nodes, out=out, exact=exact)
