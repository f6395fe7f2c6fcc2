"""What the inspection finds: faults of each sort drawn into true mattes, true mattes themselves, and Peel's own."""

import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from bench.cases import Case, demo_case
from bench.edge import marked_ways
from peel.demo.photos import NAMES
from peel.job.edits.snags import least_sizes
from peel.job.job import Job
from peel.job.rect import Rect
from peel.job.settings import Inspection
from peel.matte.colour.foreground import estimate_foreground
from peel.matte.composite.over import composite_over
from peel.matte.edge.kind import Kind
from peel.matte.inspect.finds import find_in
from peel.matte.inspect.measures import ciede2000
from peel.matte.inspect.reading import Reading
from peel.matte.inspect.snags import Snag, framed, gathered
from peel.matte.inspect.sorts import SnagSort
from peel.matte.inspect.visible import LEAST_AREA_PX, SEEN
from peel.matte.srgb import to_lab
from peel.work.inspecting.inspector import Inspector
from peel.work.inspecting.proving import prove
from peel.work.inspecting.snag_specs import mend
from peel.work.solving.solve import solve_job
from peel.work.stages import Cache, Stages

__all__ = ["DEFECTS", "UNSEEN", "WATCHED", "inspected", "own", "table"]

WATCHED, UNSEEN = (11, 12, 13), (21, 22, 23)
_PLACES = 6
_NEAR_PX = 12

Rng = np.random.Generator
Drawn = tuple[np.ndarray, list[np.ndarray]]


@dataclass(frozen=True)
class _Defect:
    sort: SnagSort
    draw: Callable[[Case, Rng], Drawn]
    photos: tuple[str, ...] = NAMES


def _away(mask: np.ndarray) -> np.ndarray:
    return cv2.distanceTransform(mask.astype(np.uint8), cv2.DIST_L2, 5)


def _places(where: np.ndarray, rng: Rng, count: int = _PLACES) -> list[tuple[int, int]]:
    """Choose places that are far from each other."""
    left, chosen = where.copy(), []
    for _ in range(count):
        rows, columns = np.nonzero(left)
        if rows.size == 0:
            break
        at = rng.integers(rows.size)
        chosen.append((int(rows[at]), int(columns[at])))
        cv2.circle(view := left.astype(np.uint8), (chosen[-1][1], chosen[-1][0]), 260, 0, -1)
        left = view > 0
    return chosen


def _blob(shape: tuple[int, ...], row: int, column: int, radius: float, rng: Rng) -> np.ndarray:
    """Draw a soft irregular spot, from 0 to 1."""
    out = np.zeros(shape, np.float32)
    axes = (max(1, round(radius * rng.uniform(0.7, 1.3))), max(1, round(radius * rng.uniform(0.7, 1.3))))
    cv2.ellipse(out, (column, row), axes, rng.uniform(0, 180), 0, 360, 1.0, -1, cv2.LINE_AA)
    return cv2.GaussianBlur(out, (0, 0), max(0.6, radius / 8))


def _spots(
    where: Callable[[np.ndarray], np.ndarray], target: float, radii: tuple[float, float], strengths: tuple[float, float]
) -> Callable[[Case, Rng], Drawn]:
    """Pull spots of a matte towards a value, by various strengths and sizes."""

    def draw(case: Case, rng: Rng) -> Drawn:
        alpha, masks = case.alpha.copy(), []
        for row, column in _places(where(case.alpha), rng):
            share = _blob(alpha.shape, row, column, rng.uniform(*radii), rng) * rng.uniform(*strengths)
            before = alpha
            alpha = alpha + share * (target - alpha)
            masks.append(np.abs(alpha - before) > 0.02)
        return alpha.astype(np.float32), masks

    return draw


def _strands_cut(case: Case, rng: Rng) -> Drawn:
    """Clear the outer ends of strands: everything thin beyond a line across it."""
    alpha, masks = case.alpha.copy(), []
    thick = cv2.dilate(cv2.erode(alpha, np.ones((9, 9))), np.ones((9, 9))) > 0.5
    thin = (alpha > 0.6) & (_away(~thick) > 25) & (_away(alpha <= 0.05) <= 4)
    for row, column in _places(thin, rng):
        spot = np.zeros(alpha.shape, np.float32)
        cv2.circle(spot, (column, row), int(rng.uniform(25, 45)), 1, -1)
        gone = (spot > 0) & (alpha > 0.02)
        masks.append(gone)
        alpha = np.where(gone, 0, alpha)
    return alpha.astype(np.float32), masks


def _hard_cuts(case: Case, rng: Rng) -> Drawn:
    """Make a soft edge a step along some of its length."""
    alpha, masks = case.alpha.copy(), []
    soft = cv2.GaussianBlur(alpha, (0, 0), 2)
    slope = np.hypot(cv2.Sobel(soft, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(soft, cv2.CV_32F, 0, 1, scale=0.125))
    gentle = (np.abs(soft - 0.5) < 0.1) & (slope < 0.05) & (slope > 0.01) & (np.abs(alpha - soft) < 0.08)
    for row, column in _places(gentle, rng):
        spot = np.zeros(alpha.shape, np.float32)
        cv2.circle(spot, (column, row), int(rng.uniform(35, 60)), 1, -1)
        stepped = (soft > 0.5).astype(np.float32)
        masks.append((spot > 0) & (np.abs(stepped - alpha) > 0.1))
        alpha = np.where(spot > 0, stepped, alpha)
    return alpha.astype(np.float32), masks


def _steps(case: Case, rng: Rng) -> Drawn:
    """Leave steps of a few pixels along some of a hard edge."""
    alpha, masks = case.alpha.copy(), []
    side = int(rng.integers(4, 7))
    small = cv2.resize(alpha, (alpha.shape[1] // side, alpha.shape[0] // side), interpolation=cv2.INTER_AREA)
    coarse = cv2.resize((small > 0.5).astype(np.float32), alpha.shape[::-1], interpolation=cv2.INTER_NEAREST)
    thick = [cv2.dilate(cv2.erode(part, np.ones((31, 31))), np.ones((39, 39))) > 0.9 for part in (alpha, 1 - alpha)]
    for row, column in _places((np.abs(alpha - 0.5) < 0.4) & thick[0] & thick[1], rng):
        spot = np.zeros(alpha.shape, np.float32)
        cv2.circle(spot, (column, row), int(rng.uniform(50, 80)), 1, -1)
        masks.append((spot > 0) & (np.abs(coarse - alpha) > 0.1))
        alpha = np.where(spot > 0, coarse, alpha)
    return alpha.astype(np.float32), masks


def _backdrop_left(case: Case, rng: Rng) -> Drawn:
    """Take a piece of backdrop along the edge for subject."""
    alpha, masks = case.alpha.copy(), []
    beside = (alpha <= 0) & (_away(alpha <= 0) < 30) & (_away(alpha <= 0) > 10)
    for row, column in _places(beside, rng):
        share = _blob(alpha.shape, row, column, rng.uniform(16, 40), rng)
        before = alpha
        alpha = np.maximum(alpha, np.where(share > 0.5, 1, share).astype(np.float32))
        masks.append(alpha - before > 0.5)
    return alpha.astype(np.float32), masks


def _mask_wrong(case: Case, rng: Rng) -> Drawn:
    """Make half-clear places clearer or more solid than they are, over a whole neighbourhood."""
    alpha, masks = case.alpha.copy(), []
    half = cv2.blur(((alpha > 0.1) & (alpha < 0.9)).astype(np.float32), (41, 41)) > 0.25
    for row, column in _places(half, rng):
        share = _blob(alpha.shape, row, column, rng.uniform(25, 50), rng) * rng.uniform(0.5, 0.8)
        before = alpha
        alpha = alpha + share * ((1.0 if rng.random() < 0.5 else 0.0) - alpha)
        masks.append(np.abs(alpha - before) > 0.1)
    return alpha.astype(np.float32), masks


DEFECTS = (
    _Defect(SnagSort.PINHOLE, _spots(lambda a: _away(a >= 0.99) > 20, 0.0, (2, 6), (0.5, 1.0))),
    _Defect(SnagSort.SPECK, _spots(lambda a: (_away(a <= 0) > 20) & (_away(a <= 0) < 300), 1.0, (2, 6), (0.5, 1.0))),
    _Defect(SnagSort.HAZE, _spots(lambda a: (_away(a <= 0) > 8) & (_away(a <= 0) < 60), 1.0, (20, 60), (0.03, 0.12))),
    _Defect(SnagSort.SEE_THROUGH, _spots(lambda a: _away(a >= 0.99) > 40, 0.0, (12, 40), (0.05, 0.4))),
    _Defect(SnagSort.BACKDROP_LEFT, _backdrop_left),
    _Defect(SnagSort.STRAND_CUT, _strands_cut, ("bramble", "ivy-king", "moth-queen", "tin-drummer")),
    _Defect(SnagSort.HARD_CUT, _hard_cuts, ("russet", "bramble", "tin-drummer")),
    _Defect(SnagSort.STEPPED, _steps, ("lamplighter", "tin-drummer", "ivy-king", "bramble")),
    _Defect(SnagSort.RESIDUE, _mask_wrong, ("bramble", "ivy-king", "tin-drummer", "russet")),
)


def inspected(case: Case, alpha: np.ndarray) -> list[Snag]:
    """Inspect a matte of a case, with its own kinds of edge."""
    colours = estimate_foreground(case.photo, alpha)
    assert case.kinds is not None
    sheer = cv2.dilate((case.kinds == Kind.SHEER).astype(np.uint8), np.ones((31, 31), np.uint8)) > 0
    finds = [
        *find_in(Reading(case.photo, alpha, colours, sheer)),
        *framed(alpha[0], alpha[-1], alpha[:, 0], alpha[:, -1]),
    ]
    return gathered(finds, least_sizes(Inspection()))


def table(halves: tuple[str, ...] = ("watched", "unseen")) -> Iterator[str]:
    """Measure recall and precision, sort by sort; lines of tables."""
    yield "| photo | snags on the exact matte | seconds |\n|---|---|---|"
    cases = {name: demo_case(name) for name in NAMES}
    untouched = {}
    for name, case in cases.items():
        since = time.perf_counter()
        untouched[name] = inspected(case, case.alpha.astype(np.float32))
        sorts = ", ".join(snag.sort.value for snag in untouched[name])
        yield f"| {name} | {len(untouched[name])} ({sorts}) | {time.perf_counter() - since:.1f} |"
    for half in halves:
        yield f"\n| fault, {half} | drawn | found | recall | precision |\n|---|---|---|---|---|"
        for defect in DEFECTS:
            yield _row(defect, cases, WATCHED if half == "watched" else UNSEEN)
    yield ""
    yield from own()


def _row(defect: _Defect, cases: dict[str, Case], seeds: tuple[int, ...]) -> str:
    drawn = hit = right = said = 0
    for number, name in enumerate(defect.photos):
        case = cases[name]
        alpha, masks = defect.draw(case, np.random.default_rng(seeds[number % len(seeds)]))
        finds = [find for snag in inspected(case, alpha) if snag.sort is defect.sort for find in snag.finds]
        where = np.zeros(alpha.shape, bool)
        for find in finds:
            top, left, bottom, right_ = find.box
            where[top:bottom, left:right_] |= find.mask
        near = cv2.dilate(where.astype(np.uint8), np.ones((2 * _NEAR_PX + 1,) * 2, np.uint8)) > 0
        masks = [mask for mask in masks if _shows(case, alpha, mask)]
        hits = [bool((near & mask).any()) for mask in masks]
        wrong = np.abs(alpha - case.alpha) > 0.01
        wide = cv2.dilate(wrong.astype(np.uint8), np.ones((2 * _NEAR_PX + 1,) * 2, np.uint8)) > 0
        drawn, hit, said = drawn + len(masks), hit + sum(hits), said + len(finds)
        right += sum(
            bool(wide[find.box[0] : find.box[2], find.box[1] : find.box[3]][find.mask].any()) for find in finds
        )
    precision = f"{right / said:.2f}" if said else "-"
    return f"| {defect.sort.value} | {drawn} | {hit} | {hit / max(drawn, 1):.2f} | {precision} |"


_BACKINGS = ((1.0, 1.0, 1.0), (0.0, 0.0, 0.0), (1.0, 0.0, 0.78))


def _visible(colours: np.ndarray, alpha: np.ndarray, truth: np.ndarray) -> np.ndarray:
    """Return the largest CIEDE2000 between two mattes over three backings; 0 where it is not seen."""
    out = np.zeros(alpha.shape, np.float32)
    for backing in _BACKINGS:
        off = ciede2000(*(to_lab(composite_over(colours, backing, part)) for part in (alpha, truth)))
        out = np.maximum(out, np.where(off > SEEN, off, 0))
    return out


def _shows(case: Case, alpha: np.ndarray, mask: np.ndarray) -> bool:
    """Return whether a drawn fault shows at full size."""
    rows, columns = np.nonzero(mask)
    if rows.size == 0:
        return False
    part = (slice(rows.min(), rows.max() + 1), slice(columns.min(), columns.max() + 1))
    colours = case.colours if case.colours is not None else case.photo
    seen = _visible(colours[part], alpha[part], case.alpha[part].astype(np.float32))
    return int((seen[mask[part]] > 0).sum()) >= LEAST_AREA_PX


_FIRST = 15
_REAL = 0.1  # mean error within a snag from which it is one


def own(seed: int = 5) -> Iterator[str]:
    """Measure how much of the visible error of Peel's own mattes lies in the first snags, and what proven mends do."""
    yield "| photo, marked | snags | real | visible error in the first 15 | area | mends offered | error after them |"
    yield "|---|---|---|---|---|---|---|"
    for name in NAMES:
        case = demo_case(name)
        for marked in marked_ways(case, seed):
            job, _ = solve_job(marked.job, lambda _share: True)
            stages = Stages(job.photo, Cache(400_000_000))
            snags = Inspector(stages).inspect(job).snags
            yield f"| {name}, {marked.way} | {_own_row(job, stages, snags, case.alpha)} |"


def _own_row(job: Job, stages: Stages, snags: Sequence[Snag], truth: np.ndarray) -> str:
    bounds = job.photo.bounds
    alpha = stages.alpha(job, bounds, 0)
    error, seen = np.abs(alpha - truth), _visible(stages.foreground(job, bounds, 0), alpha, truth.astype(np.float32))
    covered, real = np.zeros(error.shape, bool), 0
    for number, snag in enumerate(snags):
        own = Rect(*snag.box).slices
        real += bool(error[own][snag.mask()].mean() > _REAL or (seen[own][snag.mask()] > 0).mean() > 3 * _REAL)
        for find in snag.finds if number < _FIRST else ():
            covered[Rect(*find.box).grown(_NEAR_PX).intersection(bounds).slices] = True
    proofs = [(snag, prove(stages, job, snag)) for snag in snags]
    offered, mended = [snag for snag, proof in proofs if proof is not None and proof.improves], job
    for snag in offered:
        mended = mend(mended, snag)
    if not mended.is_solved:
        mended, _ = solve_job(mended, lambda _share: True)
    after = np.abs(stages.alpha(mended, bounds, 0) - truth).sum() / max(error.sum(), 1)
    share = seen[covered].sum() / max(float(seen.sum()), 1.0)
    figures = f"{share:.2f} | {covered.mean():.3f} | {len(offered)} | {after:.3f}"
    return f"{len(snags)} | {real / max(len(snags), 1):.2f} | {figures}"
