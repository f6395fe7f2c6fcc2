"""Edits of contours: drawing on, closing, moving and bending; they stay editable for good.

All are pure functions from a job to a new one.
"""

from collections.abc import Callable, Sequence
from itertools import pairwise
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.errors import MarkError
from peel.job.edits.kinds import RELEASED
from peel.job.edits.lay_band import lay_zones
from peel.job.job import Job
from peel.job.marked import trust_code
from peel.job.plane import Plane
from peel.job.rect import Rect
from peel.job.settings import MOST_CONTOURS, Contour, Node, Point
from peel.matte.marking.coverage import coverage
from peel.matte.marking.curves import bent, fit_curves, flatten, split
from peel.matte.marking.strokes import stroke_bounds

__all__ = [
    "add_node",
    "add_nodes",
    "change_contour",
    "close_contour",
    "leave_contour",
    "make_node",
    "nodes_along",
    "open_contour",
    "outline_of",
    "piece_of",
    "remove_contour",
    "take_back_node",
    "with_bend",
    "with_contours",
    "with_curve",
    "with_handle",
    "with_moved",
    "with_point",
    "with_smooth",
    "with_trust",
    "without_point",
]

_EXACT_REACH_PX = 3  # pixels beside an exact stretch that count as belonging to it


def open_contour(job: Job) -> Contour | None:
    """Return the contour that is still being drawn, or None."""
    contours = job.settings.photo.contours
    return contours[-1] if contours and not contours[-1].closed else None


def piece_of(contour: Contour, node: int) -> NDArray[np.float64]:
    """Return the piece that leads to a node, (4, 2); node 0's closes the contour."""
    start, end = contour.nodes[node - 1], contour.nodes[node]
    return np.array([start.at, _plus(start.at, start.out), _plus(end.at, end.back), end.at])


def outline_of(contour: Contour) -> NDArray[np.float64]:
    """Return a contour as points close enough together to be joined by straight runs, (N, 2)."""
    if not contour.nodes:
        return np.empty((0, 2))
    order = [*range(1, len(contour.nodes)), *([0] if contour.closed else [])]
    lines = [flatten(piece_of(contour, node))[1:] for node in order]
    return np.concatenate([np.array([contour.nodes[0].at]), *lines])


def nodes_along(run: Sequence[Point], tolerance_px: float, *, exact: bool = False) -> tuple[Point, tuple[Node, ...]]:
    """Fit nodes to a freehand run.

    Returns
    -------
    out : Point
        The handle with which the run leaves its first point.
    nodes : tuple of Node
        Those after that point.
    """
    pieces = [_straightened(piece, tolerance_px) for piece in fit_curves(run, tolerance_px)]
    nodes: list[Node] = []
    for number, piece in enumerate(pieces):
        following = pieces[number + 1] if number + 1 < len(pieces) else None
        back, out = piece[2] - piece[3], (following[1] - following[0]) if following is not None else np.zeros(2)
        smooth = bool(back.any() and out.any() and _turn(-back, out) < 12)
        fitted = following is not None
        nodes.append(
            Node(
                at=_point(piece[3]),
                back=_point(back),
                out=_point(out),
                smooth=smooth,
                trust=1.0 if exact else None,
                fitted=fitted,
            )
        )
    return (_point(pieces[0][1] - pieces[0][0]) if pieces else (0.0, 0.0)), tuple(nodes)


def _straightened(piece: NDArray[np.float64], tolerance_px: float) -> NDArray[np.float64]:
    """Replace a piece by a straight one if that is within tolerance."""
    chord = piece[3] - piece[0]
    length = max(float(np.hypot(*chord)), 1e-9)
    handles = piece[1:3] - piece[0]
    away = np.abs(handles[:, 0] * chord[1] - handles[:, 1] * chord[0]) / length
    return piece[[0, 0, 3, 3]] if away.max() < 0.5 * tolerance_px else piece


def _turn(come: NDArray[np.float64], go: NDArray[np.float64]) -> float:
    return float(np.degrees(abs(np.angle(complex(*come).conjugate() * complex(*go)))))


def add_nodes(job: Job, nodes: Sequence[Node], *, out: Point = (0.0, 0.0), hole: bool = False) -> Job:
    """Continue the open contour, leaving its last node by the handle `out`; begin one if there is none."""
    current = open_contour(job)
    if current is None:
        if len(job.settings.photo.contours) >= MOST_CONTOURS:
            message = f"There are {MOST_CONTOURS} contours already."
            raise MarkError(message, "Remove some, or mark with Sweep or a brush.")
        return job.with_photo_settings(contours=(*job.settings.photo.contours, Contour(nodes=tuple(nodes), hole=hole)))
    last = _changed(current.nodes[-1], out=out)
    longer = current.model_copy(update={"nodes": (*current.nodes[:-1], last, *nodes)})
    return job.with_photo_settings(contours=(*job.settings.photo.contours[:-1], longer))


def add_node(job: Job, node: Node, *, hole: bool = False) -> Job:
    """Continue the open contour to a node by a straight run; a second press on the last one adds nothing."""
    current = open_contour(job)
    if current is not None and _distance(current.nodes[-1].at, node.at) < 0.25:
        return job
    return add_nodes(job, [node], hole=hole)


def take_back_node(job: Job) -> Job:
    """Take the last point off the open contour, and with it the run that led there; the first takes the contour."""
    current = open_contour(job)
    if current is None:
        return job
    drawn = job.settings.photo.contours[:-1]
    nodes = current.nodes[:-1]
    while len(nodes) > 1 and nodes[-1].fitted:
        nodes = nodes[:-1]
    if nodes:
        last = _changed(nodes[-1], out=(0.0, 0.0))
        drawn = (*drawn, current.model_copy(update={"nodes": (*nodes[:-1], last)}))
    return job.with_photo_settings(contours=drawn)


def close_contour(job: Job, nodes: Sequence[Node] = (), *, out: Point = (0.0, 0.0), exact: bool = False) -> Job:
    """Close the open contour and lay the band around it; with fewer than three points it is dropped.

    Parameters
    ----------
    job : Job
    nodes : sequence of Node
        Where the closing stretch runs: the last of them lies on the first point and gives it its handle.
    out : Point
        The handle with which the closing stretch leaves the last point.
    exact : bool
        Whether the closing stretch is exact.
    """
    current = open_contour(job)
    if current is None:
        return job
    rest = job.settings.photo.contours[:-1]
    if len(current.nodes) + max(len(nodes) - 1, 0) < 3:
        return job.with_photo_settings(contours=rest)
    first = _changed(current.nodes[0], exact=exact)
    drawn = current.nodes
    if nodes:
        first = _changed(first, back=nodes[-1].back)
        drawn = (*drawn[:-1], _changed(drawn[-1], out=out), *nodes[:-1])
    closed = current.model_copy(update={"nodes": (first, *drawn[1:]), "closed": True})
    if closed.hole and not rest and not job.has_subject:
        # A hole drawn first is a hole in a subject that is all of the photo.
        filled = Plane.filled(job.photo.height, job.photo.width, 255)
        whole = job.with_photo_settings(unmarked="subject", contours=(closed,)).with_planes(outline=filled)
        return lay_zones(_redrawn(whole, None, closed), job.photo.bounds)
    return _redrawn(job.with_photo_settings(contours=(*rest, closed)), None, closed)


def change_contour(job: Job, number: int, change: Callable[[Contour], Contour]) -> Job:
    """Replace a contour by the result of a function such as `with_moved`, and lay the band around it again.

    With fewer than three points left a closed contour goes altogether, an open one with none.
    """
    drawn = job.settings.photo.contours
    if number >= len(drawn):
        return job
    old, new = drawn[number], change(drawn[number])
    if len(new.nodes) < (3 if new.closed else 1):
        return remove_contour(job, number)
    changed = job.with_photo_settings(contours=(*drawn[:number], new, *drawn[number + 1 :]))
    return _redrawn(changed, old, new) if new.closed else changed


def with_moved(contour: Contour, node: int, to: Point) -> Contour:
    """Move a point, its handles with it."""
    return _with_node(contour, node, at=to)


def with_curve(contour: Contour, node: int, out: Point) -> Contour:
    """Pull a curve out of a point: it becomes smooth, with handles as long as the pull on both sides."""
    return _with_node(contour, node, out=out, back=(-out[0], -out[1]), smooth=True)


def with_handle(contour: Contour, node: int, handle: str, to: Point) -> Contour:
    """Move a handle ("back" or "out"), measured from its point; a smooth point's other handle turns with it."""
    old = contour.nodes[node]
    change: dict[str, Any] = {handle: to}
    pull = float(np.hypot(*to))
    if old.smooth and pull > 0:
        other = "out" if handle == "back" else "back"
        length = float(np.hypot(*getattr(old, other)))
        change[other] = (-to[0] * length / pull, -to[1] * length / pull)
    return _with_node(contour, node, **change)


def with_smooth(contour: Contour, node: int, smooth: bool) -> Contour:
    """Make a point smooth, with handles a third of the way to its neighbours, or sharp, without."""
    if not smooth:
        return _with_node(contour, node, smooth=False, back=(0.0, 0.0), out=(0.0, 0.0))
    at = contour.nodes[node].at
    before, after = contour.nodes[node - 1].at, contour.nodes[(node + 1) % len(contour.nodes)].at
    along = (after[0] - before[0], after[1] - before[1])
    length = max(float(np.hypot(*along)), 1e-9)
    back, out = -_distance(before, at) / 3 / length, _distance(after, at) / 3 / length
    return _with_node(
        contour,
        node,
        smooth=True,
        back=(along[0] * back, along[1] * back),
        out=(along[0] * out, along[1] * out),
    )


def with_trust(contour: Contour, node: int | None, trust: float | None) -> Contour:
    """Set the trust in the stretch that leads to a point, or in the whole contour; None leaves it to the recipe."""
    if node is not None:
        return _with_node(contour, node, trust=trust)
    return contour.model_copy(update={"nodes": tuple(_changed(own, trust=trust) for own in contour.nodes)})


def with_bend(contour: Contour, node: int, t: float, to: Point) -> Contour:
    """Bend the stretch that leads to a point so that its place at t comes to lie at `to`."""
    piece = bent(piece_of(contour, node), t, to)
    changed = _with_node(contour, node - 1, out=_point(piece[1] - piece[0]), smooth=False)
    return _with_node(changed, node, back=_point(piece[2] - piece[3]), smooth=False)


def with_point(contour: Contour, node: int, t: float) -> Contour:
    """Insert a point at t of the stretch that leads to a point, without changing its course."""
    first, second = split(piece_of(contour, node), t)
    back, out = _point(first[2] - first[3]), _point(second[1] - second[0])
    new = Node(at=_point(first[3]), back=back, out=out, smooth=back != (0.0, 0.0), trust=contour.nodes[node].trust)
    changed = _with_node(contour, node - 1, out=_point(first[1] - first[0]))
    nodes = list(_with_node(changed, node, back=_point(second[2] - second[3])).nodes)
    nodes.insert(node if node > 0 else len(nodes), new)
    return contour.model_copy(update={"nodes": tuple(nodes)})


def without_point(contour: Contour, node: int) -> Contour:
    """Take a point out."""
    return contour.model_copy(update={"nodes": contour.nodes[:node] + contour.nodes[node + 1 :]})


def make_node(at: Point, **parts: Any) -> Node:
    """Make a node, validated: what is stored must be loadable.

    Raises
    ------
    MarkError
        If it would lie too far outside the photo.
    """
    try:
        return Node.model_validate({"at": at, **parts})
    except ValueError as error:
        message = "That point would lie too far outside the photo."
        raise MarkError(message, "Zoom in, and set it nearer.") from error


def _changed(node: Node, **change: Any) -> Node:
    return make_node(**{**dict(node), **change})


def _with_node(contour: Contour, node: int, **change: Any) -> Contour:
    nodes = list(contour.nodes)
    nodes[node] = _changed(nodes[node], **change)
    return contour.model_copy(update={"nodes": tuple(nodes)})


def leave_contour(job: Job) -> Job:
    """Drop the open contour."""
    return job if open_contour(job) is None else job.with_photo_settings(contours=job.settings.photo.contours[:-1])


def remove_contour(job: Job, contour: int) -> Job:
    """Take a whole contour away."""
    contours = job.settings.photo.contours
    old = contours[contour]
    left = job.with_photo_settings(contours=contours[:contour] + contours[contour + 1 :])
    return _redrawn(left, old, None) if old.closed else left


def with_contours(job: Job, contours: Sequence[Contour], unmarked: Literal["backdrop", "subject"]) -> Job:
    """Draw these contours in place of all others; the zones are laid by whoever asks for it."""
    job = job.with_photo_settings(contours=tuple(contours), unmarked=unmarked)
    return job.with_planes(outline=Plane.from_array(_drawn(job, job.photo.bounds)[0]))


def _redrawn(job: Job, old: Contour | None, new: Contour | None) -> Job:
    """Redraw the closed contours where one of them changed; there it overrules what was brushed before."""
    area = Rect.around(_rect_of(contour) for contour in (old, new) if contour is not None)
    window = area.intersection(job.photo.bounds)
    if window.is_empty:
        return job
    was, now = (_inside(contour, window) for contour in (old, new))
    touched = was != now
    marks, corrections = job.marks.read(window), job.corrections.read(window)
    marks[touched], corrections[touched] = 0, 0
    inside, exact, trusted = _drawn(job, window)
    kinds = job.kinds.read(window)
    kinds[kinds < RELEASED] = exact[kinds < RELEASED]
    redrawn = job.with_planes(
        outline=job.outline.write(window, inside),
        marks=job.marks.write(window, marks),
        kinds=job.kinds.write(window, kinds),
        trusted=job.trusted.write(window, _retrusted(job, old, new, window, trusted)),
        corrections=job.corrections.write(window, corrections),
    )
    return lay_zones(redrawn, window)


def _retrusted(
    job: Job, old: Contour | None, new: Contour | None, window: Rect, drawn: NDArray[np.uint8]
) -> NDArray[np.uint8]:
    """Return the trust in a window: as drawn beside the contour that changed, as it was elsewhere."""
    beside = np.zeros_like(drawn)
    for contour in (old, new):
        if contour is not None and contour.closed:
            for node in range(len(contour.nodes)):
                _draw_line(beside, flatten(piece_of(contour, node)), window, 1)
    return np.where((beside > 0) | (drawn > 0), drawn, job.trusted.read(window))


def _rect_of(contour: Contour) -> Rect:
    return Rect(*stroke_bounds(outline_of(contour), 1 + _EXACT_REACH_PX))


def _inside(contour: Contour | None, window: Rect) -> NDArray[np.bool_]:
    if contour is None:
        return np.zeros((window.height, window.width), bool)
    return coverage([outline_of(contour)], window.as_tuple) >= 128


def _drawn(job: Job, window: Rect) -> tuple[NDArray[np.uint8], NDArray[np.uint8], NDArray[np.uint8]]:
    """Draw all closed contours in their order, where their exact stretches run, and the trust in each stretch."""
    unmarked = 255 if job.settings.photo.unmarked == "subject" else 0
    inside = np.full((window.height, window.width), unmarked, np.uint8)
    exact, trusted = np.zeros_like(inside), np.zeros_like(inside)
    for contour in job.settings.photo.contours:
        if not contour.closed or _rect_of(contour).intersection(window).is_empty:
            continue
        covered = coverage([outline_of(contour)], window.as_tuple)
        inside = np.minimum(inside, 255 - covered) if contour.hole else np.maximum(inside, covered)
        for node in range(len(contour.nodes)):
            trust = contour.nodes[node].trust
            if trust is not None:
                _draw_line(trusted, flatten(piece_of(contour, node)), window, trust_code(trust))
            if contour.nodes[node].exact:
                _draw_line(exact, flatten(piece_of(contour, node)), window, 1)
    return inside, exact, trusted


def _draw_line(out: NDArray[np.uint8], line: NDArray[np.float64], window: Rect, value: int) -> None:
    points = np.clip(line - (window.left, window.top), -1e6, 1e6)
    for a, b in pairwise(np.round(points * 16).astype(np.int32)):
        cv2.line(out, a.tolist(), b.tolist(), value, 2 * _EXACT_REACH_PX + 1, cv2.LINE_8, 4)


def _plus(point: Point, by: Point) -> Point:
    return point[0] + by[0], point[1] + by[1]


def _distance(a: Point, b: Point) -> float:
    return float(np.hypot(a[0] - b[0], a[1] - b[1]))


def _point(values: NDArray[np.float64]) -> Point:
    return float(values[0]), float(values[1])
