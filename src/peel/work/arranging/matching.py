"""Match by one press: the tones of old backdrop, subject and backing, and grades that bring them together."""

from typing import Final, Literal

import cv2
import numpy as np

from peel.errors import MarkError
from peel.job.edits.values import set_value
from peel.job.job import Job
from peel.job.placing.sheet import sheet_of
from peel.job.rect import Rect
from peel.job.settings import Grade, ToneMatch
from peel.matte.arrays import FloatArray
from peel.matte.composite.grading import Tones, tones_of
from peel.work.stages import Stages
from peel.work.stages.grades import tones_row

__all__ = ["MATCHES", "Match", "matched_job", "measured_tones"]

Match = Literal["backing to old backdrop", "backing to subject", "subject to backing"]
MATCHES: Final[dict[Match, tuple[str, str]]] = {
    "backing to old backdrop": ("backing", "old backdrop"),
    "backing to subject": ("backing", "subject"),
    "subject to backing": ("subject", "backing"),
}
"""What each way of matching changes, and what it is matched to."""

_LONGEST: Final = 700  # side of the picture that is measured
_NEAR: Final = 0.08  # of the photo's longer side: what is near the subject


def measured_tones(stages: Stages, job: Job, what: str) -> Tones | None:
    """Measure the tones of "subject", "old backdrop" or "backing", as they are before any grade.

    Notes
    -----
    The backdrop and the backing are measured in the same place, near the subject, and only where it is quite clear.
    """
    level = job.photo.space.level_within(_LONGEST)
    rect = job.photo.space.bounds(level)
    alpha = stages.alpha(job, rect, level)
    if what == "subject":
        return tones_of(stages.foreground(job, rect, level), alpha)
    near = _near(alpha)
    if what == "old backdrop":
        return tones_of(stages.pyramid.colours(rect, level), near)
    plain = set_value(job, "recipe.backing.grade", Grade())
    sheet = sheet_of(plain)
    under = rect.moved(round(sheet.top / (1 << level)), round(sheet.left / (1 << level)))
    backing = stages.sheets.backings.window(sheet, under, level)
    return None if backing is None else tones_of(backing, _on_sheet(near, under, sheet.space.bounds(level)))


def _near(alpha: FloatArray) -> FloatArray:
    """Return where the old backdrop is near the subject, (H, W) float32 of 0 and 1; anywhere, if there is none near."""
    reach = max(3, round(_NEAR * max(alpha.shape)))
    some = (alpha > 0).astype(np.uint8)
    clear = cv2.dilate(some, np.ones((3, 3), np.uint8)) == 0
    ring = cv2.dilate(some, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))) > 0
    near = clear & ring
    return (near if near.any() else clear).astype(np.float32)


def _on_sheet(weights: FloatArray, rect: Rect, bounds: Rect) -> FloatArray:
    """Return weights of what lies on the sheet; all of them where the sheet shows nothing of it."""
    seen, out = rect.intersection(bounds), np.zeros_like(weights)
    if seen.is_empty:
        return weights
    out[seen.within(rect)] = weights[seen.within(rect)]
    return out if out.any() else weights


def matched_job(stages: Stages, job: Job, match: Match) -> Job:
    """Match the backing to the old backdrop or the subject, or the subject to the backing; what was set by hand stays.

    Raises
    ------
    MarkError
        If there is no backing, or nothing to measure.
    """
    if job.settings.recipe.backing.kind == "nothing":
        raise MarkError("There is no backing to match.", "Choose a colour, gradient, pattern or photo first.")
    changed, to = MATCHES[match]
    own, aim = measured_tones(stages, job, changed), measured_tones(stages, job, to)
    if own is None or aim is None:
        raise MarkError("There is nothing to measure yet.", "Mark a subject first, and leave some backdrop around it.")
    found = ToneMatch(to=to, own=tones_row(own), aim=tones_row(aim))
    path = "recipe.backing.grade.match" if changed == "backing" else "recipe.subject.match"
    return set_value(job, path, found)
