"""What an order would do to a subject in a box, said to the pixel."""

from typing import Any

import numpy as np
import pytest

from conftest import png_asset
from peel.files.delivery_profiles import profile_named
from peel.job.edits.values import set_value, use_matte
from peel.job.job import Job, Photo, new_job
from peel.job.placing.cutouts import add_cutout, map_cutouts, moving, turning
from peel.job.preset import Preset
from peel.matte.inspect.snags import Severity
from peel.work.delivering.delivery_snags import (
    DeliverySnag,
    accept_delivery_snag,
    delivery_snags,
    is_delivery_snag_accepted,
    mend_delivery_snag,
)
from peel.work.stages import Cache, Stages

GREEN = (20, 250, 30)  # beyond what sRGB holds, where it stands for a colour of Display P3


def _job(box: tuple[int, int, int, int] = (40, 70, 240, 170), profile: bytes | None = None) -> Job:
    """A green box on gray in a photo of 300 x 400: its top, left, bottom and right."""
    top, left, bottom, right = box
    pixels = np.full((300, 400, 3), 120, np.uint8)
    pixels[top:bottom, left:right] = GREEN
    alpha = np.zeros((300, 400), np.float32)
    alpha[top:bottom, left:right] = 1
    job = use_matte(new_job(Photo("box.png", pixels, profile=profile)), alpha)
    return job.with_photo_settings(spill_found="none")


def _found(job: Job, **own: Any) -> list[DeliverySnag]:
    return delivery_snags(job, Stages(job.photo, Cache(60_000_000)), [Preset.model_validate({"name": "A", **own})])


@pytest.mark.parametrize(
    ("frame", "sides"),
    [
        ({"top": -40, "left": -70, "bottom": -60, "right": -230}, []),  # just around it
        ({"top": -41}, ["top"]),
        ({"left": -71}, ["left"]),
        ({"bottom": -61}, ["bottom"]),
        ({"right": -231}, ["right"]),
        ({"top": -50, "right": -250}, ["top", "right"]),
    ],
)
def test_a_frame_that_cuts_says_on_which_sides(frame: dict[str, float], sides: list[str]) -> None:
    found = _found(_job(), frame=frame)

    assert [snag.sort for snag in found] == ["frame_cut"] * bool(sides)
    for snag in found:
        assert snag.says == f"A: the sheet's frame cuts the subject off at the {' and the '.join(sides)}."
        assert snag.at == (120, 140)
        assert snag.severity is Severity.GRAVE
    moved = map_cutouts(_job(), [0], moving(5.0, 0.0))
    assert _found(moved, frame=frame) == []
    assert _found(_job(), product="matte") == []


@pytest.mark.parametrize(
    ("box", "frame", "side", "at"),
    [
        ((0, 70, 240, 170), {"top": 1}, "top", (120, 0)),
        ((40, 0, 240, 170), {"left": 1}, "left", (0, 140)),
        ((40, 70, 300, 170), {"bottom": 1}, "bottom", (120, 300)),
        ((40, 70, 240, 400), {"right": 1}, "right", (400, 140)),
    ],
)
def test_where_the_photo_ended_the_subject_does(box: Any, frame: dict[str, float], side: str, at: Any) -> None:
    (snag,) = _found(_job(box), frame=frame)

    assert (snag.sort, snag.at, snag.severity) == ("old_frame", at, Severity.PLAIN)
    assert snag.says.endswith(f"at the {side}.")
    assert _found(_job(box)) == []  # the frame is where it was
    others = {name: 5 for name in ("top", "left", "bottom", "right") if name != side}
    assert _found(_job(box), frame=others) == []
    assert _found(_job(), frame=frame) == []


@pytest.mark.parametrize(
    ("own", "sort", "says"),
    [
        ({"size": {"fit": "scale", "scale": 1.02, "enlarges": True}}, None, ""),
        ({"size": {"fit": "scale", "scale": 1.5, "enlarges": True}}, "enlarged", "enlarged to 150 % of"),
        ({"size": {"fit": "longest", "px": 400}}, None, ""),
        ({"size": {"fit": "longest", "px": 401}}, "fewer_pixels", "400 px where 401 px were ordered"),
        ({"size": {"fit": "width", "px": 500}}, "fewer_pixels", "400 px where 500 px were ordered"),
        ({"size": {"fit": "height", "px": 500}}, "fewer_pixels", "300 px where 500 px were ordered"),
        ({"size": {"fit": "height", "px": 300}}, None, ""),
        ({"product": "outline", "format": "svg"}, None, ""),
    ],
)
def test_sizes_that_the_photo_does_not_have_are_said(own: dict[str, Any], sort: str | None, says: str) -> None:
    found = _found(_job(), **own)

    assert [snag.sort for snag in found] == ([sort] if sort else [])
    for snag in found:
        assert says in snag.says
        assert snag.at == (200, 150)


def test_colours_that_a_profile_cannot_hold_are_pointed_at() -> None:
    wide = profile_named("display-p3")

    (snag,) = _found(_job(profile=wide), profile="srgb")

    assert (snag.sort, snag.severity) == ("gamut", Severity.PLAIN)
    assert "100 % of the subject" in snag.says
    assert snag.at == pytest.approx((119.5, 139.5))
    assert _found(_job(profile=wide), profile="display-p3") == []
    assert _found(_job(profile=wide)) == []
    assert _found(_job(), profile="display-p3") == []
    assert _found(_job(profile=wide), profile="gray", format="tiff") == []
    part = _job(profile=wide)
    pixels = part.photo.pixels.copy()
    pixels[40:240, 73:170] = (200, 100, 50)  # three columns of a hundred are left
    dull = use_matte(new_job(Photo("box.png", pixels, profile=wide)), part.alpha(part.photo.bounds))
    (share,) = _found(dull.with_photo_settings(spill_found="none"), profile="srgb")
    assert "3 % of the subject" in share.says
    assert share.at[0] == pytest.approx(71)
    pixels[40:240, 71:73] = (200, 100, 50)
    fewer = use_matte(new_job(Photo("box.png", pixels, profile=wide)), part.alpha(part.photo.bounds))
    assert _found(fewer.with_photo_settings(spill_found="none"), profile="srgb") == []


def test_hair_that_would_be_haze_is_said_and_left_out_by_its_mend() -> None:
    alpha = np.zeros((300, 400), np.float32)
    alpha[150:, 100:300] = 1
    rng = np.random.default_rng(4)
    for x in range(104, 300, 5):
        length = int(rng.integers(10, 90))
        alpha[150 - length : 150, x] = 0.9
    pixels = np.where(alpha[..., None] > 0, (90, 60, 40), (170, 190, 210)).astype(np.uint8)
    job = use_matte(new_job(Photo("hair.png", pixels)), alpha).with_photo_settings(spill_found="none")

    (snag,) = _found(job, size={"fit": "scale", "scale": 0.25})
    mended = mend_delivery_snag(job, snag)

    assert (snag.sort, snag.at, snag.severity) == (
        "hair_haze",
        (200, pytest.approx((300 + 60) / 2, abs=5)),
        Severity.SLIGHT,
    )
    assert "at 25 % of the photo's size" in snag.says
    assert mended.settings.recipe.finish.overall.shortest_px == snag.shortest_px > 0
    assert _found(mended, size={"fit": "scale", "scale": 0.25}) == []
    assert _found(job, size={"fit": "scale", "scale": 0.75}) == []
    assert _found(job, size={"fit": "scale", "scale": 0.25}, product="outline", format="svg") == []
    assert mend_delivery_snag(job, DeliverySnag("gamut", Severity.PLAIN, "", (0, 0))) is job


def test_cutouts_larger_than_their_pixels_are_said_where_they_stand() -> None:
    kite = np.zeros((40, 60, 4), np.uint8)
    kite[5:35, 5:55] = (200, 60, 40, 255)
    job = add_cutout(_job(), png_asset(kite))

    assert _found(map_cutouts(job, [1], turning((200.0, 150.0), 30.0, 1.01, 1.01))) == []
    (snag,) = _found(map_cutouts(job, [1], moving(30.0, 10.0) @ turning((200.0, 150.0), 30.0, 1.0, 1.8)))

    assert snag.says == "Cutout 2 stands on the sheet at 180 % of its own pixels."
    assert snag.at == pytest.approx((230, 160))


def test_an_edge_that_stands_out_on_its_backing_is_said_once() -> None:
    job = _job()
    fringed = job.photo.pixels.copy()
    alpha = job.alpha(job.photo.bounds)
    alpha[38:242, 68:172] = np.maximum(alpha[38:242, 68:172], 0.7)  # two pixels of backdrop taken along
    dirty = use_matte(new_job(Photo("box.png", fringed)), alpha).with_photo_settings(spill_found="none")
    dirty = dirty.with_recipe(colour={"clean": 0, "detail": 0, "roots": 0, "spill_edge": 0, "spill_inside": 0})
    green = set_value(dirty, "recipe.backing", {"kind": "colour", "colour": "#14fa1e"})
    stages = Stages(green.photo, Cache(60_000_000))

    found = delivery_snags(green, stages, [Preset(name="A"), Preset(name="B")])

    (snag,) = [own for own in found if own.sort == "backing_fringe"]
    assert snag.at == (120, 140)
    assert not [own for own in _found(dirty) if own.sort == "backing_fringe"]


def test_the_gravest_comes_first_and_what_was_accepted_is_known_by_its_place() -> None:
    job = _job()
    found = _found(job, frame={"top": -50}, size={"fit": "longest", "px": 900})
    assert [snag.sort for snag in found] == ["frame_cut", "fewer_pixels"]

    accepted = accept_delivery_snag(job, found[0], "")

    assert accepted.settings.photo.settled_snags[-1].reason == found[0].says
    assert is_delivery_snag_accepted(accepted, found[0])
    assert not is_delivery_snag_accepted(accepted, found[1])
    x, y = found[0].at
    for at, near in (
        ((x + 4, y + 3.5), True),
        ((x - 4, y - 3.5), True),
        ((x + 4, y + 4), False),
        ((x - 9, y + 2), False),
    ):
        assert is_delivery_snag_accepted(accepted, DeliverySnag("frame_cut", Severity.GRAVE, "", at)) is near
    assert delivery_snags(new_job(job.photo), Stages(job.photo, Cache(1_000_000)), [Preset(name="A")]) == []
