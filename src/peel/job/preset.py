"""A preset: what a client orders, as one validated value that reads well as JSON."""

import re
from dataclasses import dataclass
from typing import Annotated, Final, Literal

from pydantic import Field, field_validator, model_validator

from peel.job.settings.base import SettingsModel, one_of
from peel.job.settings.sheet import Backing, SheetFrame

__all__ = ["FORMATS", "FormatName", "FormatSpec", "Preset", "ProductName", "SizeRule", "file_name", "suffix_of"]

ProductName = Literal["cutout", "flat", "matte", "shadow", "backing", "layers", "outline"]
_TOKENS: Final = ("name", "product", "preset", "size", "number", "date")
_TOKEN: Final = re.compile(r"\{([^{}]*)\}")
_RESERVED: Final = '<>:"|?*\\'
_MOST_NAME: Final = 120


@dataclass(frozen=True)
class FormatSpec:
    """What a format can hold, and what there is to choose about it.

    A new format is a record here, an encoder in `peel.files.encoding`, and a test with an independent reader.

    Attributes
    ----------
    suffix : str
    label : str
        What people call it.
    bits : tuple of int
        A channel.
    alpha : tuple of str
        How alpha may be stored, the usual way first.
    products : tuple of str
    has_quality, can_be_lossless : bool
        Whether it loses something, by how much being chosen, and whether it need not.
    can_clip : bool
        Whether it takes a clipping path.
    is_linear : bool
        Whether it holds linear light.
    bit_names : tuple of str
        What its depths are called, one for each; empty where the depth is not worth a word.
    """

    suffix: str
    label: str
    products: tuple[str, ...]
    bits: tuple[int, ...] = (8,)
    alpha: tuple[str, ...] = ("straight",)
    has_quality: bool = False
    can_be_lossless: bool = False
    can_clip: bool = False
    is_linear: bool = False
    bit_names: tuple[str, ...] = ()

    def clips(self, product: str) -> bool:
        """Return whether a clipping path can be put into a file of a product."""
        return self.can_clip and product in {"cutout", "flat"}


_PICTURES: Final = ("cutout", "flat", "matte", "shadow", "backing")
FORMATS: Final[dict[str, FormatSpec]] = {
    "png": FormatSpec(".png", "PNG", _PICTURES, (8, 16), bit_names=("8 bit", "16 bit")),
    "tiff": FormatSpec(
        ".tif",
        "TIFF",
        _PICTURES,
        (8, 16),
        ("straight", "premultiplied"),
        can_clip=True,
        bit_names=("8 bit", "16 bit"),
    ),
    "webp": FormatSpec(".webp", "WebP", _PICTURES, has_quality=True, can_be_lossless=True),
    "avif": FormatSpec(".avif", "AVIF", _PICTURES, has_quality=True, can_be_lossless=True),
    "jpeg": FormatSpec(".jpg", "JPEG", ("flat", "matte", "backing"), alpha=(), has_quality=True, can_clip=True),
    "exr": FormatSpec(
        ".exr", "OpenEXR", _PICTURES, (16, 32), ("premultiplied",), is_linear=True, bit_names=("half", "float")
    ),
    "ora": FormatSpec(".ora", "OpenRaster", ("layers",)),
    "svg": FormatSpec(".svg", "SVG", ("outline",), alpha=()),
}
"""Every format by its name in presets."""


FormatName = Annotated[str, one_of("format", FORMATS)]


class SizeRule(SettingsModel):
    """How large a file becomes: as it is, or by its longest side, width or height in pixels, or by a scale.

    It never enlarges unless `enlarges` says so.
    """

    fit: Literal["as it is", "longest", "width", "height", "scale"] = "as it is"
    px: Annotated[int, Field(ge=1, le=30_000)] = 2000
    scale: Annotated[float, Field(gt=0, le=8)] = 1.0
    enlarges: bool = False

    def size_for(self, height: int, width: int) -> tuple[int, int]:
        """Return the height and width that a picture gets.

        >>> SizeRule(fit="longest", px=100).size_for(300, 600)
        (50, 100)
        """
        wanted = {
            "as it is": 1.0,
            "longest": self.px / max(height, width),
            "width": self.px / width,
            "height": self.px / height,
            "scale": self.scale,
        }[self.fit]
        factor = wanted if self.enlarges else min(wanted, 1.0)
        return max(1, round(height * factor)), max(1, round(width * factor))


class Preset(SettingsModel):
    """One file that is delivered of each photo.

    Attributes
    ----------
    name : for people.
    product : the cutout on nothing, the flat picture on its backing, the matte, the shadow or the backing apart, the
        layers in one file, or the outline as a path.
    format : how it is encoded; what it cannot hold is refused.
    bits : a channel; of OpenEXR 16 is half and 32 is float.
    quality, lossless : of formats that lose something.
    size : of the file.
    frame : the sheet's frame in place of the recipe's. A cutout or matte with a frame of its own, or `framed`, shows
        everything that is arranged on the sheet; else it keeps the photo's frame.
    framed : see above.
    backing : in place of the recipe's.
    profile : as the photo, or one that colours are converted to; "gray" also takes the colour away.
    intent : of that conversion.
    ppi : resolution noted in the file; None notes none.
    alpha : how it is stored.
    continued : whether the subject's colour goes on a few pixels under clear ones.
    metadata : the photo's kept, stripped, or only rights and credit.
    clipping_path : whether the outline is put into a TIFF or JPEG as its clipping path.
    file_name : with the tokens {name}, {product}, {preset}, {size}, {number} or {number:03}, {date}.
    existing : what happens when a file of that name is there.
    """

    name: Annotated[str, Field(min_length=1, max_length=80)]
    product: ProductName = "flat"
    format: FormatName = "png"
    bits: Literal[8, 16, 32] = 8
    quality: Annotated[int, Field(ge=1, le=100)] = 92
    lossless: bool = False
    size: SizeRule = SizeRule()
    frame: SheetFrame | None = None
    framed: bool = False
    backing: Backing | None = None
    profile: Literal["photo", "srgb", "display-p3", "oprgb", "gray"] = "photo"
    intent: Literal["perceptual", "relative", "saturation", "absolute"] = "relative"
    ppi: Annotated[int, Field(ge=1, le=10_000)] | None = None
    alpha: Literal["straight", "premultiplied"] = "straight"
    continued: bool = True
    metadata: Literal["kept", "stripped", "rights"] = "rights"
    clipping_path: bool = False
    file_name: Annotated[str, Field(min_length=1, max_length=_MOST_NAME)] = "{name}-{product}"
    existing: Literal["ask", "number", "replace"] = "replace"

    @field_validator("file_name")
    @classmethod
    def _is_a_name(cls, pattern: str) -> str:
        plain = _TOKEN.sub("", pattern)
        if "/" in pattern or "\\" in pattern or pattern.strip(" .") != pattern or pattern.startswith(".."):
            raise ValueError("a file name cannot lead out of its folder")
        if any(character in _RESERVED or not character.isprintable() for character in plain):
            raise ValueError("a file name cannot hold reserved or unprintable characters")
        for token in _TOKEN.findall(pattern):
            if not re.fullmatch(r"(name|product|preset|size|date|number(:0\d{1,2})?)", token):
                raise ValueError(
                    f"{{{token}}} is no token; there are {', '.join('{' + name + '}' for name in _TOKENS)}"
                )
        if "{" in plain or "}" in plain:
            raise ValueError("a brace in a file name has to belong to a token")
        return pattern

    @model_validator(mode="after")
    def _can_be(self) -> "Preset":
        able = FORMATS[self.format]
        if self.product not in able.products:
            fits = [one.label for one in FORMATS.values() if self.product in one.products]
            said = f"{able.label} cannot hold {_WHAT[self.product]}; {' and '.join(fits)} can"
            raise ValueError(said)
        is_picture = self.product in _PICTURES
        if is_picture and self.bits not in able.bits:
            raise ValueError(f"{able.label} cannot hold {self.bits} bits; it holds {' or '.join(map(str, able.bits))}")
        if self.has_alpha and self.alpha not in able.alpha:
            raise ValueError(f"{able.label} cannot hold {self.alpha} alpha; it holds {' or '.join(able.alpha)}")
        if self.clipping_path and not able.clips(self.product):
            fits = [one.label for one in FORMATS.values() if one.can_clip]
            raise ValueError(f"a clipping path fits into a {' or '.join(fits)} of the cutout or the flat picture")
        if able.is_linear and self.profile == "gray":
            raise ValueError(
                f"{able.label} holds linear light, which gray is not; choose photo, srgb, display-p3 or oprgb"
            )
        return self

    @property
    def has_alpha(self) -> bool:
        """Whether its file has transparency."""
        return self.product in {"cutout", "shadow"}

    @property
    def is_framed(self) -> bool:
        """Whether it has the sheet's frame rather than the photo's."""
        return self.product not in {"cutout", "matte", "outline"} or self.framed or self.frame is not None

    @property
    def words(self) -> str:
        """Say what it is, in a line."""
        able = FORMATS[self.format]
        parts = [_WHAT[self.product], able.label]
        if able.bit_names:
            parts.append(able.bit_names[able.bits.index(self.bits)])
        if able.has_quality:
            parts.append("lossless" if self.lossless else f"{self.quality} %")
        if self.size.fit != "as it is":
            parts.append(f"{self.size.scale:g} ×" if self.size.fit == "scale" else f"{self.size.fit} {self.size.px} px")
        if self.profile != "photo":
            parts.append(_PROFILES[self.profile])
        return ", ".join(parts)


_WHAT: Final = {
    "cutout": "a transparent cutout",
    "flat": "a flat picture",
    "matte": "a matte",
    "shadow": "a shadow apart",
    "backing": "a backing apart",
    "layers": "layers",
    "outline": "an outline",
}
_PROFILES: Final = {"srgb": "sRGB", "display-p3": "Display P3", "oprgb": "opRGB", "gray": "gray"}


def suffix_of(preset: Preset) -> str:
    """Return the end of a preset's file names, with its dot."""
    return FORMATS[preset.format].suffix


def file_name(preset: Preset, name: str, *, size: tuple[int, int], number: int, date: str) -> str:
    """Return the name of a file.

    Parameters
    ----------
    preset : Preset
    name : str
        Of the photo, without its suffix.
    size : (int, int)
        Height and width in pixels.
    number : int
        Of the photo in the delivery, from 1.
    date : str
        Such as 2026-11-05.

    >>> file_name(Preset(name="a", file_name="{number:03}-{name}"), "fox", size=(9, 9), number=7, date="")
    '007-fox.png'
    """
    values = {
        "name": name,
        "product": preset.product,
        "preset": "".join(part if part.isalnum() or part in " -_" else "-" for part in preset.name),
        "size": f"{size[1]}x{size[0]}",
        "date": date,
    }

    def filled(match: re.Match[str]) -> str:
        token, _, how = match.group(1).partition(":")
        return format(number, how or "d") if token == "number" else values[token]

    return _TOKEN.sub(filled, preset.file_name) + suffix_of(preset)
