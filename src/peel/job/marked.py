"""What is marked as subject, by contours and by brushes, before any band is laid."""

from typing import Final

import numpy as np

from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.arrays import BoolArray, ByteArray

__all__ = ["EXACTLY", "marked_subject", "sampled_subject", "trust_code"]

EXACTLY: Final = 255
"""Code of full trust in the plane `trusted`."""


def trust_code(trust: float | None) -> int:
    """Return the code of a trust in [0, 1]; None leaves it to the recipe.

    >>> trust_code(None), trust_code(0.0), trust_code(1.0)
    (0, 1, 255)
    """
    return 0 if trust is None else 1 + round(trust * (EXACTLY - 1))


def marked_subject(job: Job, window: Rect) -> BoolArray:
    """Return what is marked as subject in a window; (H, W) bool."""
    return _subject(job.marks.read(window), job.outline.read(window))


def sampled_subject(job: Job, height: int, width: int) -> BoolArray:
    """Tell the same of a small picture of the photo, (height, width) bool."""
    return _subject(job.marks.sampled(height, width), job.outline.sampled(height, width))


def _subject(marks: ByteArray, outline: ByteArray) -> BoolArray:
    return np.asarray(((outline >= 128) & (marks == 0)) | (marks == 2))
