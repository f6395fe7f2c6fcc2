"""How many interactions marking takes, how good Peel's own guess is, and how quickly its tools answer at 24 MP."""

import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np
from PIL import Image
from PySide6.QtGui import QColor

from bench.drawn import KINDS, drawn_case
from peel.demo.photos import NAMES, demo_photo
from peel.desk.display.overlay import overlay_image
from peel.job.edits import contours
from peel.job.edits.marking import Stroke, Zone, paint_mark
from peel.job.job import Job, Photo, new_job
from peel.job.settings import Node
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.work.marking.finding import AlikePick, Finder
from peel.work.marking.tracing import Tracer
from peel.work.stages import Pyramid

__all__ = ["interactions", "latencies", "proposals"]

_SLACK_PX = 10  # a boundary this near the true one is right: the band covers the difference
_SMALLEST_PX = 40  # wrong pieces smaller than this square's side are not looked for by eye
_SCREEN = (870, 620)  # the picture's part of the window
_MOST = 40


@dataclass
class _Scene:
    """A photo with its truth, and a scripted person who marks it."""

    name: str
    photo: Photo
    alpha: np.ndarray

    def __post_init__(self) -> None:
        self.finder = Finder(self.photo, Pyramid(self.photo))
        kernel = np.ones((2 * _SLACK_PX + 1, 2 * _SLACK_PX + 1), np.uint8)
        self.inside = cv2.erode((self.alpha >= 250).astype(np.uint8), kernel) > 0
        self.outside = cv2.dilate((self.alpha > 3).astype(np.uint8), kernel) == 0
        self.scale = min(_SCREEN[0] / self.photo.width, _SCREEN[1] / self.photo.height)

    def wrong(self, job: Job) -> tuple[np.ndarray, np.ndarray]:
        """Give what is taken for backdrop though it is subject, and the other way round."""
        zones = job.zones.read()
        return self.inside & (zones == BACKGROUND), self.outside & (zones == FOREGROUND)


def _pieces(mask: np.ndarray) -> Iterator[tuple[int, np.ndarray]]:
    """Give connected pieces, the largest first, with their areas."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)
    for number in np.argsort(-stats[1:, cv2.CC_STAT_AREA]) + 1:
        yield int(stats[number, cv2.CC_STAT_AREA]), labels == number


def _path_in(piece: np.ndarray) -> tuple[tuple[tuple[float, float], ...], float]:
    """Give a stroke along a piece's inside, and its brush: from its widest spot to its two farthest wide ones."""
    depth = cv2.distanceTransform(np.pad(piece, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    rows, columns = np.nonzero(depth >= max(0.45 * depth.max(), 1))
    centre = np.array(np.unravel_index(int(depth.argmax()), depth.shape))
    spots = np.stack([rows, columns], axis=1)
    first = spots[np.argmax(((spots - centre) ** 2).sum(axis=1))]
    second = spots[np.argmax(((spots - first) ** 2).sum(axis=1))]
    points = tuple((float(x) + 0.5, float(y) + 0.5) for y, x in (first, centre, second))
    return points, float(max(0.45 * depth.max(), 1))


def _travel(points: tuple[tuple[float, float], ...], scale: float) -> float:
    return float(np.hypot(*np.diff(np.array(points), axis=0).T).sum() * scale)


def _corrected(scene: _Scene, job: Job) -> tuple[Job, int, float, int]:
    """Sweep, or where that does not help brush, the largest wrong piece until none is left that can be seen."""
    strokes, travel, tried = 0, 0.0, set()
    while strokes < _MOST:
        missing, extra = scene.wrong(job)
        found = [(area, piece, subject) for mask, subject in ((missing, True), (extra, False))
                 for area, piece in list(_pieces(mask))[:1]]  # fmt: skip
        found = [entry for entry in found if entry[0] >= _SMALLEST_PX**2]
        if not found:
            break
        area, piece, subject = max(found, key=lambda entry: entry[0])
        points, radius = _path_in(piece)
        before = int(missing.sum() + extra.sum())
        swept = scene.finder.mark_swept(job, points, min(radius, 60.0), subject=subject)
        left = sum(int(mask.sum()) for mask in scene.wrong(swept))
        key = (points, subject)
        if left < before - 0.4 * area and key not in tried:
            job = swept
        else:
            job = paint_mark(job, Stroke(points, radius * 1.1), subject=subject)
        tried.add(key)
        strokes += 1
        travel += _travel(points, scene.scale)
    return job, strokes, travel, sum(int(mask.sum()) for mask in scene.wrong(job))


def _by_proposal(scene: _Scene) -> tuple[Job, int, float]:
    proposal = scene.finder.propose()
    return scene.finder.mark_proposal(new_job(scene.photo), proposal), 1, 0.0


def _by_sweeping(scene: _Scene) -> tuple[Job, int, float]:
    return new_job(scene.photo), 0, 0.0


def _by_contour(scene: _Scene) -> tuple[Job, int, float]:
    """Click around the subject, the line following the edge."""
    lines, _ = cv2.findContours((scene.alpha > 127).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    outline = cv2.approxPolyDP(max(lines, key=cv2.contourArea), 0.006 * max(scene.alpha.shape), True)[:, 0]
    tracer, job, count = Tracer(scene.finder._pyramid), new_job(scene.photo), 1
    points = [(float(x) + 0.5, float(y) + 0.5) for x, y in outline]
    job = contours.add_nodes(job, [Node(at=points[0], exact=True)])
    for start, to in zip(points, [*points[1:], points[0]], strict=True):
        line = [(float(x), float(y)) for x, y in tracer.path(start, to)]
        out, nodes = contours.nodes_along(line, 1.25, exact=True)
        if to == points[0]:
            job = contours.close_contour(job, nodes, out=out, exact=True)
        else:
            job = contours.add_nodes(job, nodes, out=out)
        count += 1
    return job, count, _travel((*points, points[0]), scene.scale)


def _by_colour(scene: _Scene) -> tuple[Job, int, float]:
    """Press on the backdrop once and drag."""
    spot = (0.06 * scene.photo.width, 0.3 * scene.photo.height)
    job = scene.finder.mark_alike(new_job(scene.photo), AlikePick((spot,), 22.0, connected=False), Zone.BACKDROP)
    return job, 1, 100.0


def interactions() -> list[str]:
    """Mark each demo photo in four ways until all outside the true band is right; lines of a table."""
    lines = [
        "| photo | begun by | interactions | hand travel, screen px | wrong px left, of the photo |",
        "|---|---|---|---|---|",
    ]
    ways = {"Propose": _by_proposal, "Sweep": _by_sweeping, "Contour": _by_contour, "Alike": _by_colour}
    for name in NAMES:
        photo = Photo(name, np.asarray(Image.open(demo_photo(name).photo)))
        scene = _Scene(name, photo, np.asarray(Image.open(demo_photo(name).matte)))
        for way, begin in ways.items():
            job, first, travel = begin(scene)
            _, strokes, more, left = _corrected(scene, job)
            share = left / scene.alpha.size
            lines.append(f"| {name} | {way} | {first + strokes} | {travel + more:.0f} | {share * 100:.3f} % |")
    return lines


def proposals() -> list[str]:
    """Rate Peel's own guess on the demo photos and on drawn cases; lines of a table."""
    lines = ["| photo | intersection over union | Peel's confidence |", "|---|---|---|"]
    demo = [(name, np.asarray(Image.open(demo_photo(name).photo)), np.asarray(Image.open(demo_photo(name).matte)))
            for name in NAMES]  # fmt: skip
    for name, pixels, alpha in [*demo, *_drawn()]:
        finder = Finder(Photo(name, pixels), Pyramid(Photo(name, pixels)))
        proposal = finder.propose()
        small = cv2.resize(alpha, proposal.region.shape[::-1], interpolation=cv2.INTER_AREA) > 127
        overlap = (small & proposal.region).sum() / max((small | proposal.region).sum(), 1)
        lines.append(f"| {name} | {overlap:.2f} | {proposal.confidence:.2f} |")
    return lines


def _drawn() -> Iterator[tuple[str, np.ndarray, np.ndarray]]:
    for kind in KINDS:
        case = drawn_case(kind)
        yield kind, (case.photo * 255).round().astype(np.uint8), (case.alpha * 255).round().astype(np.uint8)


def _timed(work: Callable[[], object]) -> float:
    since = time.perf_counter()
    work()
    return time.perf_counter() - since


def _row(name: str, times: list[float], plain: float, against: str) -> str:
    middle, most = (float(np.percentile(times, share)) for share in (50, 95))
    return f"| {name} | {middle * 1000:.0f} ms | {most * 1000:.0f} ms | {most / plain:.3f} | {against}, {plain:.2f} s |"


def latencies(name: str = "tin-drummer") -> list[str]:
    """Time what follows the hand, at 24 MP; lines of a table."""
    pixels = cv2.resize(np.asarray(Image.open(demo_photo(name).photo)), (4000, 6000), interpolation=cv2.INTER_CUBIC)
    alpha = cv2.resize(np.asarray(Image.open(demo_photo(name).matte)), (4000, 6000))
    photo = Photo(name, pixels)
    finder, rng = Finder(photo, Pyramid(photo)), np.random.default_rng(0)
    finder.get_ready()
    lines = ["| what | median | p95 | p95 over a plain call | the plain call |", "|---|---|---|---|---|"]
    lines.append(_row("line along the edge", _following(finder, alpha, rng), *_plain_map(pixels)))
    lines.append(_row("Sweep, the region shown", _sweeping(finder, photo, alpha, rng), *_plain_cut(finder)))
    lines.append(_row("Alike, the region shown", _widening(finder, rng), *_plain_flood(pixels)))
    stroke = tuple((2000.0, 2100.0 + 100 * step) for step in range(25))
    job = new_job(photo)
    swept = [_timed(lambda: finder.mark_swept(job, stroke, 120, subject=True)) for _ in range(3)]
    alike = [
        _timed(lambda: finder.mark_alike(job, AlikePick(((300.0, 1600.0),), 22.0), Zone.BACKDROP)) for _ in range(3)
    ]
    lines.append(f"| Sweep, marked in the photo itself | {np.median(swept) * 1000:.0f} ms | | | |")
    lines.append(f"| Alike, marked in the photo itself | {np.median(alike) * 1000:.0f} ms | | | |")
    return lines


def _following(finder: Finder, alpha: np.ndarray, rng: np.random.Generator) -> list[float]:
    """Move away from 20 points of the edge, in steps as a hand does."""
    tracer = Tracer(finder._pyramid)
    finder._pyramid.pixels(6)
    lines, _ = cv2.findContours((alpha > 127).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    edge = max(lines, key=cv2.contourArea)[:, 0].astype(float)
    times = []
    for begin in rng.integers(0, len(edge), 20):
        for step in range(1, 25):
            to = edge[(begin + 60 * step) % len(edge)]
            anchor = (float(edge[begin][0]), float(edge[begin][1]))
            times.append(_timed(lambda a=anchor, b=(float(to[0]), float(to[1])): tracer.path(a, b)))
    return times


def _sweeping(finder: Finder, photo: Photo, alpha: np.ndarray, rng: np.random.Generator) -> list[float]:
    job = new_job(photo)
    rows, columns = np.nonzero(cv2.erode((alpha > 250).astype(np.uint8), np.ones((99, 99))))
    times = []
    for _ in range(20):
        begin = int(rng.integers(0, len(rows)))
        points = tuple((float(columns[begin]) + 12 * step, float(rows[begin]) + 20 * step) for step in range(12))
        times.append(_timed(lambda p=points: overlay_image((finder.swept_shown(job, p, 60, subject=True), _hue()))))
    return times


def _widening(finder: Finder, rng: np.random.Generator) -> list[float]:
    times = []
    for _ in range(20):
        spot = (float(rng.uniform(0, 4000)), float(rng.uniform(0, 6000)))
        for tolerance in np.linspace(6, 60, 14):
            pick = AlikePick((spot,), float(tolerance))
            times.append(_timed(lambda p=pick: overlay_image((finder.alike_shown(p), _hue()))))
    return times


def _hue() -> QColor:
    return QColor(200, 80, 20)


def _plain_map(pixels: np.ndarray) -> tuple[float, str]:
    def build() -> None:
        tool = cv2.segmentation.IntelligentScissorsMB()
        tool.setEdgeFeatureCannyParameters(24, 72)
        tool.applyImage(pixels)
        tool.buildMap((2000, 3000))

    return _timed(build), "OpenCV's cost map of the whole photo"


def _plain_cut(finder: Finder) -> tuple[float, str]:
    look = finder.look
    hints = np.full(look.shape[:2], cv2.GC_PR_BGD, np.uint8)
    height, width = hints.shape
    hints[height // 4 : height // 2, width // 3 : width // 2] = cv2.GC_FGD
    hints[:20] = cv2.GC_BGD
    models = np.zeros((1, 65)), np.zeros((1, 65))
    cut = _timed(lambda: cv2.grabCut(look, hints, None, *models, 1, cv2.GC_INIT_WITH_MASK))
    return cut, "one round of OpenCV's graph cut at 1.5 MP"


def _plain_flood(pixels: np.ndarray) -> tuple[float, str]:
    def flood() -> None:
        lab = cv2.cvtColor(pixels, cv2.COLOR_RGB2Lab)
        cv2.floodFill(lab, None, (300, 1600), (0, 0, 0), (20,) * 3, (20,) * 3, 4 | cv2.FLOODFILL_FIXED_RANGE)

    return _timed(flood), "OpenCV's Lab and flood fill of the whole photo"
