"""What the inspection finds: faults of each sort drawn into true mattes, true mattes themselves, and Peel's own."""

import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np

from bench.cases import Case, demo_case
from bench.edge import marked_ways
from peel.demo.photos import NAMES
from peel.job.edits.snags import least_sizes
from peel.job.rect import Rect
from peel.job.settings import Inspection
from peel.matte.colour.foreground import estimate_foreground
from peel.matte.edge.kind import Kind
from peel.matte.inspect.finds import find_in
from peel.matte.inspect.reading import Reading
from peel.matte.inspect.snags import Snag, framed, gathered
from peel.matte.inspect.sorts import SnagSort
from peel.work.inspecting.inspector import Inspector
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
        hits = [bool((near & mask).any()) for mask in masks]
        wrong = np.abs(alpha - case.alpha) > 0.01
        wide = cv2.dilate(wrong.astype(np.uint8), np.ones((2 * _NEAR_PX + 1,) * 2, np.uint8)) > 0
        drawn, hit, said = drawn + len(masks), hit + sum(hits), said + len(finds)
        right += sum(
            bool(wide[find.box[0] : find.box[2], find.box[1] : find.box[3]][find.mask].any()) for find in finds
        )
    precision = f"{right / said:.2f}" if said else "-"
    return f"| {defect.sort.value} | {drawn} | {hit} | {hit / max(drawn, 1):.2f} | {precision} |"


def own(seed: int = 5) -> Iterator[str]:
    """Measure how much of the true error of Peel's own mattes lies within snags, and what mends of one key do."""
    yield "| photo, marked | snags | share of the error within | area | open after mends | error after mends |"
    yield "|---|---|---|---|---|---|"
    for name in NAMES:
        case = demo_case(name)
        for marked in marked_ways(case, seed):
            job, _ = solve_job(marked.job, lambda _share: True)
            stages = Stages(job.photo, Cache(400_000_000))
            inspector = Inspector(stages)
            snags = inspector.inspect(job).snags
            error = np.abs(job.alpha(job.photo.bounds) - case.alpha)
            covered = np.zeros(error.shape, bool)
            for find in (find for snag in snags for find in snag.finds):
                covered[Rect(*find.box).grown(_NEAR_PX).intersection(job.photo.bounds).slices] = True
            mended = job
            for snag in snags:
                mended = mend(mended, snag)
            if not mended.is_solved:
                mended, _ = solve_job(mended, lambda _share: True)
            left = len(inspector.inspect(mended).snags)
            after = np.abs(stages.alpha(mended, job.photo.bounds, 0) - case.alpha).sum() / error.sum()
            share = error[covered].sum() / error.sum()
            yield f"| {name}, {marked.way} | {len(snags)} | {share:.2f} | {covered.mean():.3f} | {left} | {after:.3f} |"
