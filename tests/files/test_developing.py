"""OpenEXR as scene light, with independently encoded values; camera files are covered with the formats."""

from pathlib import Path

import numpy as np
import OpenEXR
import pytest

from peel.errors import PhotoError
from peel.files.developing import developed_exr, is_developed, is_developed_name, is_exr, is_raw


def _exr(folder: Path, **channels: np.ndarray) -> bytes:
    path = folder / "made.exr"
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with OpenEXR.File(header, channels) as file:
        file.write(str(path))
    return path.read_bytes()


def _srgb(light: float) -> float:
    light = min(max(light, 0.0), 1.0)
    return 65_535 * (12.92 * light if light <= 0.0031308 else 1.055 * light ** (1 / 2.4) - 0.055)


def _plane(value: float, height: int = 3, width: int = 5) -> np.ndarray:
    return np.full((height, width), value, np.float32)


@pytest.mark.parametrize(("stops", "factor"), [(0.0, 1), (1.0, 2), (-1.0, 0.5), (-9.0, 0.25), (9.0, 8)])
def test_light_is_encoded_with_its_exposure_within_limits(tmp_path: Path, stops: float, factor: float) -> None:
    content = _exr(tmp_path, R=_plane(0.05), G=_plane(0.001), B=_plane(0.3))

    made = developed_exr(content, "light.exr", stops)

    assert made.shape == (3, 5, 3)
    assert made.dtype == np.uint16
    assert made[1, 2] == pytest.approx([_srgb(own * factor) for own in (0.05, 0.001, 0.3)], abs=2)


def test_gray_is_gray_and_what_is_clear_lies_on_white(tmp_path: Path) -> None:
    gray = developed_exr(_exr(tmp_path, Y=_plane(0.2)), "light.exr")
    half = developed_exr(_exr(tmp_path, R=_plane(0.1), G=_plane(0.1), B=_plane(0.0), A=_plane(0.6)), "light.exr")
    both = developed_exr(_exr(tmp_path, R=_plane(0.5), G=_plane(0.5), B=_plane(0.5), Y=_plane(0.1)), "light.exr")

    assert gray[0, 0] == pytest.approx([_srgb(0.2)] * 3, abs=2)
    assert half[0, 0] == pytest.approx([_srgb(0.5), _srgb(0.5), _srgb(0.4)], abs=2)
    assert both[0, 0] == pytest.approx([_srgb(0.5)] * 3, abs=2)


def test_light_that_is_no_number_or_endless_is_something(tmp_path: Path) -> None:
    odd = _plane(0.2)
    odd[0, :3] = np.nan, np.inf, -np.inf

    made = developed_exr(_exr(tmp_path, R=odd, G=odd, B=odd), "light.exr")

    assert made[0, :3, 0].tolist() == [0, 65_535, 0]


def test_what_holds_no_picture_is_said(tmp_path: Path) -> None:
    content = _exr(tmp_path, R=_plane(0.1), G=_plane(0.1))

    with pytest.raises(PhotoError, match="no picture in colour or gray"):
        developed_exr(content, "light.exr")
    with pytest.raises(PhotoError, match="damaged or cut short"):
        developed_exr(content[:60], "light.exr")


def test_names_and_contents_tell_what_is_developed() -> None:
    assert is_raw("A.NEF")
    assert not is_raw("a.png")
    assert is_exr(b"\x76\x2f\x31\x01rest")
    assert is_developed_name("a.EXR")
    assert is_developed_name("a.cr3")
    assert not is_developed_name("a.tif")
    assert is_developed(b"\x76\x2f\x31\x01", "a.tif")
    assert is_developed(b"", "a.dng")
    assert not is_developed(b"", "a.exr")
