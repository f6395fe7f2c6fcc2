"""Small made-up pictures and jobs to attack."""

import io
from pathlib import Path

import numpy as np
import tifffile
from PIL import Image

from peel.job.edits.marking import Stroke, Zone, paint_mark, paint_zone
from peel.work.session.session import Session

__all__ = ["job_file", "photo_files", "picture"]


def picture(height: int = 150, width: int = 210) -> np.ndarray:
    """Draw an orange disc with a soft rim on blue, (H, W, 3) uint8."""
    ys, xs = np.mgrid[:height, :width]
    away = np.hypot(ys - height / 2, xs - width / 2)
    alpha = np.clip((height / 3 - away) / 6, 0, 1)[..., None]
    grain = np.random.default_rng(0).normal(0, 3, (height, width, 3))
    return np.clip(alpha * (217, 128, 51) + (1 - alpha) * (38, 77, 153) + grain, 0, 255).astype(np.uint8)


def _encoded(image: Image.Image, kind: str, **options: object) -> bytes:
    buffer = io.BytesIO()
    image.save(buffer, kind, **options)
    return buffer.getvalue()


def photo_files() -> dict[str, bytes]:
    """Make one small photo of every kind that Peel reads."""
    rgb = picture(60, 80)
    plain = Image.fromarray(rgb)
    clear = Image.fromarray(np.dstack([rgb, np.full(rgb.shape[:2], 120, np.uint8)]))
    sixteen = io.BytesIO()
    tifffile.imwrite(sixteen, rgb.astype(np.uint16) * 257, photometric="rgb")
    exif = Image.Exif()
    exif[0x0112] = 6
    return {
        "plain.jpg": _encoded(plain, "JPEG", exif=exif),
        "progressive.jpg": _encoded(plain, "JPEG", progressive=True),
        "cmyk.jpg": _encoded(plain.convert("CMYK"), "JPEG"),
        "rgb.png": _encoded(plain, "PNG"),
        "clear.png": _encoded(clear, "PNG"),
        "palette.png": _encoded(plain.convert("P"), "PNG", transparency=0),
        "gray.png": _encoded(plain.convert("L"), "PNG"),
        "rgb.tif": _encoded(plain, "TIFF"),
        "packed.tif": _encoded(clear, "TIFF", compression="tiff_lzw"),
        "sixteen.tif": sixteen.getvalue(),
        "rgb.webp": _encoded(plain, "WEBP"),
    }


def job_file(folder: Path) -> Path:
    """Make a job of a few states, closed."""
    photo = folder / "disc.png"
    Image.fromarray(picture()).save(photo)
    path = folder / "disc.peel"
    session = Session.begin(photo, path)
    session.apply("Brush", lambda job: paint_mark(job, Stroke(((105.0, 75.0),), 40), subject=True))
    session.apply("Band", lambda job: paint_zone(job, Stroke(((105.0, 40.0), (140.0, 60.0)), 9), Zone.UNSURE))
    session.wait_idle(60)
    session.close()
    return path
