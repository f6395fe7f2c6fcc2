"""How far the colours of edges are from the true ones, and what corrections do to drawn spill and rims."""

import time
from collections.abc import Iterator
from dataclasses import replace
from itertools import product

import cv2
import numpy as np

from bench.cases import Case, demo_case
from bench.edge import marked_ways
from bench.kinds import UNSEEN, WATCHED, kind_case, kind_cases
from peel.demo.photos import NAMES
from peel.job.edits.values import use_zones, with_matte
from peel.job.job import Job, Photo, new_job
from peel.job.settings import Colour
from peel.matte.colour.spill import PLANE
from peel.matte.composite.over import composite_over
from peel.matte.inspect.measures import ciede2000
from peel.matte.srgb import to_lab
from peel.work.solving.solve import solve_job
from peel.work.solving.spilling import with_spill
from peel.work.stages import Cache, Stages

__all__ = ["casts", "difference", "table"]

_BACKINGS = ((1.0, 1.0, 1.0), (0.0, 0.0, 0.0), (1.0, 0.0, 1.0), (0.5, 0.5, 0.5))
_PLAIN = Colour(spill_edge=0, spill_inside=0)


def difference(case: Case, colours: np.ndarray, alpha: np.ndarray) -> float:
    """Average CIEDE2000 over four backings in the band, against the true colours with the true matte."""
    assert case.colours is not None
    band = (case.alpha > 0) & (case.alpha < 1)
    rows, columns = np.nonzero(band)
    part = (slice(rows.min(), rows.max() + 1), slice(columns.min(), columns.max() + 1))
    band, total = band[part], 0.0
    for backing in _BACKINGS:
        ours = composite_over(colours[part], backing, alpha[part])[band][None]
        theirs = composite_over(case.colours[part], backing, case.alpha[part])[band][None]
        total += float(ciede2000(to_lab(ours), to_lab(theirs)).mean())
    return total / len(_BACKINGS)


def _nearest(case: Case, alpha: np.ndarray) -> np.ndarray:
    """Extend solid colours to the nearest half-clear pixels: the baseline."""
    source = (alpha < 1).astype(np.uint8)
    _, labels = cv2.distanceTransformWithLabels(source, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    colour_of = np.zeros((int(labels.max()) + 1, 3), np.float32)
    colour_of[labels[alpha >= 1]] = case.photo[alpha >= 1]
    return colour_of[labels]


def _job_of(case: Case, alpha: np.ndarray) -> Job:
    photo = Photo(case.name, np.ascontiguousarray((case.photo * 255 + 0.5).astype(np.uint8)))
    job = use_zones(new_job(photo), case.zones)
    return with_spill(with_matte(job, photo.bounds, alpha))


def table(seed: int = 5) -> Iterator[str]:
    """Measure every demo photo with the true matte and with Peel's, then drawn rims."""
    yield "| photo, matte | nearest solid | estimate alone | as a new job | spill found | seconds |\n|---|---|---|---|---|---|"
    for name in NAMES:
        case = demo_case(name)
        marked = list(marked_ways(case, seed))[1]
        solved, _ = solve_job(marked.job, lambda _share: True)
        own = solved.alpha(solved.photo.bounds)
        for which, alpha, job in (("true", case.alpha, _job_of(case, case.alpha)), ("Peel's", own, solved)):
            stages, bounds = Stages(job.photo, Cache(300_000_000)), job.photo.bounds
            plain = stages.foreground(job.with_recipe(colour=_PLAIN), bounds, 0)
            since = time.perf_counter()
            made = stages.foreground(job, bounds, 0)
            seconds = time.perf_counter() - since
            figures = [difference(case, colours, alpha) for colours in (_nearest(case, alpha), plain, made)]
            listed = " | ".join(f"{figure:.2f}" for figure in figures)
            yield f"| {name}, {which} | {listed} | {job.settings.photo.spill_found} | {seconds:.1f} |"
    yield "\n| drawn rim | dE along it before | after | texture's contrast kept |\n|---|---|---|---|"
    for name in ("lamplighter", "tin-drummer", "russet"):
        for strength in (-0.18, 0.18):
            yield _rim(demo_case(name), name, strength)
    for half, seeds in (("watched", WATCHED), ("unseen", UNSEEN)):
        yield f"\nDrawn casts, {half}:\n"
        yield from casts(seeds)


_WALLS = {"green": (0.2, 0.6, 0.25), "red": (0.75, 0.25, 0.15), "ginger": (0.72, 0.42, 0.15), "blue": (0.15, 0.3, 0.7)}


def casts(seeds: tuple[int, ...]) -> Iterator[str]:
    """Measure hair in the light of a plain wall, with true mattes: none of it corrected, and as a new job."""
    yield "| hair, wall, strength | uncorrected | as a new job | wrong hue before | after |\n|---|---|---|---|---|"
    hair = (found for found in kind_cases(seeds) if found[0].drawing.startswith("mane"))
    for kind, seed in hair:
        case = kind_case(kind, seed)
        for (wall, colour), strength in product(_WALLS.items(), (0.2, 0.35, 0.5)):
            lit = _lit(case, np.float32(colour), strength, seed)
            job = _job_of(lit, lit.alpha)
            stages, bounds = Stages(job.photo, Cache(300_000_000)), job.photo.bounds
            bare = job.with_recipe(colour=_PLAIN.model_copy(update={"roots": 0.0}))
            made = [stages.foreground(which, bounds, 0) for which in (bare, job)]
            figures = [f"{difference(lit, colours, lit.alpha):.2f}" for colours in made]
            wrong = [f"{_wrong_hue(lit, colours):.1%}" for colours in made]
            yield f"| {kind.drawing}, {wall}, {strength} | {' | '.join(figures + wrong)} |"


def _lit(case: Case, wall: np.ndarray, strength: float, seed: int) -> Case:
    """Lay the light of a wall on a subject, most where it is half-clear, and lay it before the wall."""
    assert case.colours is not None
    noise = np.random.default_rng(seed).normal(0, 0.01, case.photo.shape)
    near = (cv2.GaussianBlur(1 - case.alpha, (0, 0), 6) * 2 + 1 - case.alpha) / 2
    light = np.clip(strength * near, 0, 1)[..., None]
    subject = case.colours + light * (wall - case.colours)
    photo = case.alpha[..., None] * subject + (1 - case.alpha[..., None]) * (wall + noise)
    return replace(case, photo=np.clip(photo, 0, 1).astype(np.float32))


def _wrong_hue(case: Case, colours: np.ndarray) -> float:
    """Return the share of the edge whose chroma is visibly off."""
    edge = (case.alpha > 0.1) & (case.alpha < 1)
    return float((np.linalg.norm((colours - case.colours)[edge] @ PLANE.T, axis=1) > 0.05).mean())


def _rim(case: Case, name: str, strength: float, width: int = 5) -> str:
    """Darken or lighten the subject along its edge, and correct it."""
    inside = cv2.distanceTransform((case.alpha >= 0.5).astype(np.uint8), cv2.DIST_L2, 5)
    fade = np.clip(1 - inside / width, 0, 1) * (case.alpha > 0.02)
    assert case.colours is not None
    rimmed = np.clip(case.colours * (1 + strength * 2 * fade[..., None]), 0, 1).astype(np.float32)
    job = _job_of(case, case.alpha)
    photo = np.clip(case.alpha[..., None] * rimmed + (1 - case.alpha[..., None]) * case.photo, 0, 1)
    spoiled = Photo(name, np.ascontiguousarray((photo * 255 + 0.5).astype(np.uint8)))
    job = with_matte(use_zones(new_job(spoiled), case.zones), spoiled.bounds, case.alpha)
    stages = Stages(spoiled, Cache(300_000_000))
    before = stages.foreground(job.with_recipe(colour=_PLAIN), spoiled.bounds, 0)
    corrected = job.with_recipe(colour=_PLAIN.model_copy(update={"rim_light": 0.9, "rim_tint": 0.9, "rim_px": width}))
    after = stages.foreground(corrected, spoiled.bounds, 0)
    where = (fade > 0.2) & (case.alpha >= 1)
    errors = [float(ciede2000(to_lab(made)[where], to_lab(case.colours)[where]).mean()) for made in (before, after)]
    contrast = [
        float(np.abs(made.mean(axis=2) - cv2.GaussianBlur(made.mean(axis=2), (0, 0), 1.5))[where].mean())
        for made in (before, after)
    ]
    kept = contrast[1] / max(contrast[0], 1e-6)
    return f"| {name}, {'darker' if strength < 0 else 'lighter'} | {errors[0]:.2f} | {errors[1]:.2f} | {kept:.3f} |"
