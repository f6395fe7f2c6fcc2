"""How well the band lays itself, how often the suggested kind is right, and what kinds do to the matte."""

import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np

from bench.cases import Case, demo_case
from bench.drawn import CAMERA, KINDS, drawn_case
from peel.demo.camera import cloud
from peel.demo.photos import NAMES
from peel.job.edits.marking import Zone, mark_region
from peel.job.edits.values import set_value
from peel.job.job import Job, Photo, new_job
from peel.job.marked import marked_subject
from peel.matte.edge.kind import Kind
from peel.matte.edge.zones import UNKNOWN
from peel.matte.inspect.measures import sad
from peel.work.marking.finding import Finder
from peel.work.solving.solve import solve_job
from peel.work.stages import Pyramid

__all__ = ["marked_ways", "table"]

_SHAKEN_PX = 8  # at 6 MP
_TRUE_KINDS = {
    "hair": Kind.STRAND,
    "fur": Kind.STRAND,
    "plume": Kind.STRAND,
    "feather": Kind.STRAND,
    "leaves": Kind.LACY,
    "crown": Kind.LACY,
    "hard": Kind.HARD,
    "soft": Kind.SOFT,
}
"""Of the drawn cases that have one kind all along; whiskers and sheer cloth have hard edges between."""


@dataclass(frozen=True)
class _Marked:
    case: Case
    way: str
    job: Job
    seconds: float


def sloppy_mark(alpha: np.ndarray, seed: int) -> np.ndarray:
    """Give the half-way line of a matte, smoothed and shaken, as a mark."""
    height, width = alpha.shape
    unit = np.sqrt(height * width / 6e6)
    smooth = cv2.GaussianBlur(alpha.astype(np.float32), (0, 0), _SHAKEN_PX * unit)
    shaken = [(cloud(width, height, 20, 20, seed + k, 2) - 0.5) * (2 * _SHAKEN_PX * unit) for k in range(2)]
    rows, columns = np.mgrid[:height, :width].astype(np.float32)
    places = ((columns + shaken[0]).astype(np.float32), (rows + shaken[1]).astype(np.float32))
    return cv2.remap(smooth, *places, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE) > 0.5


def _photo_of(case: Case) -> Photo:
    return Photo(case.name, np.ascontiguousarray((case.photo * 255 + 0.5).astype(np.uint8)))


def marked_ways(case: Case, seed: int) -> Iterator[_Marked]:
    """Mark a case by Peel's own proposal, and sloppily."""
    photo = _photo_of(case)
    finder = Finder(photo, Pyramid(photo.pixels))
    proposal = finder.propose()
    ways: dict[str, Callable[[Job], Job]] = {
        "proposed": lambda job: finder.mark_proposal(job, proposal),
        "sloppy": lambda job: mark_region(job, sloppy_mark(case.alpha, seed), Zone.SUBJECT),
    }
    for way, mark in ways.items():
        since = time.perf_counter()
        job = mark(new_job(photo))
        yield _Marked(case, way, job, time.perf_counter() - since)


def table(seed: int = 5) -> Iterator[str]:
    """Measure every case; lines of a table."""
    yield (
        "| case | mark | half-clear inside | area | kind right | kinds against none, sum of differences "
        "| seconds to lay |\n" + "|---" * 7 + "|"
    )
    cases = [lambda name=name: demo_case(name) for name in NAMES]
    cases += [lambda kind=kind: drawn_case(kind) for kind in KINDS]
    cases += [lambda kind=kind: drawn_case(kind, CAMERA) for kind in KINDS]
    for make in cases:
        for marked in marked_ways(make(), seed):
            yield _row(marked)


def _row(marked: _Marked) -> str:
    case, job = marked.case, marked.job
    zones = job.zones.read()
    if not (zones == 255).any() or not (zones == 0).any():
        return f"| {case.name} | {marked.way} | nothing to solve | | | | {marked.seconds:.1f} |"
    half_clear = (case.alpha >= 0.02) & (case.alpha <= 0.98)
    grown = cv2.dilate(half_clear.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (13, 13))) > 0
    band = zones == UNKNOWN
    mattes = [
        solve_job(set_value(job, "recipe.band.kinds", use))[0].alpha(job.photo.bounds) for use in ("suggested", "none")
    ]
    everywhere = np.ones(case.alpha.shape, bool)
    errors = [sad(matte, case.alpha, everywhere) for matte in mattes]
    inside, area = (half_clear & band).sum() / half_clear.sum(), band.sum() / grown.sum()
    right = _kind_right(marked)
    return (
        f"| {case.name} | {marked.way} | {inside * 100:.1f} % | {area:.2f} | {right} | {errors[0] / errors[1]:.3f} "
        f"| {marked.seconds:.2f} |"
    )


def _kind_right(marked: _Marked) -> str:
    kind = _TRUE_KINDS.get(marked.case.name.split("-")[0].split()[0])
    true = marked.case.kinds
    if true is None and kind is None:
        return "–"
    if true is None:
        true = np.full(marked.case.alpha.shape, int(kind or 0), np.uint8)
    mark = marked_subject(marked.job, marked.job.photo.bounds).astype(np.uint8)
    rim = (cv2.dilate(mark, np.ones((3, 3), np.uint8)) != mark) & (marked.job.zones.read() == UNKNOWN)
    rim &= true > 0
    return f"{(marked.job.suggested.read()[rim] == true[rim]).mean() * 100:.0f} %"
