"""Masks from elsewhere, saved masks, kept marks, and pictures with an alpha of their own."""

from pathlib import Path

import cv2
import imagecodecs
import numpy as np
import pytest
from PIL import Image

from conftest import soft_disc
from peel.cli import main
from peel.errors import MarkError, PhotoError
from peel.files.drawn import read_mask
from peel.files.photo import read_photo
from peel.job.edits.contours import add_nodes, close_contour, make_node
from peel.job.edits.marking import Stroke, Zone, mark_region, paint_mark, paint_zone
from peel.job.edits.values import use_matte
from peel.job.job import Job, Photo, new_job
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.work.cut import CutRequest, prepared
from peel.work.marking.masks import bring_back_mark, forget_mark, found_mask, keep_mark, save_mask, use_mask
from peel.work.session.session import Session
from peel.work.stages import Cache, Stages

PHOTO, ALPHA, ZONES = soft_disc(120, 160, 40)


@pytest.fixture
def photo() -> Photo:
    return Photo("disc.png", np.round(PHOTO * 255).astype(np.uint8))


def _saved(path: Path, pixels: np.ndarray) -> Path:
    path.write_bytes(imagecodecs.png_encode(np.ascontiguousarray(pixels)))
    return path


def _sixteen(values: np.ndarray) -> np.ndarray:
    return np.round(values * 65535).astype(np.uint16)


@pytest.mark.parametrize("bits", [8, 16])
def test_a_mask_of_either_depth_is_read_as_it_is(photo: Photo, tmp_path: Path, bits: int) -> None:
    most = (1 << bits) - 1
    values = np.round(ALPHA * most).astype(np.uint8 if bits == 8 else np.uint16)
    mask = read_mask(_saved(tmp_path / "mask.png", values), photo)
    assert np.abs(mask - ALPHA).max() <= 0.51 / most + 1e-6


@pytest.mark.parametrize("scale", [0.5, 2.0])
def test_a_mask_of_the_photos_proportions_is_scaled(photo: Photo, tmp_path: Path, scale: float) -> None:
    size = round(160 * scale), round(120 * scale)
    other = cv2.resize(ALPHA, size, interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR)
    mask = read_mask(_saved(tmp_path / "mask.png", _sixteen(other)), photo)
    assert mask.shape == ALPHA.shape
    assert np.abs(mask - ALPHA).mean() < 0.01


def test_a_picture_with_alpha_is_a_mask_and_a_palette_of_greys_too(photo: Photo, tmp_path: Path) -> None:
    cutout = np.dstack([np.round(PHOTO * 255), np.round(ALPHA * 255)]).astype(np.uint8)
    assert np.abs(read_mask(_saved(tmp_path / "cutout.png", cutout), photo) - ALPHA).max() < 0.003
    deep = np.dstack([_sixteen(PHOTO), _sixteen(ALPHA)])
    assert np.abs(read_mask(_saved(tmp_path / "deep.png", deep), photo) - ALPHA).max() < 1e-4
    Image.fromarray(np.round(ALPHA * 255).astype(np.uint8)).convert("P").save(tmp_path / "palette.png")
    assert np.abs(read_mask(tmp_path / "palette.png", photo) - ALPHA).max() < 0.003


def test_what_is_no_mask_is_refused_in_a_sentence(photo: Photo, tmp_path: Path) -> None:
    coloured = _saved(tmp_path / "coloured.png", np.round(PHOTO * 255).astype(np.uint8))
    with pytest.raises(PhotoError, match="is in colour and has no alpha"):
        read_mask(coloured, photo)
    with pytest.raises(PhotoError, match="50 × 50 pixels"):
        read_mask(_saved(tmp_path / "square.png", np.zeros((50, 50), np.uint8)), photo)
    with pytest.raises(PhotoError, match="no black and white"):
        found_mask(_saved(tmp_path / "flat.png", np.full((120, 160), 90, np.uint8)), photo)
    floats = tmp_path / "nan.tif"
    floats.write_bytes(imagecodecs.tiff_encode(np.full((120, 160), np.nan, np.float32)))
    with pytest.raises(PhotoError):
        read_mask(floats, photo)
    with pytest.raises(MarkError, match="no backdrop"):
        use_mask(new_job(photo), np.ones((120, 160), np.float32), "mark")


def test_what_a_mask_is_meant_for_and_whether_it_is_inverted_is_seen(photo: Photo, tmp_path: Path) -> None:
    hard = _saved(tmp_path / "hard.png", (255 * (ALPHA > 0.5)).astype(np.uint8))
    turned = _saved(tmp_path / "turned.png", (255 * (ALPHA < 0.5)).astype(np.uint8))
    zones = _saved(tmp_path / "zones.png", ZONES)
    soft = _saved(tmp_path / "soft.png", _sixteen(ALPHA))
    assert [found_mask(path, photo).use for path in (hard, zones, soft)] == ["mark", "zones", "matte"]
    assert [found_mask(path, photo).is_inverted for path in (hard, turned, soft)] == [False, True, False]


def test_a_mask_is_used_as_mark_as_zones_or_as_the_matte(photo: Photo) -> None:
    job = mark_region(new_job(photo), np.ones((120, 160), bool), Zone.SUBJECT)  # what was marked before is gone
    marked = use_mask(job, ALPHA, "mark")
    assert (marked.zones.read()[ALPHA > 0.5] != BACKGROUND).all()
    assert not marked.is_solved
    zoned = use_mask(job, ALPHA, "zones")
    assert np.array_equal(zoned.zones.read() == UNKNOWN, (np.round(ALPHA * 255) > 0) & (np.round(ALPHA * 255) < 255))
    given = use_mask(job, ALPHA, "matte")
    assert given.is_solved
    assert np.abs(given.alpha(photo.bounds) - ALPHA).max() < 1e-4
    assert set(np.unique(given.zones.read())) == {BACKGROUND, UNKNOWN, FOREGROUND}


@pytest.mark.parametrize("use", ["mark", "zones", "matte"])
def test_a_saved_mask_brings_back_what_it_was_saved_from(photo: Photo, tmp_path: Path, use: str) -> None:
    job = use_matte(new_job(photo), ALPHA)
    if use == "mark":
        job = paint_mark(new_job(photo), Stroke(((80.0, 60.0), (90.0, 70.0)), 30), subject=True)
    path = tmp_path / f"{use}.png"
    save_mask(path, job, Stages(photo, Cache(8_000_000)), use)  # type: ignore[arg-type]
    again = use_mask(new_job(photo), found_mask(path, photo).values, use)  # type: ignore[arg-type]
    assert np.array_equal(again.zones.read(), job.zones.read())
    if use == "matte":
        assert np.abs(again.alpha(photo.bounds) - job.alpha(photo.bounds)).max() < 1e-4
    with pytest.raises(MarkError, match="Nothing is marked"):
        save_mask(path, new_job(photo), Stages(photo, Cache(8_000_000)), use)  # type: ignore[arg-type]


def test_several_marks_are_kept_by_name_and_brought_back(photo: Photo) -> None:
    corners = [make_node(at) for at in ((40, 30), (120, 30), (120, 90), (40, 90))]
    drawn = close_contour(add_nodes(new_job(photo), corners))
    brushed = paint_zone(paint_mark(drawn, Stroke(((20.0, 60.0),), 12), subject=True), Stroke(((80.0, 30.0),), 6),
                         Zone.UNSURE)  # fmt: skip
    kept = keep_mark(brushed, "  Both   arms ")
    other = keep_mark(paint_mark(kept, Stroke(((140.0, 100.0),), 10), subject=True), "One arm")
    assert [mark.name for mark in other.settings.photo.kept_marks] == ["Both arms", "One arm"]
    back = bring_back_mark(other, "Both arms")
    assert np.array_equal(back.zones.read(), brushed.zones.read())
    assert back.settings.photo.contours == brushed.settings.photo.contours
    assert not np.array_equal(other.zones.read(), brushed.zones.read())
    assert [mark.name for mark in forget_mark(other, "One arm").settings.photo.kept_marks] == ["Both arms"]
    for name, job, what in (("", brushed, "under a name"), ("None", new_job(photo), "Nothing is marked")):
        with pytest.raises(MarkError, match=what):
            keep_mark(job, name)
    with pytest.raises(MarkError, match="not there any more"):
        bring_back_mark(other, "Three arms")


def test_kept_marks_are_in_the_job_file(tmp_path: Path, disc_file: Path) -> None:
    session = Session.begin(disc_file, tmp_path / "disc.peel")
    session.apply("Brush", lambda job: paint_mark(job, Stroke(((200.0, 150.0),), 60), subject=True))
    session.apply("Keep", lambda job: keep_mark(job, "Middle"))
    session.wait_idle(60)
    zones = session.job.zones.read()
    session.close()
    from peel.files.project import ProjectFile

    again = Session.resume(ProjectFile.open(tmp_path / "disc.peel"))
    again.apply("Brush", lambda job: paint_mark(job, Stroke(((60.0, 60.0),), 40), subject=True))
    again.apply("Back", lambda job: bring_back_mark(job, "Middle"))
    again.wait_idle(60)
    assert np.array_equal(again.job.zones.read(), zones)
    again.close()


@pytest.mark.parametrize("bits", [8, 16])
def test_a_photos_own_alpha_is_offered_as_the_matte_soft_values_kept(tmp_path: Path, bits: int) -> None:
    most, kind = (255, np.uint8) if bits == 8 else (65535, np.uint16)
    pixels = np.round(np.dstack([PHOTO, ALPHA]) * most).astype(kind)
    session = Session.begin(_saved(tmp_path / "cut.png", pixels), tmp_path / "cut.peel")
    session.wait_idle(60)
    job: Job = session.job
    assert np.abs(job.alpha(job.photo.bounds) - ALPHA).max() <= 0.51 / most + 1e-4
    assert session.history.undo_label is not None
    session.undo()
    session.wait_idle(60)
    assert not session.job.has_subject
    session.close()


def test_a_given_matte_has_its_spill_found_as_a_solved_one_has(tmp_path: Path) -> None:
    green = np.float32([0.15, 0.65, 0.25])
    lit = ALPHA[..., None] * (np.float32([0.5, 0.5, 0.5]) + 0.12 * green) + (1 - ALPHA[..., None]) * green
    shot = np.round(np.clip(lit, 0, 1) * 255).astype(np.uint8)
    job = use_mask(new_job(Photo("green.png", shot)), ALPHA, "matte")
    assert job.settings.photo.spill_found not in (None, "none")
    assert job.settings.photo.known_mixing is not None
    matte = _saved(tmp_path / "matte.png", _sixteen(ALPHA))
    shot_file = _saved(tmp_path / "green.png", shot)
    given = prepared(CutRequest(photo=shot_file, given=matte))
    assert given.settings.photo.spill_found == job.settings.photo.spill_found


def test_masks_on_the_command_line(tmp_path: Path) -> None:
    shot = _saved(tmp_path / "disc.png", np.round(PHOTO * 255).astype(np.uint8))
    soft, out = _saved(tmp_path / "soft.png", _sixteen(ALPHA)), tmp_path / "out.png"
    assert main(["cut", str(shot), "--given-matte", str(soft), "--matte", str(out)]) == 0
    assert np.abs(read_photo(out).pixels[..., 0] / 65535 - ALPHA).max() < 1e-4
    mark = _saved(tmp_path / "mark.png", _sixteen((ALPHA > 0.5).astype(np.float32)))
    assert main(["cut", str(shot), "--mark", str(mark), "--matte", str(out)]) == 0
    assert np.abs(read_photo(out).pixels[..., 0] / 65535 - ALPHA).mean() < 0.02
    assert main(["cut", str(shot), "--mark", str(mark), "--given-matte", str(soft), "--matte", str(out)]) != 0


def test_a_shadow_is_painted_on_the_command_line(tmp_path: Path) -> None:
    shot = _saved(tmp_path / "disc.png", np.round(PHOTO * 255).astype(np.uint8))
    soft, flat = _saved(tmp_path / "soft.png", _sixteen(ALPHA)), tmp_path / "flat.jpg"
    strokes = tmp_path / "strokes.json"
    strokes.write_text('{"strokes": [{"points": [[60, 108], [110, 108]], "radius_px": 8}]}')
    common = ["cut", str(shot), "--given-matte", str(soft), "--flat", str(flat)]
    assert main([*common, "--shadow-strokes", str(strokes)]) == 0
    pixels = read_photo(flat).pixels
    assert pixels[108, 85].max() < 215
    assert pixels[10, 10].min() > 250
    strokes.write_text('[{"points": [], "radius_px": 8}]')
    assert main([*common, "--shadow-strokes", str(strokes)]) != 0
