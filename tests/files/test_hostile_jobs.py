"""Job files from strangers, damaged ones, full disks, and two programs at one file."""

import os
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import pytest
from campaign.jobs import HOSTILE
from campaign.made import job_file

from peel.errors import PeelError, ProjectError
from peel.files.names import clean_name
from peel.files.photo import decode_photo
from peel.files.project import ProjectFile
from peel.job.job import new_job
from peel.work.session.recovery import open_job


@pytest.fixture
def job(tmp_path: Path) -> Path:
    return job_file(tmp_path)


@pytest.mark.parametrize("what", sorted(HOSTILE))
def test_a_hostile_job_opens_or_gives_a_sentence_soon_and_stays_as_it_is(job: Path, what: str) -> None:
    HOSTILE[what](job)
    before, since = job.read_bytes(), time.process_time()

    try:
        opened = open_job(job)
    except PeelError as error:
        assert job.name in error.message
        changed = job.read_bytes() != before
    else:
        assert opened.session.photo.name == clean_name(opened.session.photo.name)
        opened.session.close()
        changed = bool(opened.notice) and job.read_bytes() != before

    assert not changed
    assert time.process_time() - since < 10


def test_a_reference_that_damage_has_changed_costs_no_tile_on_closing(job: Path) -> None:
    sql = sqlite3.connect(job)
    sql.execute('UPDATE state SET planes = replace(planes, \'"marks":"\', \'"marks":"0\') WHERE number = 1')
    sql.execute('UPDATE state SET planes = \'{"marks": "0123456789"}\' WHERE number = 1')
    before = sql.execute("SELECT count(*) FROM tile").fetchone()
    sql.commit()
    sql.close()

    opened = open_job(job)
    opened.session.wait_idle(20)
    opened.session.close()

    sql = sqlite3.connect(job)
    assert sql.execute("SELECT count(*) FROM tile").fetchone() == before
    sql.close()


def test_a_job_this_process_has_open_is_not_opened_again_under_any_name(job: Path) -> None:
    first = ProjectFile.open(job)
    (job.parent / "link.peel").symlink_to(job)
    os.link(job, job.parent / "hard.peel")

    for name in (job.name, "link.peel", "hard.peel"):
        with pytest.raises(ProjectError, match="already open"):
            ProjectFile.open(job.parent / name)

    assert _opens_elsewhere(job) is False, "trying has dropped the lock"
    first.close()
    assert _opens_elsewhere(job) is True


def _opens_elsewhere(path: Path) -> bool:
    script = f"from pathlib import Path\nfrom peel.files.project import ProjectFile\nProjectFile.open(Path({str(path)!r})).close()"
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=False)
    assert done.returncode == 0 or "already open" in done.stderr, done.stderr
    return done.returncode == 0


def test_a_full_disk_is_called_that_and_what_comes_later_is_stored(job: Path) -> None:
    project = ProjectFile.open(job)
    photo = decode_photo(project.photo()[1], "x")
    before = project.history()
    project._sql.execute("PRAGMA max_page_count = 1")

    with pytest.raises(ProjectError, match="the disk is full"):
        project.append("x" * 40_000, new_job(photo))

    assert project.history() == before
    project._sql.execute("PRAGMA max_page_count = 1000000")
    project.append("Room again", new_job(photo))
    assert project.history().current.label == "Room again"
    project.close()


def test_a_file_begun_on_a_full_disk_is_removed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("peel.files.project.photo_digest", lambda _content: 1 // 0)

    with pytest.raises(ZeroDivisionError):
        ProjectFile.create(tmp_path / "new.peel", b"photo", "photo.jpg")

    assert list(tmp_path.glob("*.peel*")) == []


def test_compacting_forgets_all_but_the_present_state_and_makes_the_file_smaller(job: Path) -> None:
    opened = open_job(job)
    session = opened.session
    session.wait_idle(20)
    matte, size = session.job.matte.read(), job.stat().st_size

    session.compact()

    assert session.history.undo_label is None
    assert (session.job.matte.read() == matte).all()
    session.close()
    assert job.stat().st_size <= size
    again = open_job(job).session
    assert [state.label for state in again.history.states] == ["Band"]
    assert (again.job.matte.read() == matte).all()
    again.close()


@pytest.mark.parametrize(
    ("name", "clean"),
    [("a.jpg", "a.jpg"), ("../x/../b.png", "b.png"), ("c\0d\n.jpg", "cd.jpg"), ("..", "photo"), ("", "photo")],
)
def test_names_from_files_are_fit_to_be_parts_of_names(name: str, clean: str) -> None:
    assert clean_name(name) == clean
    assert len(clean_name("ü" * 500 + ".jpeg")) <= 120
    assert clean_name("ü" * 500 + ".jpeg").endswith(".jpeg")
