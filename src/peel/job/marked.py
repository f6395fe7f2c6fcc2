"""What is marked as subject, by contours and by brushes, before any band is laid."""

import numpy as np

from peel.job.job import Job
from peel.job.rect import Rect
from peel.matte.arrays import BoolArray, ByteArray

__all__ = ["marked_subject", "sampled_subject"]


def marked_subject(job: Job, window: Rect) -> BoolArray:
    """Return what is marked as subject in a window; (H, W) bool."""
    return _subject(job.marks.read(window), job.outline.read(window))


def sampled_subject(job: Job, height: int, width: int) -> BoolArray:
    """Tell the same of a small picture of the photo, (height, width) bool."""
    return _subject(job.marks.sampled(height, width), job.outline.sampled(height, width))


def _subject(marks: ByteArray, outline: ByteArray) -> BoolArray:
    return np.where(marks == 0, outline >= 128, marks == 2)
