"""What a photo's file says about itself: rights and credit, in EXIF, IPTC and XMP.

References
----------
.. [1] CIPA DC-008, "Exchangeable image file format for digital still cameras: Exif 3.0", 2023.
.. [2] IPTC, "IPTC Photo Metadata Standard", and "Information Interchange Model 4.2", 2014.
.. [3] ISO 16684-1:2019, "Extensible metadata platform (XMP) specification".
"""

import contextlib
import io
import re
import struct
import unicodedata
from dataclasses import dataclass, field
from typing import Final
from xml.sax.saxutils import escape, unescape

from PIL import Image

from peel.files.photo import quietly

__all__ = ["Metadata", "Rights", "image_resources", "iptc_of", "read_metadata", "rights_only"]

_COPYRIGHT: Final = 0x8298
_ARTIST: Final = 0x013B
_ORIENTATION: Final = 0x0112
_MOST: Final = 2000  # characters of one value
_MOST_BYTES: Final = 60_000  # of a block, as a JPEG's segment holds
_IPTC: Final = {"creator": 80, "credit": 110, "rights": 116}
_RESOURCE: Final = b"8BIM"
_IPTC_RESOURCE: Final = 0x0404


@dataclass(frozen=True)
class Rights:
    """Who made a photo, whom to credit, and who holds its rights; empty where nothing is said."""

    creator: str = ""
    credit: str = ""
    rights: str = ""

    def __bool__(self) -> bool:
        """Return whether anything is said."""
        return bool(self.creator or self.credit or self.rights)


@dataclass(frozen=True)
class Metadata:
    """Blocks of metadata as they go into a file; empty where there are none."""

    exif: bytes = b""
    xmp: bytes = b""
    iptc: bytes = b""
    said: Rights = field(default_factory=Rights)


def read_metadata(content: bytes) -> Metadata:
    """Read what a photo's file says; nothing of a file that cannot be read."""
    try:
        with quietly(), Image.open(io.BytesIO(content)) as image:
            exif = image.getexif()
            xmp = image.info.get("xmp", b"")
            xmp = xmp if isinstance(xmp, bytes) else str(xmp).encode()
            iptc = _iptc_block(image)
            tags = {tag: _text(exif.get(tag)) for tag in (_COPYRIGHT, _ARTIST)}
            if _ORIENTATION in exif:
                exif[_ORIENTATION] = 1  # the pixels were turned upright
            block = exif.tobytes() if len(exif) else b""
    except Exception:  # noqa: BLE001 - odd metadata is no reason not to work on a photo
        return Metadata()
    records, named = _iptc_records(iptc), _xmp_values(xmp)
    said = Rights(
        creator=records.get("creator", "") or named.get("creator", "") or tags[_ARTIST],
        credit=records.get("credit", "") or named.get("credit", ""),
        rights=records.get("rights", "") or named.get("rights", "") or tags[_COPYRIGHT],
    )
    kept = [part if len(part) <= _MOST_BYTES else b"" for part in (block, _upright(xmp), iptc)]
    return Metadata(kept[0], kept[1], kept[2], said)


def rights_only(metadata: Metadata) -> Metadata:
    """Return metadata that says nothing but rights and credit, in all three forms."""
    said = metadata.said
    if not said:
        return Metadata()
    exif = Image.Exif()
    if said.rights:
        exif[_COPYRIGHT] = _ascii(said.rights)
    if said.creator:
        exif[_ARTIST] = _ascii(said.creator)
    return Metadata(exif.tobytes() if len(exif) else b"", _xmp_packet(said), iptc_of(said), said)


def _ascii(text: str) -> str:
    """Write text in ASCII, which is all that EXIF's text is sure to hold; IPTC and XMP have it in full."""
    plain = unicodedata.normalize("NFKD", text.replace("©", "(c)"))
    return plain.encode("ascii", "ignore").decode()


def _text(value: object) -> str:
    """Return a value as a line of text."""
    if isinstance(value, bytes):
        value = value.decode("utf-8", "replace")
    text = str(value).replace("\0", " ").strip() if isinstance(value, str) else ""
    return "".join(part for part in text if part.isprintable())[:_MOST]


def _upright(xmp: bytes) -> bytes:
    """Take the orientation out of XMP: the pixels were turned."""
    return re.sub(rb'(tiff:Orientation(?:="|>))\d', rb"\g<1>1", xmp)


# IPTC


def _iptc_block(image: Image.Image) -> bytes:
    """Return the IPTC records of a JPEG or TIFF."""
    if image.format == "JPEG":
        segments = [data for name, data in getattr(image, "applist", []) if name == "APP13"]
        return b"".join(_resource_in(data, _IPTC_RESOURCE) for data in segments)
    if image.format == "TIFF":
        found = image.tag_v2.get(33723, b"")  # type: ignore[attr-defined]
        return found if isinstance(found, bytes) else b""
    return b""


def _resource_in(segment: bytes, wanted: int) -> bytes:
    """Return a numbered block of a JPEG's segment of image resources."""
    at = segment.find(_RESOURCE)
    while at >= 0 and segment[at : at + 4] == _RESOURCE and at + 12 <= len(segment):
        number = struct.unpack(">H", segment[at + 4 : at + 6])[0]
        start = at + 6 + (segment[at + 6] + 2) // 2 * 2
        size = struct.unpack(">I", segment[start : start + 4])[0]
        if number == wanted:
            return segment[start + 4 : start + 4 + size]
        at = start + 4 + size + size % 2
    return b""


def _iptc_records(block: bytes) -> dict[str, str]:
    """Read the records of application data that name rights and credit."""
    names = {number: name for name, number in _IPTC.items()}
    found: dict[str, str] = {}
    at = 0
    while at + 5 <= len(block) and block[at] == 0x1C:
        record, number, size = block[at + 1], block[at + 2], struct.unpack(">H", block[at + 3 : at + 5])[0]
        if size & 0x8000:
            break
        if record == 2 and number in names:
            found.setdefault(names[number], _text(block[at + 5 : at + 5 + size]))
        at += 5 + size
    return found


def iptc_of(said: Rights) -> bytes:
    """Return IPTC records that name rights and credit, in UTF-8."""
    out = b"\x1c\x01\x5a\x00\x03\x1b%G"  # the records that follow are UTF-8
    for name, number in _IPTC.items():
        text = getattr(said, name).encode()[:1000]
        if text:
            out += struct.pack(">BBBH", 0x1C, 2, number, len(text)) + text
    return out


def image_resources(blocks: dict[int, tuple[str, bytes]]) -> bytes:
    """Put numbered blocks, each with a name, into one piece as TIFF and JPEG carry them."""
    out = b""
    for number, (name, content) in sorted(blocks.items()):
        label = name.encode("latin-1", "replace")[:250]
        title = bytes([len(label)]) + label + (b"\0" if len(label) % 2 == 0 else b"")
        out += _RESOURCE + struct.pack(">H", number) + title + struct.pack(">I", len(content)) + content
        out += b"\0" * (len(content) % 2)
    return out


# XMP


def _xmp_values(xmp: bytes) -> dict[str, str]:
    """Read rights and credit from a packet, by the usual spellings."""
    text = xmp.decode("utf-8", "replace")
    found = {}
    for name, tag in (
        ("rights", "dc:rights"),
        ("creator", "dc:creator"),
        ("credit", r"(?:cc:attributionName|\w+:Credit)"),
    ):
        inside = re.search(rf"<{tag}[^>]*>(.*?)</{tag}>", text, re.DOTALL)
        attribute = re.search(rf'{tag}="([^"]*)"', text)
        value = inside.group(1) if inside else attribute.group(1) if attribute else ""
        items = re.findall(r"<rdf:li[^>]*>(.*?)</rdf:li>", value, re.DOTALL)
        with contextlib.suppress(ValueError):
            found[name] = _text(unescape(", ".join(items) if items else re.sub(r"<[^>]*>", "", value)))
    return found


def _xmp_packet(said: Rights) -> bytes:
    """Write a packet in the terms of Dublin Core, and of Creative Commons for whom to credit."""
    parts = []
    if said.rights:
        parts.append(
            f'<dc:rights><rdf:Alt><rdf:li xml:lang="x-default">{escape(said.rights)}</rdf:li></rdf:Alt></dc:rights>'
        )
    if said.creator:
        parts.append(f"<dc:creator><rdf:Seq><rdf:li>{escape(said.creator)}</rdf:li></rdf:Seq></dc:creator>")
    if said.credit:
        parts.append(f"<cc:attributionName>{escape(said.credit)}</cc:attributionName>")
    return (
        '<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>'
        '<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        '<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/" '
        'xmlns:cc="http://creativecommons.org/ns#">'
        f'{"".join(parts)}</rdf:Description></rdf:RDF><?xpacket end="w"?>'
    ).encode()
