"""Small pictures of photos and of jobs, as cards show them; a job's own is noted in its file."""

import base64
import contextlib
import io
import sqlite3
from pathlib import Path
from typing import Final

import cv2
import numpy as np
from PIL import Image

from peel.errors import PeelError
from peel.files.connection import looking_into
from peel.files.photo import read_photo
from peel.job.job import Job
from peel.job.placing.sheet import sheet_of
from peel.matte.arrays import ByteArray
from peel.matte.pixels import bytes_of_words
from peel.work.stages import Stages
from peel.work.views import View, render

__all__ = ["job_thumb", "noted_thumb", "photo_thumb"]

_LONGEST: Final = 360
_MOST: Final = 90_000  # characters, as a note of a job file may have


def photo_thumb(path: Path) -> ByteArray:
    """Decode a photo and make it small, (h, w, 3) uint8.

    Raises
    ------
    PhotoError
    """
    pixels = bytes_of_words(read_photo(path).pixels)
    scale = _LONGEST / max(pixels.shape[:2])
    small = cv2.resize(pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else pixels
    return np.ascontiguousarray(small)


def job_thumb(stages: Stages, job: Job) -> str:
    """Draw a job on its backing, small, as a JPEG in base64; "" for one without a subject."""
    if not job.has_subject:
        return ""
    space = sheet_of(job).space
    level = space.level_within(2 * _LONGEST)
    pixels = render(stages, job, View.BACKING, space.bounds(level), level)
    scale = min(1.0, _LONGEST / max(pixels.shape[:2]))
    size = (max(1, round(pixels.shape[1] * scale)), max(1, round(pixels.shape[0] * scale)))
    buffer = io.BytesIO()
    Image.fromarray(np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA))).save(buffer, "JPEG", quality=80)
    text = base64.b64encode(buffer.getvalue()).decode()
    return text if len(text) < _MOST else ""


def noted_thumb(path: Path) -> str | None:
    """Return the picture noted in a job file, as a JPEG in base64, without opening the job; None if there is none."""
    with contextlib.suppress(PeelError, sqlite3.Error), looking_into(path) as sql:
        query = "SELECT value FROM note WHERE key = 'thumb' AND length(value) < ?"
        row = sql.execute(query, (_MOST,)).fetchone()
        return str(row[0]) if row else None
    return None
