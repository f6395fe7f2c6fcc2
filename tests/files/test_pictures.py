import io
from pathlib import Path

import imagecodecs
import numpy as np
import pytest
from PIL import Image, ImageCms

from peel.errors import DeliveryError
from peel.files.atomic import write_whole
from peel.files.encoding import Encoding, encoded_jpeg
from peel.files.photo import decode_photo
from peel.files.pictures import write_png
from peel.files.profiles import colour_into_profile, is_srgb, rgb_profile_or_none, to_screen


def _swapped_profile() -> bytes:
    """Give a working RGB profile whose red and blue are exchanged, so that conversions cannot be overlooked."""
    profile = bytearray(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
    return bytes(profile).replace(b"rXYZ", b"xXYZ").replace(b"bXYZ", b"rXYZ").replace(b"xXYZ", b"bXYZ")


@pytest.mark.parametrize("dtype", [np.uint8, np.uint16])
@pytest.mark.parametrize("channels", [0, 3, 4])
def test_png_round_trip(tmp_path: Path, dtype: type, channels: int) -> None:
    shape = (9, 13, channels) if channels else (9, 13)
    pixels = np.random.default_rng(0).integers(0, np.iinfo(dtype).max, shape, dtype)

    write_png(tmp_path / "a.png", pixels)

    assert np.array_equal(imagecodecs.png_decode((tmp_path / "a.png").read_bytes()), pixels)


def test_profiles_are_embedded(tmp_path: Path) -> None:
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    pixels = np.zeros((6, 6, 3), np.uint8)

    write_png(tmp_path / "a.png", pixels, profile)
    (tmp_path / "a.jpg").write_bytes(encoded_jpeg(pixels, Encoding(90, profile=profile)))

    for name in ("a.png", "a.jpg"):
        with Image.open(tmp_path / name) as image:
            image.load()
            assert image.info["icc_profile"] == profile


def test_a_failed_write_leaves_the_old_file_and_no_trace(tmp_path: Path) -> None:
    path = tmp_path / "a.png"
    path.write_bytes(b"old")

    def fails(file: io.BufferedWriter) -> None:
        file.write(b"half")
        raise OSError(28, "No space left on device")

    with pytest.raises(DeliveryError, match="no space left on device"):
        write_whole(path, fails)

    assert path.read_bytes() == b"old"
    assert [entry.name for entry in tmp_path.iterdir() if entry.name != "home"] == ["a.png"]


def test_a_folder_that_is_a_file_is_explained(tmp_path: Path) -> None:
    (tmp_path / "busy").write_bytes(b"")

    with pytest.raises(DeliveryError, match="could not be written"):
        write_png(tmp_path / "busy" / "a.png", np.zeros((3, 3), np.uint8))


def test_colours_go_to_the_screen_and_back_through_the_profile() -> None:
    profile = _swapped_profile()
    red = np.zeros((4, 4, 3), np.uint8)
    red[..., 0] = 200

    shown = to_screen(red, profile)

    assert not is_srgb(profile)
    assert shown[0, 0, 2] > 150
    assert shown[0, 0, 0] < 60
    assert colour_into_profile((1.0, 0.0, 0.0), profile)[2] > 0.8
    assert colour_into_profile((0.2, 0.3, 0.4), None) == (0.2, 0.3, 0.4)


def test_broken_profiles_count_as_none(tmp_path: Path) -> None:
    assert rgb_profile_or_none(b"not a profile") is None
    buffer = io.BytesIO()
    Image.new("RGB", (8, 8)).save(buffer, "PNG", icc_profile=b"x" * 200)

    assert decode_photo(buffer.getvalue(), "a").profile is None
