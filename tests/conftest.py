"""What every test starts from: a home of its own, no screen, small made-up pictures."""

import io
import os

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import HealthCheck, settings
from PIL import Image

from peel.demo import photos
from peel.demo.photos import DemoPhoto
from peel.job.assets import Asset
from peel.job.edits import contours
from peel.job.job import Job, Photo, new_job
from peel.job.settings import Node

settings.register_profile(
    "peel", max_examples=50, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
settings.load_profile("peel")


@pytest.fixture(autouse=True)
def _own_home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    home = tmp_path / "home"
    home.mkdir()
    monkeypatch.setenv("HOME", str(home))
    for name in ("XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME"):
        monkeypatch.setenv(name, str(home / name.lower()))


def soft_disc(height: int = 120, width: int = 160, radius: float = 40.0) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Give (photo, alpha, zones) of an orange disc with a soft rim on blue; exact, noise-free."""
    ys, xs = np.mgrid[:height, :width]
    away = np.hypot(ys - height / 2, xs - width / 2)
    alpha = np.clip((radius + 4 - away) / 8, 0, 1).astype(np.float32)
    foreground, backdrop = np.array([0.85, 0.5, 0.2], np.float32), np.array([0.15, 0.3, 0.6], np.float32)
    photo = alpha[..., None] * foreground + (1 - alpha[..., None]) * backdrop
    zones = np.full(alpha.shape, 128, np.uint8)
    zones[away < radius - 10] = 255
    zones[away > radius + 10] = 0
    return photo.astype(np.float32), alpha, zones


@pytest.fixture
def disc() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    return soft_disc()


@pytest.fixture
def disc_job() -> Job:
    photo, _, _ = soft_disc(300, 420, 90)
    job = new_job(Photo("disc.png", np.round(photo * 255).astype(np.uint8)))
    return job.with_recipe(band={"lay": "plain", "kinds": "none"})


@pytest.fixture
def disc_file(tmp_path: Path) -> Path:
    photo, _, _ = soft_disc(300, 420, 90)
    path = tmp_path / "disc.png"
    Image.fromarray(np.round(photo * 255).astype(np.uint8)).save(path)
    return path


@pytest.fixture(scope="session")
def _halves(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("halves")


@pytest.fixture
def half_demo(_halves: Path, monkeypatch: pytest.MonkeyPatch) -> Callable[[str], DemoPhoto]:
    """The demo photos at half their size, so that a whole job on one takes a quarter of the time."""
    whole = photos.PHOTOS

    def halved(name: str) -> DemoPhoto:
        for path in whole.glob(f"{name}*"):
            if not (_halves / path.name).exists():
                picture = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
                way = cv2.INTER_NEAREST if path.stem.endswith(("zones", "kinds")) else cv2.INTER_AREA
                half = cv2.resize(picture, None, fx=0.5, fy=0.5, interpolation=way)
                cv2.imwrite(str(_halves / path.name), half, [cv2.IMWRITE_JPEG_QUALITY, 94])
        monkeypatch.setattr(photos, "PHOTOS", _halves)
        return photos.demo_photo(name)

    return halved


def png_asset(pixels: np.ndarray, name: str = "kite.png") -> Asset:
    """Give a picture as it stands on a sheet, with or without alpha."""
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, "PNG")
    return Asset(name, buffer.getvalue(), *pixels.shape[:2])


def outlined(job: Job, points: list[tuple[float, float]], *, hole: bool = False) -> Job:
    """Continue the open contour by straight runs."""
    return contours.add_nodes(job, [Node(at=point) for point in points], hole=hole)
