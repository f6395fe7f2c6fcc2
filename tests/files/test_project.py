import contextlib
import json
import sqlite3
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import outlined
from peel.errors import ProjectError
from peel.files.photo import decode_photo
from peel.files.project import ProjectFile
from peel.files.project_checks import DamagedProjectError, LostProjectError
from peel.files.salvage import salvage
from peel.files.tile_store import TileStore
from peel.job.edits import contours, marking
from peel.job.edits.marking import Stroke, Zone
from peel.job.job import Job, new_job
from peel.job.planes import PLANES
from peel.job.rect import Rect
from peel.work.session.session import Session


@pytest.fixture
def saved(tmp_path: Path, disc_file: Path) -> tuple[Path, list[Job]]:
    """A closed job file of four states."""
    content = disc_file.read_bytes()
    photo = decode_photo(content, disc_file.name)
    path = tmp_path / "disc.peel"
    project = ProjectFile.create(path, content, disc_file.name)
    jobs = [new_job(photo)]
    jobs.append(contours.close_contour(outlined(jobs[-1], [(90, 50), (330, 50), (330, 250), (90, 250)])))
    jobs.append(marking.paint_zone(jobs[-1], Stroke(((100, 100), (140, 200)), 25), Zone.UNSURE))
    jobs.append(marking.paint_mark(jobs[-1], Stroke(((300, 40),), 30), subject=True))
    for label, job in zip(("Open", "Contour", "Band", "Brush"), jobs, strict=True):
        project.append(label, job)
    project.close()
    return path, jobs


def _same(first: Job, second: Job) -> bool:
    planes = all(np.array_equal(getattr(first, name).read(), getattr(second, name).read()) for name in PLANES)
    return planes and first.settings == second.settings


def test_every_state_comes_back(saved: tuple[Path, list[Job]]) -> None:
    path, jobs = saved
    project = ProjectFile.open(path)
    name, content = project.photo()
    photo = decode_photo(content, name)

    history = project.history()

    assert [state.label for state in history.states] == ["Open", "Contour", "Band", "Brush"]
    assert history.cursor == 3
    for state, job in zip(history.states, jobs, strict=True):
        assert _same(project.load(state.number, photo), job)
    project.close()


def test_undone_states_are_forgotten_by_the_next_edit(saved: tuple[Path, list[Job]]) -> None:
    path, jobs = saved
    project = ProjectFile.open(path)
    project.stand_at(project.history().states[1].number)

    project.append("Other", jobs[2])

    assert [state.label for state in project.history().states] == ["Open", "Contour", "Other"]
    project.close()


def test_closing_sweeps_what_nothing_refers_to(saved: tuple[Path, list[Job]]) -> None:
    path, jobs = saved
    project = ProjectFile.open(path)
    project.stand_at(project.history().states[0].number)
    project.append("Nothing", jobs[0])
    project.trust()
    project.close()

    with sqlite3.connect(path) as sql:
        assert sql.execute("SELECT count(*) FROM tile").fetchone()[0] == 0
    sql.close()


def test_a_file_in_use_is_not_opened_twice(saved: tuple[Path, list[Job]]) -> None:
    first = ProjectFile.open(saved[0])

    with pytest.raises(ProjectError, match="already open in another Peel window"):
        ProjectFile.open(saved[0])

    first.close()
    ProjectFile.open(saved[0]).close()


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"just some text" * 20, "is not a Peel job"),
        (b"", "is not a Peel job"),
        (b"SQLite format 3\0" + bytes(100), "another program"),
    ],
)
def test_what_is_no_job_is_refused(tmp_path: Path, content: bytes, words: str) -> None:
    path = tmp_path / "odd.peel"
    path.write_bytes(content)

    with pytest.raises(ProjectError, match=words):
        ProjectFile.open(path)

    assert path.read_bytes() == content


def test_a_newer_file_is_refused_untouched(saved: tuple[Path, list[Job]]) -> None:
    path, _ = saved
    sql = sqlite3.connect(path)
    sql.execute("PRAGMA user_version = 99")
    sql.close()
    before = path.read_bytes()

    with pytest.raises(ProjectError, match="made by a newer Peel"):
        ProjectFile.open(path)

    assert path.read_bytes() == before


def test_a_missing_job_is_explained(tmp_path: Path) -> None:
    with pytest.raises(ProjectError, match="is not there"):
        ProjectFile.open(tmp_path / "gone.peel")


def test_an_existing_file_is_never_begun_over(saved: tuple[Path, list[Job]]) -> None:
    before = saved[0].read_bytes()

    with pytest.raises(ProjectError, match="is there already"):
        ProjectFile.create(saved[0], b"photo", "photo.jpg")

    assert saved[0].read_bytes() == before


def test_lost_tiles_cost_only_the_states_that_need_them(saved: tuple[Path, list[Job]], tmp_path: Path) -> None:
    path, jobs = saved
    sql = sqlite3.connect(path)
    sql.execute(
        "DELETE FROM plane WHERE digest = (SELECT json_extract(planes, '$.corrections') FROM state WHERE label = 'Band')"
    )
    sql.commit()
    sql.close()
    before = path.read_bytes()

    found = salvage(path, tmp_path / "copy.peel")

    states = found.project.history().states
    photo = decode_photo(found.project.photo()[1], "x")
    assert [state.label for state in states] == ["Open", "Contour"]
    assert _same(found.project.load(states[1].number, photo), jobs[1])
    assert "2 of its steps was lost" in found.lost
    assert path.read_bytes() == before
    found.project.close()


@settings(max_examples=60)
@given(data=st.data())
def test_random_damage_gives_a_job_or_a_sentence(
    saved: tuple[Path, list[Job]], tmp_path: Path, data: st.DataObject
) -> None:
    content = bytearray(saved[0].read_bytes())
    for _ in range(data.draw(st.integers(1, 4))):
        at = data.draw(st.integers(0, len(content) - 1))
        length = data.draw(st.integers(1, 400))
        content[at : at + length] = bytes(data.draw(st.sampled_from([0, 255, 65])) for _ in content[at : at + length])
    path, copy = tmp_path / "damaged.peel", tmp_path / "copy.peel"
    path.write_bytes(bytes(content))
    copy.unlink(missing_ok=True)

    try:
        project = ProjectFile.open(path)
        try:
            photo = decode_photo(project.photo()[1], "x")
            project.load(project.history().current.number, photo)
        finally:
            project.close()
    except DamagedProjectError:
        try:
            salvage(path, copy).project.close()
        except ProjectError as error:
            assert "damaged" in error.message
    except ProjectError as error:
        assert "damaged.peel" in error.message


def test_closing_a_file_with_a_damaged_plane_sweeps_nothing(saved: tuple[Path, list[Job]]) -> None:
    path, _ = saved
    sql = sqlite3.connect(path)
    before = sql.execute("SELECT COUNT(*) FROM tile").fetchone()
    sql.execute("UPDATE plane SET body = replace(body, ',', 'A') WHERE digest = (SELECT MIN(digest) FROM plane)")
    sql.commit()
    sql.close()

    ProjectFile.open(path).close()

    sql = sqlite3.connect(path)
    assert sql.execute("SELECT COUNT(*) FROM tile").fetchone() == before
    sql.close()


def test_settings_out_of_bounds_are_damage(saved: tuple[Path, list[Job]]) -> None:
    path, _ = saved
    sql = sqlite3.connect(path)
    sql.execute('UPDATE state SET settings = \'{"band": {"outward_px": 1e9}}\'')
    sql.commit()
    sql.close()
    project = ProjectFile.open(path)
    photo = decode_photo(project.photo()[1], "x")

    with pytest.raises(DamagedProjectError):
        project.load(project.history().current.number, photo)

    project.close()


def test_codes_that_are_not_legal_in_a_plane_are_damage(saved: tuple[Path, list[Job]]) -> None:
    path, jobs = saved
    project = ProjectFile.open(path)
    odd = jobs[1].marks.write(Rect(3, 3, 9, 9), np.full((6, 6), 7, np.uint8))
    number = project.append("Odd", jobs[1].with_planes(marks=odd))

    with pytest.raises(DamagedProjectError):
        project.load(number, jobs[1].photo)

    project.close()


def test_a_plane_that_a_state_does_not_name_holds_its_default(saved: tuple[Path, list[Job]]) -> None:
    path, jobs = saved
    project = ProjectFile.open(path)
    number = project.append("Bare", new_job(jobs[0].photo))

    loaded = project.load(number, jobs[0].photo)

    assert loaded.planes == {}
    assert not loaded.has_subject
    project.close()


def test_a_plane_that_was_saved_last_is_not_looked_at_again(
    saved: tuple[Path, list[Job]], monkeypatch: pytest.MonkeyPatch
) -> None:
    path, jobs = saved
    project = ProjectFile.open(path)
    project.append("Again", jobs[-1])
    stored: list[object] = []
    monkeypatch.setattr(TileStore, "_save_tile", lambda _store, tile: stored.append(tile))

    project.append("Colour", jobs[-1].with_recipe(colour={"clean": 0.5}))

    assert stored == []
    monkeypatch.undo()
    assert _same(
        project.load(project.history().states[-1].number, jobs[-1].photo), jobs[-1].with_recipe(colour={"clean": 0.5})
    )
    project.close()


def test_what_a_failed_transaction_saved_is_saved_again(
    saved: tuple[Path, list[Job]], monkeypatch: pytest.MonkeyPatch
) -> None:
    path, jobs = saved
    project = ProjectFile.open(path)
    project.append("Nothing", jobs[0])
    monkeypatch.setattr(ProjectFile, "_put", lambda *_: 1 // 0)
    with pytest.raises(ZeroDivisionError):
        project.append("Failed", jobs[-1])
    monkeypatch.undo()

    number = project.append("Again", jobs[-1])

    assert _same(project.load(number, jobs[-1].photo), jobs[-1])
    project.close()


def test_keeping_over_a_job_that_is_open_elsewhere_is_refused(saved: tuple[Path, list[Job]], tmp_path: Path) -> None:
    path, _ = saved
    other = tmp_path / "other.peel"
    theirs = ProjectFile.create(other, b"photo", "theirs.jpg")
    mine = ProjectFile.open(path)

    with pytest.raises(ProjectError, match="already open in another Peel window"):
        mine.copied_to(other)

    assert theirs.photo()[0] == "theirs.jpg"
    assert [p.name for p in tmp_path.iterdir() if p.suffix == ".part"] == []
    theirs.close()
    mine.close()


def test_a_journal_left_beside_a_file_is_not_rolled_into_what_is_kept_over_it(
    saved: tuple[Path, list[Job]], tmp_path: Path
) -> None:
    path, jobs = saved
    target = tmp_path / "target.peel"
    target.write_bytes(b"not a job at all")
    target.with_name("target.peel-journal").write_bytes(bytes(4096))
    project = ProjectFile.open(path)

    kept = project.copied_to(target)

    assert not target.with_name("target.peel-journal").exists()
    assert len(kept.history().states) == len(jobs)
    kept.close()
    project.close()


def _tables(path: Path) -> dict[str, int]:
    with contextlib.closing(sqlite3.connect(path)) as sql:
        return {
            name: sql.execute(f"SELECT count(*) FROM {name}").fetchone()[0]  # noqa: S608 - three names
            for name in ("state", "plane", "tile")
        }


def test_closing_sweeps_what_no_state_refers_to_and_gives_the_room_back(disc_file: Path, tmp_path: Path) -> None:
    path = tmp_path / "job.peel"
    session = Session.begin(disc_file, path)
    noise = np.random.default_rng(1).integers(0, 3, (300, 420)).astype(np.uint8)
    session.apply("Noise", lambda job: job.with_planes(marks=job.marks.write(job.photo.bounds, noise)))
    session.wait_idle()
    session.undo()
    session.apply("Plain", lambda job: job.with_photo_settings(spill_shared=True))
    session.wait_idle()
    before, size = _read_only(path), path.stat().st_size
    session.close()
    after = _tables(path)
    assert after["state"] == 2, "the step that was undone is dropped"
    assert after["tile"] < before["tile"]
    assert path.stat().st_size < size
    project = ProjectFile.open(path)
    assert (project.load(project.history().current.number, project.read_photo()).marks.read() == 0).all()
    project.close()
    assert _tables(path) == after


def _read_only(path: Path) -> dict[str, int]:
    """Count what is in a job that a session has open; closing a second connection would drop its locks."""
    copy = path.with_suffix(".copy")
    copy.write_bytes(path.read_bytes())
    return _tables(copy)


_HOLD = """
import sqlite3, sys
sql = sqlite3.connect(sys.argv[1], isolation_level=None)
sql.execute("BEGIN EXCLUSIVE")
print("held", flush=True)
sys.stdin.read()
"""


def test_keeping_over_a_job_that_another_program_holds_is_refused_and_its_journal_stays(
    saved: tuple[Path, list[Job]], tmp_path: Path
) -> None:
    other = tmp_path / "other.peel"
    ProjectFile.create(other, b"photo", "theirs.jpg").close()
    before = other.read_bytes()
    mine = ProjectFile.open(saved[0])
    with subprocess.Popen(
        [sys.executable, "-c", _HOLD, str(other)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    ) as holds:
        assert holds.stdout is not None
        assert holds.stdout.readline() == "held\n"

        with pytest.raises(ProjectError, match="already open"):
            mine.copied_to(other)
        with pytest.raises(ProjectError, match="already open"):
            ProjectFile.open(other)

        holds.communicate()
    assert other.read_bytes() == before
    kept = mine.copied_to(other)
    assert len(kept.history().states) == 4
    kept.close()
    mine.close()


def test_a_job_whose_file_was_taken_away_is_told_before_anything_is_written(saved: tuple[Path, list[Job]]) -> None:
    path, jobs = saved
    project = ProjectFile.open(path)
    project.check_place()
    away = path.with_name("away.peel")
    path.rename(away)

    with pytest.raises(LostProjectError, match="deleted or replaced"):
        project.check_place()

    away.rename(path)
    project.check_place()
    project.append("Again", jobs[1])
    project.close()
    project.check_place()  # closed, there is nothing that could be lost


def test_compacting_keeps_one_state_and_what_it_needs(saved: tuple[Path, list[Job]]) -> None:
    path, jobs = saved
    project = ProjectFile.open(path)
    states = project.history().states
    size = project.size_bytes()

    project.compact(states[1].number)
    project.close()

    assert _tables(path)["state"] == 1
    with contextlib.closing(sqlite3.connect(path)) as sql:
        named = {name for (text,) in sql.execute("SELECT planes FROM state") for name in json.loads(text).values()}
        assert {name for (name,) in sql.execute("SELECT digest FROM plane")} == named
    again = ProjectFile.open(path)
    assert again.size_bytes() <= size
    assert again.history().current.number == states[1].number
    assert _same(again.load(states[1].number, again.read_photo()), jobs[1])
    again.close()


@pytest.mark.parametrize(("stored", "cursor"), [("2", 1), ("99", 3), ("x", 3), ("", 3), (None, 3), ("-1", 3)])
def test_a_job_stands_where_it_was_left_or_at_its_end(
    saved: tuple[Path, list[Job]], stored: str | None, cursor: int
) -> None:
    with contextlib.closing(sqlite3.connect(saved[0])) as sql:
        first = sql.execute("SELECT min(number) FROM state").fetchone()[0]
        if stored is not None and stored.isdigit():
            stored = str(first - 1 + int(stored))
        sql.execute("DELETE FROM note WHERE key = 'cursor'")
        if stored is not None:
            sql.execute("INSERT INTO note (key, value) VALUES ('cursor', ?)", (stored,))
        sql.commit()

    project = ProjectFile.open(saved[0])

    assert project.history().cursor == cursor
    project.close()


def test_notes_are_read_back_and_a_state_is_replaced(saved: tuple[Path, list[Job]]) -> None:
    path, jobs = saved
    project = ProjectFile.open(path)
    assert project.read_note("mine") is None
    project.write_note("mine", "said")
    assert project.read_note("mine") == "said"
    last = project.history().states[-1]
    project.replace(last.number, jobs[0])
    assert _same(project.load(last.number, project.read_photo()), jobs[0])
    assert project.history().states[-1].label == last.label
    project.close()
