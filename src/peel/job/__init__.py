"""The document: an immutable job, the edits that make a new one, and its history."""

from peel.job.job import Job, Photo
from peel.job.plane import Plane
from peel.job.rect import Rect
from peel.job.settings import JobSettings

__all__ = ["Job", "JobSettings", "Photo", "Plane", "Rect"]
