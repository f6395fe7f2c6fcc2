"""A file of each older format opens as it was left, and is brought up to date."""

import contextlib
import shutil
import sqlite3
from pathlib import Path

import numpy as np

from peel.files.migrations import VERSION
from peel.files.project import ProjectFile
from peel.files.salvage import salvage
from peel.job.edits.kinds import kinds_in
from peel.job.edits.lay_band import lay_zones
from peel.job.placing.sheet import sheet_of
from peel.job.settings import PlacedCutout
from peel.matte.edge.kind import Kind
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.work.session.session import Session

DATA = Path(__file__).parent / "data"


def _value(path: Path, query: str) -> int:
    with contextlib.closing(sqlite3.connect(path)) as sql:
        return int(sql.execute(query).fetchone()[0])


def test_a_file_of_the_first_format_opens_with_its_contours_and_can_be_gone_on_with(tmp_path: Path) -> None:
    path = tmp_path / "old.peel"
    shutil.copy(DATA / "version-1.peel", path)

    session = Session.resume(ProjectFile.open(path))
    session.wait_idle(60)

    closed, drawing = session.job.settings.photo.contours
    assert [node.at for node in closed.nodes] == [(40, 20), (120, 20), (120, 100), (40, 100)]
    assert closed.closed
    assert drawing.hole
    assert len(drawing.nodes) == 2
    zones = session.job.zones.read()
    assert set(np.unique(zones)) == {BACKGROUND, UNKNOWN, FOREGROUND}
    session.undo()
    session.redo()
    session.wait_idle(60)
    session.close()
    assert _value(path, "PRAGMA user_version") == VERSION


def test_what_is_left_of_a_damaged_old_file_is_brought_home(tmp_path: Path) -> None:
    path = tmp_path / "old.peel"
    content = bytearray((DATA / "version-1.peel").read_bytes())
    content[-900:-600] = bytes(300)
    path.write_bytes(content)

    saved = salvage(path, tmp_path / "copy.peel")

    session = Session.resume(saved.project)
    height = session.job.zones.height
    session.close()
    assert height == 120


def test_a_file_of_the_second_format_opens_with_its_settings_in_two_halves(tmp_path: Path) -> None:
    path = tmp_path / "old.peel"
    shutil.copy(DATA / "version-2.peel", path)

    session = Session.resume(ProjectFile.open(path))
    session.wait_idle(60)

    photo, recipe = session.job.settings.photo, session.job.settings.recipe
    assert photo.sheer_colours == ("#e6dbb3",)
    assert photo.known_mixing == "value"
    assert photo.contours[1].hole
    assert (recipe.backing.colour, recipe.colour.clean, recipe.delivery.matte_bits) == ("#3f6c8f", 0.5, 16)
    assert session.job.is_solved
    assert set(np.unique(session.job.kinds.read())) >= {0, 3}
    before = session.job.matte.read()
    session.undo()
    session.redo()
    session.wait_idle(60)
    assert np.array_equal(session.job.matte.read(), before)
    session.close()


def test_a_file_of_the_third_format_keeps_its_plain_band_and_its_stretches_become_kinds(tmp_path: Path) -> None:
    path = tmp_path / "old.peel"
    shutil.copy(DATA / "version-3.peel", path)

    session = Session.resume(ProjectFile.open(path))
    session.wait_idle(60)

    band = session.job.settings.recipe.band
    assert (band.lay, band.kinds, band.outward_px) == ("plain", "none", 9.0)
    kinds = kinds_in(session.job, session.job.photo.bounds)
    assert set(np.unique(kinds)) == {0, Kind.HARD}
    assert session.job.is_solved
    zones = session.job.zones.read()
    assert np.array_equal(lay_zones(session.job, session.job.photo.bounds).zones.read(), zones)
    session.undo()
    session.redo()
    session.wait_idle(60)
    assert np.array_equal(session.job.zones.read(), zones)
    session.close()


def test_a_file_of_the_fourth_format_opens_without_separations(tmp_path: Path) -> None:
    path = tmp_path / "old.peel"
    shutil.copy(DATA / "version-4.peel", path)

    session = Session.resume(ProjectFile.open(path))
    session.wait_idle(60)

    job = session.job
    session.close()
    assert job.settings.recipe.separations == ()
    assert not job.separated.read().any()
    assert job.settings.recipe.colour.clean == 0.5
    assert (kinds_in(job, job.photo.bounds) == Kind.SOFT).any()
    assert job.is_solved


def test_a_file_of_the_fifth_format_keeps_its_touch_ups_and_gets_no_corrections_of_colour(tmp_path: Path) -> None:
    path = tmp_path / "old.peel"
    shutil.copy(DATA / "version-5.peel", path)

    session = Session.resume(ProjectFile.open(path))
    session.wait_idle(60)

    job = session.job
    alpha = session.stages.alpha(job, job.photo.bounds, 0)
    session.close()
    assert alpha[45, 60] == 0
    assert job.settings.recipe.finish.everywhere.pull_px == -1
    assert (job.settings.recipe.colour.clean, job.settings.recipe.colour.rim_light) == (0.5, 0)
    assert job.settings.photo.tints == ()
    assert not any(job.planes.get(name) for name in ("patch", "toning", "original"))
    assert job.is_solved


def test_a_file_of_the_sixth_format_keeps_its_sheet_and_has_its_subject_on_it(tmp_path: Path) -> None:
    path = tmp_path / "old.peel"
    shutil.copy(DATA / "version-6.peel", path)

    session = Session.resume(ProjectFile.open(path))
    session.wait_idle(60)

    job = session.job
    session.close()
    recipe = job.settings.recipe
    assert (recipe.backing.kind, recipe.frame.left) == ("gradient", 20)
    assert (sheet_of(job).space.height, sheet_of(job).space.width) == (130, 180)
    assert job.settings.photo.cutouts == (PlacedCutout(),)
    assert not recipe.shadow.cast.on
    assert job.assets == {}
    assert (job.patch.read() == 1).any()
    assert job.is_solved
    assert _value(path, "SELECT count(*) FROM asset") == 0


def test_exact_stretches_of_the_seventh_format_are_trusted_fully(tmp_path: Path) -> None:
    path = tmp_path / "old.peel"
    shutil.copy(DATA / "version-7.peel", path)

    session = Session.resume(ProjectFile.open(path))
    job = session.job
    session.close()

    (contour,) = job.settings.photo.contours
    assert [node.trust for node in contour.nodes] == [None, 1.0, None, None]
    assert not job.trusted.read().any()
    relaid = lay_zones(job, job.photo.bounds)
    assert (relaid.zones.read()[17:24, 40:80] == UNKNOWN).sum(axis=0).max() <= 7
    assert _value(path, "PRAGMA user_version") == VERSION
