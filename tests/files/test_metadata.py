"""Rights and credit: read from each place where a file may say them, written to all of them, and nothing else kept."""

import io
import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from peel.files.metadata import Metadata, Rights, image_resources, iptc_of, read_metadata, rights_only

SAID = Rights(creator="Ada Böhm", credit="Theatre / Böhm", rights="© 2031 Ada Böhm")
NAMES = st.text(st.characters(codec="utf-8", exclude_categories=["C", "Z"]), max_size=60)


def _jpeg(*segments: tuple[int, bytes], exif: bytes = b"", xmp: bytes = b"") -> bytes:
    """Return a small JPEG with segments of application data put behind its start."""
    buffer = io.BytesIO()
    Image.new("RGB", (8, 8), (200, 90, 30)).save(buffer, "JPEG", exif=exif, xmp=xmp)
    plain = buffer.getvalue()
    own = b"".join(bytes([0xFF, marker]) + struct.pack(">H", len(data) + 2) + data for marker, data in segments)
    return plain[:2] + own + plain[2:]


def _resources(blocks: dict[int, tuple[str, bytes]]) -> tuple[int, bytes]:
    return 0xED, b"of an image\0" + image_resources(blocks)


@given(NAMES, NAMES, NAMES, st.binary(max_size=9), st.text("abc", max_size=5))
def test_rights_are_found_among_other_blocks_of_any_size(
    creator: str, credit: str, rights: str, before: bytes, title: str
) -> None:
    said = Rights(creator, credit, rights)
    blocks = {0x03ED: (title, before), 0x0404: ("", iptc_of(said)), 0x0BB7: ("x", b"behind")}
    assert read_metadata(_jpeg(_resources(blocks))).said == said


def test_the_last_record_counts_in_full_and_the_first_of_a_name_holds() -> None:
    block = iptc_of(Rights(rights="first")) + iptc_of(Rights(creator="x", rights="second"))[8:]
    assert read_metadata(_jpeg(_resources({0x0404: ("", block)}))).said == Rights(creator="x", rights="first")
    cut_short = iptc_of(Rights(credit="all of it"))[:-3]
    assert read_metadata(_jpeg(_resources({0x0404: ("", cut_short)}))).said.credit == "all of"


def test_extended_records_and_other_data_end_the_reading_without_harm() -> None:
    long = b"\x1c\x02\x05" + struct.pack(">H", 0x8004) + b"\0\0\0\1x"
    block = iptc_of(Rights(creator="Ada")) + long + iptc_of(Rights(credit="beyond"))
    assert read_metadata(_jpeg(_resources({0x0404: ("", block)}))).said == Rights(creator="Ada")
    other_record = b"\x1c\x03\x50" + struct.pack(">H", 3) + b"not"
    assert not read_metadata(_jpeg(_resources({0x0404: ("", other_record)}))).said


def test_exif_is_the_last_to_be_asked() -> None:
    exif = Image.Exif()
    exif[0x8298], exif[0x013B] = "(c) by EXIF", "EXIF"
    found = read_metadata(_jpeg(exif=exif.tobytes())).said
    assert found == Rights(creator="EXIF", rights="(c) by EXIF")
    both = _jpeg(_resources({0x0404: ("", iptc_of(Rights(rights="by IPTC")))}), exif=exif.tobytes())
    assert read_metadata(both).said == Rights(creator="EXIF", rights="by IPTC")


def test_what_is_kept_says_rights_alone_in_all_three_forms() -> None:
    kept = rights_only(Metadata(exif=b"secret", xmp=b"secret", iptc=b"secret", said=SAID))
    assert b"secret" not in kept.exif + kept.xmp + kept.iptc
    assert read_metadata(_jpeg(_resources({0x0404: ("", kept.iptc)}))).said == SAID
    by_xmp = _jpeg(xmp=kept.xmp)
    assert read_metadata(by_xmp).said == SAID
    by_exif = read_metadata(_jpeg(exif=kept.exif)).said
    assert by_exif == Rights(creator="Ada Bohm", rights="(c) 2031 Ada Bohm")
    assert rights_only(Metadata(exif=b"secret")) == Metadata()


def test_only_what_is_said_is_written() -> None:
    kept = rights_only(Metadata(said=Rights(credit="Theatre")))
    assert kept.exif == b""
    assert read_metadata(_jpeg(_resources({0x0404: ("", kept.iptc)}))).said == Rights(credit="Theatre")


def test_pixels_that_were_turned_upright_say_so() -> None:
    exif = Image.Exif()
    exif[0x0112], exif[0x010F] = 6, "Maker"
    xmp = b'<x tiff:Orientation="6"/><tiff:Orientation>8</tiff:Orientation>'
    found = read_metadata(_jpeg(exif=exif.tobytes(), xmp=xmp))
    read = Image.Exif()
    read.load(found.exif)
    assert (read[0x0112], read[0x010F]) == (1, "Maker")
    assert found.xmp == b'<x tiff:Orientation="1"/><tiff:Orientation>1</tiff:Orientation>'


@pytest.mark.parametrize("size", [60_000, 60_001])
def test_a_block_as_large_as_a_segment_is_kept_and_a_larger_one_is_not(size: int) -> None:
    buffer = io.BytesIO()
    tags = {33723: b"\x1c" + b"\0" * (size - 1)}
    Image.new("RGB", (8, 8)).save(buffer, "TIFF", tiffinfo=tags)
    assert len(read_metadata(buffer.getvalue()).iptc) == (size if size <= 60_000 else 0)


def test_a_file_that_is_none_says_nothing() -> None:
    assert read_metadata(b"no picture") == Metadata()
