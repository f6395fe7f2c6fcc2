"""Every format read back by an independent reader; presets, names, metadata, reports and what is refused."""

import csv
import hashlib
import io
import json
import re
import struct
import xml.etree.ElementTree as ET
import zipfile
from pathlib import Path
from typing import Any

import cv2
import imagecodecs
import numpy as np
import OpenEXR
import pytest
import tifffile
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image, ImageCms, IptcImagePlugin
from pydantic import ValidationError

from conftest import soft_disc
from peel.cli import main
from peel.errors import DeliveryError, PhotoError, UsageError
from peel.files.delivery_profiles import converted, out_of_gamut, profile_named
from peel.files.metadata import Rights, read_metadata, rights_only
from peel.files.photo import decode_photo
from peel.files.presets import (
    find_preset,
    import_preset,
    keep_preset,
    own_folder,
    presets,
    read_preset,
    remove_preset,
    write_preset,
)
from peel.files.project import ProjectFile
from peel.job.edits.values import set_value, use_zones, with_matte
from peel.job.job import Job, Photo, new_job
from peel.job.preset import FORMATS, Preset, SizeRule, file_name
from peel.job.settings import Backing, Delivery, SheetFrame
from peel.matte.srgb import to_linear
from peel.work.delivering.delivery import deliver, deliver_job
from peel.work.delivering.delivery_report import write_report
from peel.work.delivering.delivery_snags import accept_delivery_snag, delivery_snags, is_delivery_snag_accepted
from peel.work.delivering.order import DeliveryOrder, FileOrder, all_presets, planned, size_of_file
from peel.work.delivering.rows import RunRow
from peel.work.session.session import Session
from peel.work.stages import Cache, Stages

SAID = Rights("Ada Twist", "Hollow Lantern", "Hollow Lantern Puppet Theatre")


@pytest.fixture(scope="module")
def solved() -> Job:
    photo, alpha, zones = soft_disc(300, 420, 90)
    made = Photo("disc.png", np.round(photo * 255).astype(np.uint8))
    job = with_matte(use_zones(new_job(made), zones), made.bounds, alpha)
    return job.with_photo_settings(spill_found="none").with_recipe(backing=Backing(kind="colour", colour="#336699"))


@pytest.fixture
def photo_bytes() -> bytes:
    """The disc as a JPEG that says whose it is, in EXIF, and in XMP whom to credit."""
    photo = soft_disc(300, 420, 90)[0]
    exif = Image.Exif()
    exif[0x8298], exif[0x013B], exif[0x0112] = SAID.rights, SAID.creator, 1
    buffer = io.BytesIO()
    Image.fromarray(np.round(photo * 255).astype(np.uint8)).save(
        buffer, "JPEG", quality=97, exif=exif, xmp=rights_only(_said(SAID)).xmp
    )
    return buffer.getvalue()


def _deliver(job: Job, folder: Path, original: bytes = b"", **own: Any) -> Path:
    preset = Preset.model_validate({"name": "Test", **own})
    order = FileOrder(folder / file_name(preset, "disc", size=(1, 1), number=1, date=""), preset)
    (written,) = deliver(job, Stages(job.photo, Cache(60_000_000)), [order], original=original)
    assert written.size_bytes == order.path.stat().st_size
    assert written.digest == hashlib.sha256(order.path.read_bytes()).hexdigest()
    return order.path


def _open(path: Path) -> Image.Image:
    with Image.open(path) as image:
        image.load()
        return image.copy()


def _truth(job: Job) -> np.ndarray:
    return job.alpha(job.photo.bounds)


@pytest.mark.parametrize("bits", [8, 16])
@pytest.mark.parametrize("kind", ["png", "tiff"])
def test_cutouts_in_png_and_tiff_are_read_by_others(solved: Job, tmp_path: Path, kind: str, bits: int) -> None:
    path = _deliver(solved, tmp_path, product="cutout", format=kind, bits=bits, ppi=300)
    pixels = tifffile.imread(path) if kind == "tiff" else cv2.imread(str(path), cv2.IMREAD_UNCHANGED)[..., [2, 1, 0, 3]]
    assert pixels.dtype == (np.uint8 if bits == 8 else np.uint16)
    top = np.iinfo(pixels.dtype).max
    assert np.abs(pixels[..., 3] / top - _truth(solved)).max() < 1 / 255
    solid = _truth(solved) == 1
    assert np.abs(pixels[solid][:, :3] / top - [0.85, 0.5, 0.2]).max() < 0.01
    with Image.open(path) as image:
        assert round(float(image.info["dpi"][0])) == 300
    if kind == "tiff":
        with tifffile.TiffFile(path) as file:
            assert file.pages[0].tags["ExtraSamples"].value == (2,)


def test_premultiplied_and_straight_agree(solved: Job, tmp_path: Path) -> None:
    straight = _deliver(solved, tmp_path, product="cutout", format="tiff", bits=16)
    associated = _deliver(
        solved, tmp_path, product="cutout", format="tiff", bits=16, alpha="premultiplied", file_name="{name}-p"
    )
    one, other = (tifffile.imread(path).astype(float) / 65535 for path in (straight, associated))
    assert np.abs(one[..., :3] * one[..., 3:] - other[..., :3]).max() < 2 / 65535
    with tifffile.TiffFile(associated) as file:
        assert file.pages[0].tags["ExtraSamples"].value == (1,)


@pytest.mark.parametrize("kind", ["webp", "avif"])
def test_webp_and_avif_keep_their_alpha(solved: Job, tmp_path: Path, kind: str) -> None:
    path = _deliver(solved, tmp_path, product="cutout", format=kind, quality=95, profile="srgb")
    decode = imagecodecs.webp_decode if kind == "webp" else imagecodecs.avif_decode
    pixels = np.asarray(decode(path.read_bytes()))
    assert np.abs(pixels[..., 3] / 255 - _truth(solved)).max() < 0.03
    assert np.abs(pixels[150, 210, :3] - np.array([217, 128, 51])).max() < 6
    with Image.open(path) as image:
        assert ImageCms.ImageCmsProfile(io.BytesIO(image.info["icc_profile"])).profile.xcolor_space.strip() == "RGB"


def test_jpegs_stand_on_their_backing_and_carry_a_path(solved: Job, tmp_path: Path) -> None:
    path = _deliver(
        solved,
        tmp_path,
        product="flat",
        format="jpeg",
        clipping_path=True,
        backing={"kind": "colour", "colour": "#ffffff"},
    )
    pixels = cv2.imread(str(path))
    assert np.abs(pixels[5, 5].astype(int) - 255).max() < 3
    with Image.open(path) as image:
        resources = next(value for value in image.info.values() if isinstance(value, dict) and 2000 in value)
    assert resources[2999][:8] == b"\x07Outline"
    _check_path(resources[2000])
    tiff = _deliver(solved, tmp_path, product="cutout", format="tiff", clipping_path=True)
    with tifffile.TiffFile(tiff) as file:
        block = bytes(file.pages[0].tags[34377].value)
    assert block.startswith(b"8BIM" + struct.pack(">H", 2000))


def _check_path(content: bytes) -> None:
    """Read a path as its records say, and compare its knots with the disc's rim."""
    records = [content[at : at + 26] for at in range(0, len(content), 26)]
    kinds = [struct.unpack(">H", record[:2])[0] for record in records]
    assert kinds[:3] == [6, 8, 0]
    assert struct.unpack(">H", records[2][2:4])[0] == len(records) - 3
    for record in records[3:]:
        down, across = struct.unpack(">ii", record[10:18])
        away = np.hypot(down / 2**24 * 300 - 150.5, across / 2**24 * 420 - 210.5)
        assert abs(away - 90) < 1.2


def test_an_outline_is_the_half_way_line(solved: Job, tmp_path: Path) -> None:
    path = _deliver(solved, tmp_path, product="outline", format="svg")
    root = ET.fromstring(path.read_text())
    shape = root[0].attrib["d"]
    assert root.attrib["viewBox"] == "0 0 420 300"
    numbers = [float(part) for part in shape.replace("M", " ").replace("C", " ").replace("Z", " ").split()]
    points = np.array(numbers).reshape(-1, 2)
    knots = points[::3]
    assert np.abs(np.hypot(*(knots - [210.5, 150.5]).T) - 90).max() < 1.2
    small = ET.fromstring(
        _deliver(
            solved, tmp_path, product="outline", format="svg", size={"fit": "width", "px": 210}, file_name="s"
        ).read_text()
    )
    assert small.attrib["width"] == "210"


@pytest.mark.parametrize("bits", [16, 32])
def test_openexr_is_linear_and_premultiplied(solved: Job, tmp_path: Path, bits: int) -> None:
    path = _deliver(solved, tmp_path, product="cutout", format="exr", bits=bits, alpha="premultiplied")
    with OpenEXR.File(str(path), separate_channels=True) as file:
        parts = {name: channel.pixels for name, channel in file.channels().items()}
    assert parts["R"].dtype == (np.float16 if bits == 16 else np.float32)
    alpha = _truth(solved)
    assert np.abs(parts["A"] - alpha).max() < 0.002
    light = to_linear(np.array([[[0.85, 0.5, 0.2]]], np.float32))[0, 0]
    soft = (alpha > 0.2) & (alpha < 0.9)
    assert np.abs(parts["G"][soft] - light[1] * alpha[soft]).max() < 0.05
    assert not parts["B"][alpha == 0].any()


def test_openraster_holds_its_layers_in_order(solved: Job, tmp_path: Path) -> None:
    job = set_value(solved, "recipe.shadow.contact.on", True)
    path = _deliver(job, tmp_path, product="layers", format="ora", frame={"left": 20})
    with zipfile.ZipFile(path) as archive:
        assert archive.read("mimetype") == b"image/openraster"
        assert archive.infolist()[0].compress_type == zipfile.ZIP_STORED
        stack = ET.fromstring(archive.read("stack.xml"))
        names = [layer.attrib["name"] for layer in stack[0]]
        assert names == ["Matte", "Cutout", "Shadow", "Backing", "Photo"]
        pixels = {
            layer.attrib["name"]: np.asarray(Image.open(io.BytesIO(archive.read(layer.attrib["src"])))).astype(float)
            / 255
            for layer in stack[0]
        }
        merged = np.asarray(Image.open(io.BytesIO(archive.read("mergedimage.png")))).astype(float) / 255
    laid = pixels["Backing"][..., :3]
    for name in ("Shadow", "Cutout"):
        alpha = pixels[name][..., 3:]
        laid = alpha * pixels[name][..., :3] + (1 - alpha) * laid
    assert np.abs(laid - merged[..., :3]).max() < 3 / 255
    assert merged.shape[:2] == (300, 440)
    assert pixels["Photo"][0, 0, 3] == 0
    assert pixels["Photo"][0, 30, 3] == 1


def test_shadow_and_backing_come_apart(solved: Job, tmp_path: Path) -> None:
    job = set_value(solved, "recipe.shadow.contact.on", True)
    shadow = np.asarray(_open(_deliver(job, tmp_path, product="shadow", format="png"))).astype(float)
    backing = np.asarray(_open(_deliver(job, tmp_path, product="backing", format="png")))
    flat = np.asarray(_open(_deliver(job, tmp_path, product="flat", format="png"))).astype(float)
    assert (backing == (0x33, 0x66, 0x99)).all()
    alpha = shadow[..., 3:] / 255
    clear = _truth(job) == 0
    assert alpha[clear].max() > 0.2
    assert np.abs((alpha * shadow[..., :3] + (1 - alpha) * backing)[clear] - flat[clear]).max() < 2.5


@pytest.mark.parametrize("name", ["srgb", "display-p3", "oprgb"])
def test_colours_are_converted_and_the_profile_says_so(solved: Job, tmp_path: Path, name: str) -> None:
    path = _deliver(solved, tmp_path, product="flat", format="png", profile=name)
    with Image.open(path) as image:
        back = ImageCms.profileToProfile(
            image, ImageCms.ImageCmsProfile(io.BytesIO(image.info["icc_profile"])), ImageCms.createProfile("sRGB")
        )
    assert np.abs(np.asarray(back)[150, 210].astype(int) - [217, 128, 51]).max() <= 2
    assert profile_named(name) == profile_named(name)
    gray = _open(_deliver(solved, tmp_path, product="flat", format="tiff", profile="gray", file_name="g"))
    assert gray.mode == "L"
    vivid = np.zeros((4, 4, 3), np.uint8)
    vivid[..., 1] = 255
    assert out_of_gamut(vivid, profile_named("display-p3"), "srgb").all()
    assert not out_of_gamut(vivid // 3 + 80, profile_named("display-p3"), "srgb").any()
    assert converted(vivid, None, "gray", "relative").shape == (4, 4)


def test_size_frame_and_continued_colour(solved: Job, tmp_path: Path) -> None:
    small = _open(_deliver(solved, tmp_path, product="cutout", size={"fit": "longest", "px": 210}))
    assert small.size == (210, 150)
    alpha = np.asarray(small)[..., 3] / 255
    assert np.abs(alpha - cv2.resize(_truth(solved), (210, 150), interpolation=cv2.INTER_AREA)).max() < 0.01
    framed = _open(_deliver(solved, tmp_path, product="matte", frame={"around": "subject", "top": 10}, file_name="m"))
    assert framed.size[0] < 200
    bare = np.asarray(_open(_deliver(solved, tmp_path, product="cutout", continued=False, file_name="b")))
    assert not bare[bare[..., 3] == 0].any()
    assert SizeRule(fit="longest", px=9000).size_for(300, 420) == (300, 420)
    assert SizeRule(fit="scale", scale=2, enlarges=True).size_for(300, 420) == (600, 840)


@pytest.mark.parametrize("kind", ["jpeg", "tiff", "webp", "png"])
def test_rights_and_credit_are_kept_on_request(solved: Job, tmp_path: Path, photo_bytes: bytes, kind: str) -> None:
    product = "flat"
    kept = _deliver(solved, tmp_path, photo_bytes, product=product, format=kind, metadata="kept", file_name="kept")
    rights = _deliver(
        solved, tmp_path, photo_bytes, product=product, format=kind, metadata="rights", file_name="rights"
    )
    none = _deliver(solved, tmp_path, photo_bytes, product=product, format=kind, metadata="stripped", file_name="none")
    for path in (kept, rights):
        found = read_metadata(path.read_bytes()).said
        assert found == SAID
    assert not read_metadata(none.read_bytes()).said


def test_metadata_is_read_from_iptc_and_xmp_too() -> None:
    said = Rights("Ada Twíst", "Hollow Lantern", "© Hollow Lantern Puppet Theatre")
    only = rights_only(_said(said))
    picture, buffer = Image.new("RGB", (9, 9)), io.BytesIO()
    from peel.files.encoding import Encoding, encoded_jpeg, encoded_png

    content = encoded_jpeg(np.zeros((9, 9, 3), np.uint8), Encoding(metadata=only))
    with Image.open(io.BytesIO(content)) as image:
        records = IptcImagePlugin.getiptcinfo(image)
    assert records is not None
    assert records[(2, 116)].decode() == said.rights
    assert records[(2, 110)].decode() == said.credit
    assert read_metadata(content).said == said
    picture.save(buffer, "WEBP", xmp=only.xmp)
    assert read_metadata(buffer.getvalue()).said == said
    with Image.open(io.BytesIO(encoded_png(np.zeros((9, 9, 3), np.uint8), Encoding(metadata=only)))) as image:
        image.load()
        assert image.info["xmp"] == only.xmp
    assert read_metadata(b"nonsense").said == Rights()


def _said(rights: Rights):
    from peel.files.metadata import Metadata

    return Metadata(said=rights)


PRESETS = st.builds(
    lambda product, kind, bits, pattern, name: {
        "product": product,
        "format": kind,
        "bits": bits,
        "file_name": pattern,
        "name": name,
    },
    st.sampled_from(["cutout", "flat", "matte", "shadow", "backing", "layers", "outline"]),
    st.sampled_from(list(FORMATS)),
    st.sampled_from([8, 16, 32]),
    st.sampled_from(["{name}", "{name}-{product}", "{number:03} {date}", "../{name}", "a/b", "{nope}", "x:y", "{name"]),
    st.text(min_size=1, max_size=30),
)


@given(PRESETS)
def test_presets_either_round_trip_or_say_what_is_wrong(own: dict[str, Any]) -> None:
    try:
        preset = Preset.model_validate({**own, "alpha": "premultiplied" if own["format"] == "exr" else "straight"})
    except ValidationError as error:
        assert str(error.errors()[0]["msg"])
        return
    again = Preset.model_validate_json(preset.model_dump_json())
    assert again == preset
    named = file_name(preset, "fox", size=(3, 4), number=12, date="2026-11-05")
    assert "/" not in named
    assert named.endswith(FORMATS[preset.format].suffix)


@pytest.mark.parametrize(
    ("own", "said"),
    [
        ({"product": "cutout", "format": "jpeg"}, "JPEG cannot hold a transparent cutout"),
        ({"product": "flat", "format": "webp", "bits": 16}, "WebP cannot hold 16 bits; it holds 8"),
        ({"product": "cutout", "format": "png", "alpha": "premultiplied"}, "PNG cannot hold premultiplied alpha"),
        ({"product": "matte", "clipping_path": True}, "clipping path"),
        ({"product": "flat", "sise": 3}, "names a setting that there is not: sise"),
        ({"file_name": "../{name}"}, "lead out of its folder"),
        ({"file_name": "a\u0007{name}"}, "unprintable"),
        ({"file_name": "{photo}"}, "{photo} is no token"),
        ({"size": {"fit": "longest", "px": 0}}, "size.px"),
    ],
)
def test_a_preset_that_cannot_be_says_so_before_anything_is_written(tmp_path: Path, own: dict, said: str) -> None:
    path = tmp_path / "order.json"
    path.write_text(json.dumps(own))
    with pytest.raises(UsageError, match=r"order.json") as caught:
        read_preset(path)
    assert said in str(caught.value)
    path.write_text("[1, 2")
    with pytest.raises(UsageError, match="no JSON"):
        read_preset(path)


def test_presets_ship_are_imported_found_and_removed(tmp_path: Path) -> None:
    assert {"Shop, white", "Web, transparent", "Programme, cutout", "Poster, layers"} <= set(presets())
    own = Preset(name="Mine", product="matte", file_name="m-{name}")
    write_preset(own, tmp_path / "mine.json")
    assert import_preset(tmp_path / "mine.json") == own
    assert find_preset("mine") == own
    (own_folder() / "broken.json").write_text("{")
    assert presets()["Mine"] == own
    remove_preset("Mine")
    with pytest.raises(UsageError, match="no preset called Mine"):
        find_preset("Mine")


def test_names_numbers_and_files_that_are_there(solved: Job, tmp_path: Path, photo_bytes: bytes) -> None:
    number = Preset(name="A", product="matte", existing="number", file_name="{name}")
    ask = Preset(name="B", product="matte", existing="ask", file_name="{name}")
    (tmp_path / "disc.png").write_bytes(b"there")
    assert [order.path.name for order in planned([FileOrder(tmp_path / "disc.png", number)] * 2)] == [
        "disc-2.png",
        "disc-3.png",
    ]
    with pytest.raises(DeliveryError, match="there already"):
        planned([FileOrder(tmp_path / "disc.png", ask)])
    assert planned([FileOrder(tmp_path / "disc.png", ask)], replaces=True)[0].path.name == "disc.png"
    with pytest.raises(DeliveryError, match="Two products"):
        planned([FileOrder(tmp_path / "x.png", ask)] * 2)
    (tmp_path / "original.png").write_bytes(photo_bytes)
    replaces = Preset(name="C", product="matte", file_name="original")
    with pytest.raises(DeliveryError, match="the photo itself"):
        deliver(solved, Stages(solved.photo), [FileOrder(tmp_path / "original.png", replaces)], original=photo_bytes)
    long = Preset(name="D", product="matte", file_name="n" * 120)
    with pytest.raises(DeliveryError):
        deliver(solved, Stages(solved.photo), [FileOrder(tmp_path / ("x" * 300 + ".png"), long)])
    assert sorted(path.name for path in tmp_path.glob("*.part")) == []


def test_several_products_in_one_go_with_a_report(solved: Job, tmp_path: Path) -> None:
    wanted = [find_preset("Shop, white"), find_preset("Web, transparent"), find_preset("Outline")]
    order = DeliveryOrder(tmp_path, (*all_presets(solved), *wanted), number=3, date="2026-11-05")
    row = deliver_job(solved, Stages(solved.photo, Cache(60_000_000)), order)
    assert [Path(item.file).name for item in row.files] == [
        "disc-cutout.png", "disc-flat.jpg", "disc-matte.png", "disc-shop.jpg", "disc-web.webp", "disc-outline.svg",
    ]  # fmt: skip
    assert _open(tmp_path / "disc-shop.jpg").size[0] == _open(tmp_path / "disc-shop.jpg").size[1]
    assert size_of_file(solved, wanted[0]) == _open(tmp_path / "disc-shop.jpg").size[::-1]
    write_report([row], tmp_path / "report.json")
    write_report([row, RunRow("disc", error="it broke")], tmp_path / "report.csv")
    found = json.loads((tmp_path / "report.json").read_text())["delivered"][0]
    assert found["files"][0]["sha256"] == hashlib.sha256((tmp_path / "disc-cutout.png").read_bytes()).hexdigest()
    rows = list(csv.reader((tmp_path / "report.csv").read_text().splitlines()))
    assert len(rows) == 1 + 6 + 1
    assert rows[-1][2] == "failed: it broke"


def test_snags_of_a_delivery_are_found_and_accepted(solved: Job) -> None:
    stages = Stages(solved.photo, Cache(60_000_000))
    tight = Preset(name="Tight", frame=SheetFrame(top=-100))
    large = Preset(name="Large", size=SizeRule(fit="longest", px=4000))
    huge = Preset(name="Huge", size=SizeRule(fit="scale", scale=2, enlarges=True))
    found = {snag.sort: snag for snag in delivery_snags(solved, stages, [tight, large, huge])}
    assert {"frame_cut", "fewer_pixels", "enlarged"} <= found.keys()
    assert "420 px where 4000 px" in found["fewer_pixels"].says
    accepted = accept_delivery_snag(solved, found["frame_cut"], "the client wants it so")
    assert is_delivery_snag_accepted(accepted, found["frame_cut"])
    assert not is_delivery_snag_accepted(accepted, found["enlarged"])
    assert accepted.settings.photo.settled_snags[-1].reason == "the client wants it so"
    assert delivery_snags(new_job(solved.photo), stages, [tight]) == []
    plain = [snag for snag in delivery_snags(solved, stages, [Preset(name="Plain")]) if snag.sort != "backing_fringe"]
    assert plain == []


def test_next_week_the_same_bytes(tmp_path: Path, photo_bytes: bytes) -> None:
    (tmp_path / "disc.jpg").write_bytes(photo_bytes)
    session = Session.begin(tmp_path / "disc.jpg", tmp_path / "a.peel")
    zones = soft_disc(300, 420, 90)[2]
    session.apply("Zones", lambda job: use_zones(job, zones))
    session.apply("Shadow", lambda job: set_value(job, "recipe.shadow.contact.on", True))
    session.wait_idle()
    session.close()
    names = ["Programme, cutout", "Shop, white", "Web, transparent", "Poster, layers", "Outline", "Film, linear light"]
    asked = [part for name in names for part in ("--preset", name)]
    assert (
        main(
            [
                "deliver",
                str(tmp_path / "a.peel"),
                "--to",
                str(tmp_path / "one"),
                *asked,
                "--report",
                str(tmp_path / "r.json"),
            ]
        )
        == 0
    )
    (tmp_path / "elsewhere").mkdir()
    (tmp_path / "a.peel").rename(tmp_path / "elsewhere" / "b.peel")
    assert main(["deliver", str(tmp_path / "elsewhere" / "b.peel"), "--to", str(tmp_path / "two"), *asked]) == 0
    files = sorted(path.name for path in (tmp_path / "one").iterdir() if path.is_file())
    assert len(files) == 6
    for name in files:
        assert (tmp_path / "one" / name).read_bytes() == (tmp_path / "two" / name).read_bytes(), name
    assert json.loads((tmp_path / "r.json").read_text())["delivered"][0]["photo"] == "disc.jpg"


def test_a_job_takes_its_own_presets_along(
    tmp_path: Path, photo_bytes: bytes, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """The job remembers a preset of the person's for machines that have none of its name."""
    own = keep_preset(Preset(name="Mine", product="matte", size=SizeRule(fit="width", px=99), file_name="{name}-mine"))
    (tmp_path / "disc.jpg").write_bytes(photo_bytes)
    path = tmp_path / "disc.peel"
    session = Session.begin(tmp_path / "disc.jpg", path)
    zones = soft_disc(300, 420, 90)[2]
    session.apply("Zones", lambda job: use_zones(job, zones))
    plain = Delivery(cutout=False, flat=False, matte=False)
    session.apply("Presets", lambda job: job.with_recipe(delivery=plain.with_presets(["Mine"], {"Mine": own})))
    session.wait_idle()
    session.close()
    assert main(["deliver", str(path), "--to", str(tmp_path / "here")]) == 0
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "another machine"))
    assert "Mine" not in presets()
    assert main(["deliver", str(path), "--to", str(tmp_path / "there")]) == 0
    made = [(tmp_path / folder / "disc-mine.png").read_bytes() for folder in ("here", "there")]
    assert made[0] == made[1]

    session = Session.resume(ProjectFile.open(path))
    session.apply("Presets", lambda job: job.with_recipe(delivery=plain.with_presets(["Lost"], {})))
    session.wait_idle()
    session.close()
    capsys.readouterr()
    assert main(["deliver", str(path), "--to", str(tmp_path / "lost")]) == 2
    assert "the preset Lost, which is not here" in capsys.readouterr().err
    assert not list((tmp_path / "lost").glob("*.png"))


def test_many_jobs_at_the_command_line_and_one_that_is_broken(
    tmp_path: Path, photo_bytes: bytes, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "disc.jpg").write_bytes(photo_bytes)
    for name in ("a", "b"):
        session = Session.begin(tmp_path / "disc.jpg", tmp_path / f"{name}.peel")
        zones = soft_disc(300, 420, 90)[2]
        session.apply("Zones", lambda job, zones=zones: use_zones(job, zones))
        session.wait_idle()
        session.close()
    (tmp_path / "broken.peel").write_bytes(b"SQLite format 3\0 and no more")
    jobs = [str(tmp_path / f"{name}.peel") for name in ("a", "broken", "b")]
    order = tmp_path / "order.json"
    order.write_text(json.dumps({"product": "matte", "file_name": "{number:02}-{name}"}))
    code = main(
        ["deliver", *jobs, "--to", str(tmp_path / "out"), "--preset", str(order), "--report", str(tmp_path / "r.csv")]
    )
    assert code == 3
    assert sorted(path.name for path in (tmp_path / "out").glob("*.png")) == ["01-disc.png", "03-disc.png"]
    assert "broken.peel" in capsys.readouterr().err
    assert "failed" in (tmp_path / "r.csv").read_text()
    capsys.readouterr()
    assert main(["check", str(tmp_path), "--severity", "grave"]) == 3
    told = capsys.readouterr()
    assert "a.peel" in told.out
    assert "b.peel: " in told.out
    assert told.err.count("broken.peel") == 1
    assert main(["presets"]) == 0
    assert "Shop, white" in capsys.readouterr().out
    assert main(["deliver", jobs[0], "--to", str(tmp_path), "--preset", "Nope"]) == 2


# photos in


def _dng(values: np.ndarray, path: Path) -> bytes:
    """Write a small camera file: raw sensor values under a Bayer pattern, and what DNG needs to be developed."""
    matrix = [(1, 1), (0, 1), (0, 1), (0, 1), (1, 1), (0, 1), (0, 1), (0, 1), (1, 1)]
    tags = [
        (33421, 3, 2, (2, 2), True),
        (33422, 1, 4, bytes([0, 1, 1, 2]), True),
        (50706, 1, 4, bytes([1, 4, 0, 0]), True),
        (50707, 1, 4, bytes([1, 1, 0, 0]), True),
        (50708, 2, 10, b"Peel Test\0", True),
        (50714, 3, 1, 0, True),
        (50717, 3, 1, 65535, True),
        (50721, 10, 9, [part for pair in matrix for part in pair], True),
        (50728, 5, 3, [1, 1, 1, 1, 1, 1], True),
        (50778, 3, 1, 21, True),
        (271, 2, 5, b"Peel\0", True),
        (272, 2, 10, b"Peel Test\0", True),
    ]
    tifffile.imwrite(path, values, photometric=32803, extratags=tags, metadata=None, software=False, planarconfig=None)
    return path.read_bytes()


def test_camera_files_are_developed_with_their_exposure(tmp_path: Path) -> None:
    content = _dng(np.full((64, 96), 9000, np.uint16), tmp_path / "shot.dng")
    plain, light = decode_photo(content, "shot.dng"), decode_photo(content, "shot.dng", 1.0)
    assert plain.bits == 16
    assert plain.width in range(80, 97)
    assert np.median(light.pixels) > np.median(plain.pixels) * 1.2
    with pytest.raises(PhotoError, match="damaged camera file"):
        decode_photo(content[:200], "shot.dng")
    session = Session.begin_with(content, "shot.dng", tmp_path / "a.peel", exposure=1.0)
    session.close()
    again = Session.resume(ProjectFile.open(tmp_path / "a.peel"))
    assert np.array_equal(again.photo.pixels, light.pixels)
    again.close()


def test_avif_jpeg2000_and_openexr_are_read(tmp_path: Path) -> None:
    ramp = np.tile(np.linspace(0, 255, 64).astype(np.uint8)[None, :, None], (48, 1, 3))
    for kind, name in (("AVIF", "a.avif"), ("JPEG2000", "a.jp2")):
        buffer = io.BytesIO()
        Image.fromarray(ramp).save(buffer, kind)
        photo = decode_photo(buffer.getvalue(), name)
        assert np.abs(photo.pixels.astype(int) - ramp).mean() < 4
    deep = imagecodecs.jpeg2k_encode((ramp.astype(np.uint16) * 257), level=0, reversible=True)
    assert decode_photo(bytes(deep), "deep.jp2").bits == 16
    parts = {name: np.ascontiguousarray(to_linear((ramp[..., 0] / 255).astype(np.float32))) for name in "RGB"}
    with OpenEXR.File({"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}, parts) as file:
        file.write(str(tmp_path / "light.exr"))
    content = (tmp_path / "light.exr").read_bytes()
    photo = decode_photo(content, "light.exr")
    assert photo.bits == 16
    assert np.abs(photo.pixels / 257 - ramp).max() < 0.6
    assert decode_photo(content, "light.exr", 1.0).pixels.mean() > photo.pixels.mean()
    with pytest.raises(PhotoError, match=r"light.exr"):
        decode_photo(content[:90], "light.exr")


def test_the_page_on_presets_says_all_that_there_is() -> None:
    page = (Path(__file__).parents[2] / "docs" / "guide" / "presets.md").read_text("utf-8")
    example = json.loads(page.split("```json")[1].split("```")[0])
    assert Preset.model_validate_json(json.dumps(example)) == find_preset("Shop, white")
    rows = [row.split("|")[1:-1] for row in page.splitlines() if row.startswith("|")]
    named = {field for row in rows for field in re.findall(r"`(\w+)`", row[0])}
    assert named == set(Preset.model_fields)
    held = {row[0].strip(): [part.strip() for part in row[1:]] for row in rows if len(row) == 4}
    for able in FORMATS.values():
        products, bits, alpha = held[able.label]
        assert products == ", ".join(able.products)
        assert alpha in {", ".join(able.alpha), "none" if not able.alpha else "", ""}
        assert bits in {", ".join(map(str, able.bits)), ""}
