"""What a preset calls its files, how large it makes them, and what it says it is."""

from typing import Any

import pytest
from pydantic import ValidationError

from peel.job.preset import FORMATS, Preset, SizeRule, file_name, suffix_of
from peel.job.settings import SheetFrame


def _preset(**own: Any) -> Preset:
    return Preset.model_validate({"name": "A", **own})


@pytest.mark.parametrize(
    ("rule", "size"),
    [
        ({}, (300, 600)),
        ({"fit": "longest", "px": 200}, (100, 200)),
        ({"fit": "width", "px": 200}, (100, 200)),
        ({"fit": "height", "px": 200}, (200, 400)),
        ({"fit": "scale", "scale": 0.5}, (150, 300)),
        ({"fit": "scale", "scale": 2}, (300, 600)),
        ({"fit": "scale", "scale": 2, "enlarges": True}, (600, 1200)),
        ({"fit": "height", "px": 600}, (300, 600)),
        ({"fit": "height", "px": 600, "enlarges": True}, (600, 1200)),
        ({"fit": "longest", "px": 1}, (1, 1)),
    ],
)
def test_a_rule_gives_this_size(rule: dict[str, Any], size: tuple[int, int]) -> None:
    assert SizeRule.model_validate(rule).size_for(300, 600) == size


def test_tokens_are_filled() -> None:
    pattern = "{number}-{number:04}-{name}-{product}-{preset}-{size}-{date}"
    preset = _preset(name="Shop / white_1-2 é!", product="matte", format="tiff", file_name=pattern)

    named = file_name(preset, "fox", size=(20, 30), number=7, date="2031-02-03")

    assert named == "7-0007-fox-matte-Shop - white_1-2 é--30x20-2031-02-03.tif"
    assert suffix_of(preset) == ".tif"


@pytest.mark.parametrize(
    ("pattern", "says"),
    [
        ("a/b", "lead out of its folder"),
        ("a\\b", "lead out of its folder"),
        (" a", "lead out of its folder"),
        ("a.", "lead out of its folder"),
        ("..a", "lead out of its folder"),
        ("a:b", "reserved or unprintable"),
        ("a\tb", "reserved or unprintable"),
        ("{nome}", "is no token; there are {name}, {product}"),
        ("{number:3}", "is no token"),
        ("{number:0003}", "is no token"),
        ("a{", "a brace in a file name"),
        ("a}b", "a brace in a file name"),
    ],
)
def test_patterns_that_are_no_names_are_refused(pattern: str, says: str) -> None:
    with pytest.raises(ValidationError, match=says):
        _preset(file_name=pattern)


@pytest.mark.parametrize("pattern", ["a", "{number:03}", "a.b", "{name} {date}", "ünder-{size}"])
def test_other_patterns_are_names(pattern: str) -> None:
    assert _preset(file_name=pattern).file_name == pattern


@pytest.mark.parametrize(
    ("own", "says"),
    [
        ({"product": "cutout", "format": "jpeg"}, "JPEG cannot hold a transparent cutout; PNG and TIFF and"),
        ({"product": "layers", "format": "png"}, "PNG cannot hold layers; OpenRaster can"),
        ({"format": "webp", "bits": 16}, "WebP cannot hold 16 bits; it holds 8"),
        ({"format": "exr", "bits": 8, "alpha": "premultiplied"}, "OpenEXR cannot hold 8 bits; it holds 16 or 32"),
        ({"product": "cutout", "alpha": "premultiplied"}, "PNG cannot hold premultiplied alpha; it holds straight"),
        ({"product": "shadow", "format": "exr", "bits": 16}, "OpenEXR cannot hold straight alpha"),
        ({"clipping_path": True}, "fits into a TIFF or JPEG"),
        ({"clipping_path": True, "format": "tiff", "product": "matte"}, "of the cutout or the flat picture"),
        ({"format": "exr", "bits": 16, "profile": "gray"}, "linear light, which gray is not"),
    ],
)
def test_what_a_format_cannot_hold_is_refused(own: dict[str, Any], says: str) -> None:
    with pytest.raises(ValidationError, match=says):
        _preset(**own)


@pytest.mark.parametrize(
    "own",
    [
        {"product": "flat", "alpha": "premultiplied"},  # it has none
        {"product": "layers", "format": "ora", "bits": 16},  # no picture
        {"clipping_path": True, "format": "jpeg"},
        {"clipping_path": True, "format": "tiff", "product": "cutout"},
        {"profile": "gray"},
        {"product": "cutout", "format": "tiff", "alpha": "premultiplied", "bits": 16},
    ],
)
def test_what_it_can_is_not(own: dict[str, Any]) -> None:
    assert _preset(**own).format in FORMATS


@pytest.mark.parametrize(
    ("own", "has_alpha", "is_framed", "words"),
    [
        ({}, False, True, "a flat picture, PNG, 8 bit"),
        ({"product": "cutout", "bits": 16}, True, False, "a transparent cutout, PNG, 16 bit"),
        ({"product": "cutout", "framed": True}, True, True, "a transparent cutout, PNG, 8 bit"),
        ({"product": "matte", "frame": SheetFrame()}, False, True, "a matte, PNG, 8 bit"),
        ({"product": "matte", "profile": "srgb"}, False, False, "a matte, PNG, 8 bit, sRGB"),
        ({"product": "shadow", "format": "webp", "lossless": True}, True, True, "a shadow apart, WebP, lossless"),
        ({"product": "backing", "format": "jpeg", "quality": 80}, False, True, "a backing apart, JPEG, 80 %"),
        ({"format": "exr", "bits": 32, "size": {"fit": "scale", "scale": 0.5}}, False, True,
         "a flat picture, OpenEXR, float, 0.5 ×"),
        ({"size": {"fit": "width", "px": 90}, "profile": "display-p3"}, False, True,
         "a flat picture, PNG, 8 bit, width 90 px, Display P3"),
        ({"product": "outline", "format": "svg"}, False, False, "an outline, SVG"),
    ],
)  # fmt: skip
def test_a_preset_says_what_it_is(own: dict[str, Any], has_alpha: bool, is_framed: bool, words: str) -> None:
    preset = _preset(**own)

    assert (preset.has_alpha, preset.is_framed, preset.words) == (has_alpha, is_framed, words)
