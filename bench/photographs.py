"""How well marks are read and subjects are guessed on photographs: real subjects before real backdrops, with truth.

Nothing of the material is shipped or fetched: the cases lie in a folder, made beforehand by laying stamps with
hand-made alpha (Debian's package tuxpaint-stamps-default) over generated studio sweeps and over photographs (Debian's
mate-backgrounds). Each case is a folder of photo.jpg, alpha.png (16 bit) and meta.json with the enlargement "scale".

Hand-made alpha is only roughly right at the pixel, so a matte counts as wrong only beyond the least and most alpha
within a few pixels.
"""

import json
import os
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path

import cv2
import numpy as np
from PIL import Image

from peel.errors import SolveError
from peel.job.edits.marking import Zone, mark_region
from peel.job.edits.values import set_value
from peel.job.job import Job, Photo, new_job
from peel.matte.edge.zones import FOREGROUND, UNKNOWN
from peel.work.marking.finding import Finder, proposal_words
from peel.work.solving.solve import solve_job
from peel.work.stages import Pyramid

__all__ = ["folder_of_cases", "table"]

_DEEP_PX = 12  # pixels from the nearest half-clear one from which the inside counts
_GROUPS = ("", "studio", "defocused", "sharp", "furry", "open", "compact")


def folder_of_cases() -> Path:
    """Return the folder in which each half of the cases has a folder: tuned/ and unseen/."""
    cache = Path(os.environ.get("XDG_CACHE_HOME", Path.home() / ".cache"))
    return Path(os.environ.get("PEEL_PHOTOGRAPHS", cache / "peel-photographs" / "cases"))


@dataclass
class _Case:
    """A photograph and its truth."""

    name: str
    photo: Photo
    alpha: np.ndarray
    scale: float

    @classmethod
    def read(cls, folder: Path) -> "_Case":
        photo = np.asarray(Image.open(folder / "photo.jpg").convert("RGB"))
        alpha = np.asarray(cv2.imread(str(folder / "alpha.png"), cv2.IMREAD_UNCHANGED), np.float32) / 65535
        scale = float(json.loads((folder / "meta.json").read_text())["scale"])
        return cls(folder.name, Photo(folder.name, np.ascontiguousarray(photo)), alpha, scale)

    @property
    def subject(self) -> np.ndarray:
        return self.alpha > 0.5

    @property
    def half_clear(self) -> np.ndarray:
        return (self.alpha > 0.05) & (self.alpha < 0.95)

    @property
    def interior(self) -> np.ndarray:
        return (self.alpha >= 0.95) & (_away(self.alpha <= 0.9) > _DEEP_PX)

    def error(self, matte: np.ndarray) -> float:
        """Return the error beyond tolerance as a share of the subject's area."""
        kernel = _disc(int(np.clip(round(self.scale), 2, 4)))
        low, high = cv2.erode(self.alpha, kernel), cv2.dilate(self.alpha, kernel)
        return float(np.maximum(0, np.maximum(matte - high, low - matte)).sum() / max(self.alpha.sum(), 1))


def _disc(radius: int) -> np.ndarray:
    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1,) * 2)


def _away(mask: np.ndarray) -> np.ndarray:
    if not mask.any():
        return np.full(mask.shape, 1e6, np.float32)
    return cv2.distanceTransform((~mask).astype(np.uint8), cv2.DIST_L2, 5)


# marks


def sloppy_mark(case: _Case) -> np.ndarray:
    """Return a quick mark: well inside, smooth, wobbly, and not through fine parts."""
    rng = np.random.default_rng([5, int(case.alpha.sum())])
    mark, opening, erosion = case.subject.astype(np.uint8), 1, 1
    for opening, erosion in ((10, 6), (6, 4), (3, 2), (1, 1)):
        mark = cv2.morphologyEx(case.subject.astype(np.uint8), cv2.MORPH_OPEN, _disc(opening))
        mark = cv2.erode(mark, _disc(erosion))
        if mark.sum() > 0.25 * case.subject.sum():
            break
    if opening <= 3:
        return mark > 0
    height, width = mark.shape
    rows, columns = np.mgrid[:height, :width].astype(np.float32)
    shaken = [cv2.GaussianBlur(rng.normal(0, 1, mark.shape).astype(np.float32), (0, 0), 22) for _ in range(2)]
    right, down = (way / (way.std() + 1e-9) * min(3.0, erosion / 2) for way in shaken)
    moved = cv2.remap(mark * 255, columns + right, rows + down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return cv2.GaussianBlur(moved, (0, 0), 3) > 127


def _bitten(case: _Case) -> np.ndarray:
    rng = np.random.default_rng(7)
    mark = case.subject.astype(np.uint8)
    rows, columns = np.nonzero(case.subject & (_away(~case.subject) < 3))
    for at in rng.choice(len(rows), 6):
        cv2.circle(mark, (int(columns[at]), int(rows[at])), int(rng.integers(12, 35)), 0, -1)
    return mark > 0 if mark.any() else case.subject


_MARKS: dict[str, Callable[[_Case], np.ndarray]] = {
    "sloppy": sloppy_mark,
    "exact": lambda case: case.subject,
    "bitten": _bitten,
    "generous": lambda case: cv2.dilate(case.subject.astype(np.uint8), _disc(12)) > 0,
    "wispy": lambda case: cv2.dilate((case.alpha > 0.03).astype(np.uint8), _disc(2)) > 0,
}

# measuring


def _solved(job: Job) -> np.ndarray:
    try:
        return solve_job(job)[0].alpha(job.photo.bounds)
    except SolveError:
        return (job.zones.read() == FOREGROUND).astype(np.float32)


def _control(job: Job) -> Job:
    """Lay a plain band: 2 px inwards and 6 px outwards in a picture of 320 px."""
    side = max(job.photo.height, job.photo.width)
    band = {"lay": "plain", "kinds": "none", "inward_px": 2 * side / 320, "outward_px": 6 * side / 320}
    return job.with_recipe(band=band)


_LAID: dict[str, Callable[[Job], Job]] = {
    "plain band": _control,
    "laid, no kinds": lambda job: set_value(job, "recipe.band.kinds", "none"),
    "laid": lambda job: job,
}


def _measured(case: _Case, job: Job) -> dict[str, float]:
    unsure = job.zones.read() == UNKNOWN
    half, inside = case.half_clear, case.interior
    return {
        "error": case.error(_solved(job)),
        "inside unsure": float(unsure[inside].mean()) if inside.any() else 0.0,
        "half-clear in band": float(unsure[half].mean()) if half.any() else 1.0,
        "deeper than 12 px": float((unsure & (_away(~case.subject) > _DEEP_PX)).sum()),
    }


def _each_mark(folder: Path) -> list[tuple[str, str, str, dict[str, float]]]:
    case = _Case.read(folder)
    rows = []
    for mark, make in _MARKS.items():
        for way, lay in _LAID.items():
            if mark != "sloppy" and way == "laid, no kinds":
                continue
            job = mark_region(lay(new_job(case.photo)), make(case), Zone.SUBJECT)
            rows.append((case.name, mark, way, _measured(case, job)))
    exact = set_value(new_job(case.photo), "recipe.band.trust", 1.0)
    rows.append((case.name, "exact", "trust 1", _measured(case, mark_region(exact, case.subject, Zone.SUBJECT))))
    return rows


def _each_guess(folder: Path) -> tuple[str, float, float, float]:
    """Return a case's name, the guess's overlap with the truth, its confidence, and the error of the matte."""
    case = _Case.read(folder)
    finder = Finder(case.photo, Pyramid(case.photo.pixels))
    guess = finder.propose()
    small = guess.region.shape[::-1]
    truth = cv2.resize(case.subject.astype(np.float32), small, interpolation=cv2.INTER_AREA) > 0.5
    overlap = float((guess.region & truth).sum() / max((guess.region | truth).sum(), 1))
    error = 1.0
    if proposal_words(guess)[1]:
        error = min(1.0, case.error(_solved(finder.mark_proposal(new_job(case.photo), guess))))
    return case.name, overlap, guess.confidence, error


def table() -> Iterator[str]:
    """Measure both halves; lines of tables, or a sentence where there are no cases."""
    found = False
    for half in ("tuned", "unseen"):
        cases = sorted(path.parent for path in (folder_of_cases() / half).rglob("alpha.png"))
        if cases:
            found = True
            yield f"### {half}: {len(cases)} cases\n"
            yield from _band_table(cases)
            yield from _guess_table(cases)
    if not found:
        yield (
            f"Skipped: no cases in {folder_of_cases()}/tuned or /unseen. Make some as this module says, or name their "
            "folder in PEEL_PHOTOGRAPHS."
        )


def _band_table(cases: Sequence[Path]) -> Iterator[str]:
    with get_context("spawn").Pool(2) as pool:
        rows = [row for part in pool.imap(_each_mark, cases) for row in part]
    yield "| mark | band | error, mean | median | inside unsure, upper quartile | half-clear in band | pixels deeper than 12 px |"
    yield "|---|---|---|---|---|---|---|"
    for mark, way in dict.fromkeys((mark, way) for _, mark, way, _ in rows):
        own = [values for _, at, by, values in rows if (at, by) == (mark, way)]
        error = np.array([values["error"] for values in own])
        inside = np.percentile([values["inside unsure"] for values in own], 75)
        half, deep = (np.mean([values[name] for values in own]) for name in ("half-clear in band", "deeper than 12 px"))
        yield f"| {mark} | {way} | {error.mean():.4f} | {np.median(error):.4f} | {inside:.1%} | {half:.3f} | {deep:.0f} |"
    yield "\n| sloppy mark | " + " | ".join(group or "all" for group in _GROUPS) + " |"
    yield "|---" * (len(_GROUPS) + 1) + "|"
    for way in _LAID:
        means = [
            np.mean(
                [values["error"] for name, mark, by, values in rows if (mark, by) == ("sloppy", way) and group in name]
            )
            for group in _GROUPS
        ]
        yield f"| {way} | " + " | ".join(f"{mean:.4f}" for mean in means) + " |"
    yield ""


def _guess_table(cases: Sequence[Path]) -> Iterator[str]:
    with get_context("spawn").Pool(2) as pool:
        rows = pool.map(_each_guess, cases)
    yield "| guesses | overlap, mean | below 0.8 | above 0.9 | error, mean |\n|---|---|---|---|---|"
    for group in _GROUPS[:4]:
        overlap, error = (np.array([row[at] for row in rows if group in row[0]]) for at in (1, 3))
        yield (
            f"| {group or 'all'} | {overlap.mean():.3f} | {(overlap < 0.8).mean():.1%} | {(overlap > 0.9).mean():.1%} "
            f"| {error.mean():.3f} |"
        )
    yield "\n| said to be sure | cases | right (overlap above 0.9) |\n|---|---|---|"
    for low, high in ((0, 0.3), (0.3, 0.5), (0.5, 0.7), (0.7, 0.8), (0.8, 0.9), (0.9, 1.01)):
        own = [overlap > 0.9 for _, overlap, sure, _ in rows if low <= sure < high]
        if own:
            yield f"| {low:.1f} to {min(high, 1):.1f} | {len(own)} | {np.mean(own):.0%} |"
    yield ""
