import io
import struct
import zlib
from pathlib import Path

import imagecodecs
import numpy as np
import pytest
import tifffile
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image, ImageCms

from peel.errors import PhotoError
from peel.files.drawn import read_drawn
from peel.files.photo import MAX_MEGAPIXELS, decode_photo, read_photo, read_preview

COLOURS = np.random.default_rng(1).integers(0, 256, (24, 30, 3), np.uint8)


def _encoded(kind: str, pixels: np.ndarray = COLOURS, **options: object) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, kind, **options)
    return buffer.getvalue()


@pytest.mark.parametrize(("kind", "options"), [("PNG", {}), ("TIFF", {}), ("WEBP", {"lossless": True})])
def test_lossless_pictures_come_as_they_are(kind: str, options: dict[str, object]) -> None:
    photo = decode_photo(_encoded(kind, **options), "a")

    assert np.array_equal(photo.pixels, COLOURS)
    assert photo.bits == 8
    assert not photo.pixels.flags.writeable


def test_jpeg_comes_close() -> None:
    smooth = np.full((24, 30, 3), 128, np.uint8)

    assert np.abs(decode_photo(_encoded("JPEG", smooth), "a").pixels.astype(int) - 128).max() < 3


@pytest.mark.parametrize("kind", ["png", "tiff"])
def test_sixteen_bits_are_kept(kind: str) -> None:
    pixels = np.random.default_rng(2).integers(0, 65536, (12, 14, 3), np.uint16)
    buffer = io.BytesIO()
    if kind == "png":
        buffer.write(imagecodecs.png_encode(pixels))
    else:
        tifffile.imwrite(buffer, pixels, photometric="rgb", compression="zlib")

    photo = decode_photo(buffer.getvalue(), "a")

    assert np.array_equal(photo.pixels, pixels)
    assert photo.bits == 16


@pytest.mark.parametrize("orientation", range(1, 9))
@pytest.mark.parametrize("kind", ["JPEG", "PNG", "TIFF"])
def test_exif_orientation_is_honoured(orientation: int, kind: str) -> None:
    pixels = np.zeros((16, 24, 3), np.uint8)
    pixels[:8, :8] = 255
    exif = Image.Exif()
    exif[0x0112] = orientation

    photo = decode_photo(_encoded(kind, pixels, exif=exif), "a")

    white = {1: "tl", 2: "tr", 3: "br", 4: "bl", 5: "tl", 6: "tr", 7: "br", 8: "bl"}[orientation]
    row, column = (2 if white[0] == "t" else -3), (2 if white[1] == "l" else -3)
    assert photo.pixels[row, column, 0] > 200
    assert (photo.height, photo.width) == ((16, 24) if orientation < 5 else (24, 16))


def test_an_embedded_profile_stays_with_the_pixels() -> None:
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()

    photo = decode_photo(_encoded("PNG", icc_profile=profile), "a")

    assert photo.profile == profile


@pytest.mark.parametrize("mode", ["L", "P", "CMYK", "RGBA", "LA", "1"])
def test_other_modes_become_rgb(mode: str) -> None:
    image = Image.fromarray(COLOURS).convert(mode)
    buffer = io.BytesIO()
    image.save(buffer, "TIFF" if mode == "CMYK" else "PNG")

    photo = decode_photo(buffer.getvalue(), "a")

    assert photo.pixels.shape == (24, 30, 3)


def test_transparency_is_laid_on_white() -> None:
    pixels = np.zeros((8, 8, 4), np.uint8)

    assert (decode_photo(_encoded("PNG", pixels), "a").pixels == 255).all()


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "is empty"),
        (b"hello, I am a text", "is not a JPEG, PNG, TIFF, WebP, AVIF, JPEG 2000 or OpenEXR picture"),
        (_encoded("PNG")[:200], "damaged or cut short"),
        (_encoded("JPEG")[:300], "damaged or cut short"),
        (_encoded("TIFF")[:900], "damaged"),
    ],
)
def test_broken_files_are_explained(content: bytes, words: str) -> None:
    with pytest.raises(PhotoError, match=words) as raised:
        decode_photo(content, "broken.jpg")

    assert "broken.jpg" in raised.value.message
    assert raised.value.hint


def test_huge_pictures_are_refused_before_they_are_decoded() -> None:
    content = bytearray(_encoded("PNG"))
    content[16:24] = struct.pack(">II", 20000, 10000)
    content[29:33] = struct.pack(">I", zlib.crc32(content[12:29]))

    with pytest.raises(PhotoError, match=f"20000 × 10000 pixels .200 MP.; Peel works up to {MAX_MEGAPIXELS} MP"):
        decode_photo(bytes(content), "huge.png")


def test_a_single_pixel_has_no_edge() -> None:
    with pytest.raises(PhotoError, match="1 × 1 pixels, too small"):
        decode_photo(_encoded("PNG", COLOURS[:1, :1]), "dot.png")


def test_a_missing_photo_and_a_folder_are_explained(tmp_path: Path) -> None:
    with pytest.raises(PhotoError, match="is not there"):
        read_photo(tmp_path / "gone.jpg")
    with pytest.raises(PhotoError, match="is a folder"):
        read_photo(tmp_path)


@given(cut=st.integers(0, 2000), flips=st.lists(st.tuples(st.integers(0, 1999), st.integers(0, 255)), max_size=6))
@pytest.mark.parametrize("kind", ["PNG", "JPEG", "TIFF", "WEBP"])
def test_damage_gives_a_picture_or_a_sentence(kind: str, cut: int, flips: list[tuple[int, int]]) -> None:
    content = bytearray(_encoded(kind))
    for at, value in flips:
        content[at % len(content)] = value

    try:
        photo = decode_photo(bytes(content[: len(content) - cut % 40]), "odd")
    except PhotoError as error:
        assert error.message.startswith("odd")
    else:
        assert photo.pixels.ndim == 3


def test_a_preview_is_upright_and_small() -> None:
    exif = Image.Exif()
    exif[0x0112] = 6
    content = _encoded("JPEG", np.zeros((800, 1600, 3), np.uint8), exif=exif)

    look = read_preview(content, "a.jpg", 400)

    assert look is not None
    assert look.shape[0] > look.shape[1]
    assert max(look.shape) <= 800
    assert read_preview(_encoded("PNG"), "a.png", 400) is None


def test_zones_must_fit_the_photo(tmp_path: Path) -> None:
    photo = decode_photo(_encoded("PNG"), "photo.png")
    path = tmp_path / "zones.png"
    Image.fromarray(np.zeros((5, 5), np.uint8)).save(path)

    with pytest.raises(PhotoError, match=r"zones.png is 5 × 5 pixels but photo.png is 30 × 24"):
        read_drawn(path, photo, "zones", "Draw zones.")

    Image.fromarray(COLOURS).save(path)
    with pytest.raises(PhotoError, match="not a gray picture of zones"):
        read_drawn(path, photo, "zones", "Draw zones.")

    Image.fromarray(np.full((24, 30), 0x80FF, np.uint16)).save(path)
    deep = read_drawn(path, photo, "zones", "Draw zones.")
    assert deep.dtype == np.uint8
    assert (deep == 128).all()
