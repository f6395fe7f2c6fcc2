"""Photos that are none, that ask for too much, or that decoders choke on."""

import io
import os
import struct
import threading
import time
from pathlib import Path

import numpy as np
import pytest
import tifffile
from PIL import Image

from peel.errors import DeliveryError, PeelError, PhotoError
from peel.files import atomic
from peel.files.atomic import remove_leftovers, write_whole
from peel.files.photo import decode_photo, read_bytes, read_opacity, read_preview


@pytest.mark.parametrize("path", ["/dev/zero", "/dev/null", "/proc", "/no/such/photo.jpg", "a\0b.jpg"])
def test_what_is_no_file_is_not_read(path: str) -> None:
    with pytest.raises(PhotoError):
        read_bytes(Path(path))


def test_a_pipe_is_not_waited_for(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe.jpg")

    with pytest.raises(PhotoError, match="a device or a pipe"):
        read_bytes(tmp_path / "pipe.jpg")


@pytest.mark.parametrize("mode", ["P", "RGBA", "LA"])
def test_transparency_is_laid_on_white_strip_by_strip(mode: str) -> None:
    rng = np.random.default_rng(1)
    image = Image.fromarray(rng.integers(0, 255, (700, 40, 4), np.uint8), "RGBA")
    image = image.convert("RGB").quantize(8) if mode == "P" else image.convert(mode)
    buffer = io.BytesIO()
    image.save(buffer, "PNG", **({"transparency": 3} if mode == "P" else {}))

    photo, alpha = decode_photo(buffer.getvalue(), "clear.png"), read_opacity(buffer.getvalue(), "clear.png")

    with Image.open(io.BytesIO(buffer.getvalue())) as again:
        expected = Image.new("RGBA", again.size, "white")
        expected.alpha_composite(again.convert("RGBA"))
        assert np.abs(photo.pixels.astype(int) - np.asarray(expected.convert("RGB"))).max() <= 1
        assert np.array_equal(alpha, np.asarray(again.convert("RGBA"))[..., 3])


def test_tags_that_ask_for_gigabytes_are_refused() -> None:
    buffer = io.BytesIO()
    tifffile.imwrite(buffer, np.zeros((40, 50, 3), np.uint16), photometric="rgb")
    content = bytearray(buffer.getvalue())
    first = struct.unpack("<I", content[4:8])[0]
    for entry in range(struct.unpack("<H", content[first : first + 2])[0]):
        at = first + 2 + 12 * entry
        if struct.unpack("<H", content[at : at + 2])[0] == 277:  # samples a pixel
            content[at + 8 : at + 10] = struct.pack("<H", 60_000)

    with pytest.raises(PhotoError):
        decode_photo(bytes(content), "greedy.tif")


def test_a_jpeg_of_hundreds_of_scans_is_refused_before_it_is_decoded() -> None:
    buffer = io.BytesIO()
    Image.new("RGB", (64, 64)).save(buffer, "JPEG", progressive=True)
    content = buffer.getvalue()
    scan = content.rindex(b"\xff\xda")
    many = content[:-2] + content[scan:-2] * 300 + content[-2:]

    since = time.process_time()
    with pytest.raises(PhotoError, match="scans"):
        decode_photo(many, "slow.jpg")
    assert read_preview(many, "slow.jpg", 500) is None
    assert time.process_time() - since < 2


def test_a_very_flat_photo_has_a_preview() -> None:
    buffer = io.BytesIO()
    Image.new("RGB", (6000, 3), "#336699").save(buffer, "JPEG")

    look = read_preview(buffer.getvalue(), "flat.jpg", 400)

    assert look is not None
    assert look.shape[1] >= 400
    assert decode_photo(buffer.getvalue(), "flat.jpg").width == 6000


@pytest.mark.parametrize("error", [ZeroDivisionError, struct.error, EOFError, AssertionError, RecursionError])
def test_whatever_a_decoder_raises_is_a_damaged_photo(error: type[Exception], monkeypatch: pytest.MonkeyPatch) -> None:
    buffer = io.BytesIO()
    Image.new("RGB", (9, 9)).save(buffer, "PNG")

    def fail(*_: object) -> None:
        raise error

    monkeypatch.setattr("PIL.ImageFile.ImageFile.load", fail)

    with pytest.raises(PhotoError, match="damaged"):
        decode_photo(buffer.getvalue(), "odd.png")


def test_a_device_is_never_replaced_by_a_delivered_file(tmp_path: Path) -> None:
    for path in (Path("/dev/null"), tmp_path):
        with pytest.raises(DeliveryError, match="not a file"):
            write_whole(path, lambda file: file.write(b"x"))
    assert Path("/dev/null").is_char_device()


def test_names_that_no_file_can_have_are_explained(tmp_path: Path) -> None:
    for name in ("x" * 300, "a\0b"):
        with pytest.raises(DeliveryError, match="could not be written"):
            write_whole(tmp_path / name, lambda file: file.write(b"x"))


def test_what_a_killed_program_was_writing_is_removed_at_the_next_start(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    notes, out = tmp_path / "writing", tmp_path / "out"
    monkeypatch.setattr(atomic, "_notes", None)
    remove_leftovers(notes)
    started, go_on = threading.Event(), threading.Event()

    def slowly(file: object) -> None:
        started.set()
        go_on.wait(10)
        file.write(b"whole")  # type: ignore[attr-defined]

    writer = threading.Thread(target=write_whole, args=(out / "a.png", slowly))
    writer.start()
    assert started.wait(10)
    (note,) = notes.iterdir()
    (part,) = out.iterdir()
    assert note.read_text() == str(part)
    remove_leftovers(notes)  # the program that writes is alive
    assert part.exists()
    go_on.set()
    writer.join()
    assert list(notes.iterdir()) == []
    assert (out / "a.png").read_bytes() == b"whole"

    part.write_bytes(b"half")
    innocent = out / "keep.png"
    innocent.write_bytes(b"mine")
    (notes / "4194305-a").write_text(str(part))
    (notes / "4194305-b").write_text(str(innocent))
    remove_leftovers(notes)

    assert not part.exists()
    assert innocent.exists()
    assert list(notes.iterdir()) == []


def test_an_unreadable_photo_is_explained_by_name(tmp_path: Path) -> None:
    (tmp_path / "empty.jpg").write_bytes(b"")

    with pytest.raises(PeelError, match=r"empty\.jpg is empty"):
        decode_photo(read_bytes(tmp_path / "empty.jpg"), "empty.jpg")
