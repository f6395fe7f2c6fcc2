"""Names from strangers: shown and written as what they are, obeyed by nobody."""

import csv
import json
import os
from pathlib import Path

import pytest
from PIL import Image

from peel.cli import main
from peel.cli.common import printable
from peel.errors import UsageError
from peel.files.atomic import remove_leftovers, temporary_beside, temporary_folder
from peel.files.names import clean_name
from peel.files.presets import keep_preset, presets, remove_preset
from peel.files.recipes import read_recipe
from peel.job.preset import Preset
from peel.work.delivering.delivery_report import write_report
from peel.work.delivering.rows import FileRow, RunRow
from peel.work.many.photo_jobs import job_path_for
from peel.work.scheduler import Lane
from peel.work.session.session import Session

_NAMES = (
    "\u4e2d" * 82 + ".png",
    "a" * 250 + ".png",
    os.fsdecode(b"caf\xe9\xff.png"),
    "esc\x1b[31m.png",
    "<img src=x>.png",
    "=1+1.png",
)


@pytest.mark.parametrize("name", _NAMES)
def test_a_job_on_a_photo_of_an_odd_name_can_be_made_opened_and_delivered(
    disc_file: Path, name: str, capsys: pytest.CaptureFixture[str]
) -> None:
    photo = disc_file.with_name(name)
    disc_file.rename(photo)
    out, jobs = photo.parent / "out", photo.parent / "jobs"
    assert main(["propose", str(photo), "--to", str(jobs)]) == 0
    job = job_path_for(photo, jobs)
    assert job.is_file()

    code = main(["deliver", str(job), "--to", str(out), "--unseen", "--report", str(out / "r.csv")])

    assert code == 0
    said = capsys.readouterr()
    assert "\x1b" not in said.out + said.err
    assert len(list(out.glob("*.png"))) == 2
    assert main(["check", str(job), "--severity", "grave"]) in (0, 1)


def test_a_job_takes_the_name_of_its_photo_without_what_cannot_be_stored(disc_file: Path) -> None:
    session = Session.begin_with(disc_file.read_bytes(), os.fsdecode(b"a\xff.png"), disc_file.with_suffix(".peel"))
    assert session.photo.name == "a.png"
    session.close()


@pytest.mark.parametrize("name", ["\u4e2d" * 300, "x" * 999 + ".jpeg", "y." + "z" * 400, "\u00e9" * 200 + ".tif"])
def test_clean_names_leave_room_below_255_bytes(name: str) -> None:
    kept = clean_name(name)
    assert 0 < len(kept.encode()) <= 160
    assert kept.startswith(name[0])


def test_what_a_terminal_would_obey_is_written_out() -> None:
    assert printable("a\x1b]0;x\x07b\x9bc\u202ed") == "a\\x1b]0;x\\x07b\\x9bc\\u202ed"
    assert printable(os.fsdecode(b"\xff")) == "\\udcff"
    assert printable("Grün, 中") == "Grün, 中"


def test_a_spreadsheet_finds_no_formula_in_a_report(tmp_path: Path) -> None:
    row = RunRow("=cmd|x", files=(FileRow("@x", "flat", 1, 1, 1, ""),), snags_open=0, seconds=-1.0)
    write_report([row], tmp_path / "r.csv")
    cells = list(csv.reader((tmp_path / "r.csv").read_text("utf-8").splitlines()))[1]
    assert cells[:2] == ["'=cmd|x", "'@x"]
    assert "-1.0" in cells


def test_a_recipe_takes_in_pictures_of_its_own_folder_only(tmp_path: Path) -> None:
    Image.new("RGB", (8, 8)).save(tmp_path / "secret.png")
    folder = tmp_path / "recipes"
    folder.mkdir()
    Image.new("RGB", (8, 8)).save(folder / "own.png")
    (folder / "link.png").symlink_to(tmp_path / "secret.png")
    for name in (str(tmp_path / "secret.png"), "../secret.png", "link.png"):
        (folder / "r.json").write_text(json.dumps({"backing": {"kind": "photo", "photo": {"file": name}}}))
        with pytest.raises(UsageError, match="outside its own folder"):
            read_recipe(folder / "r.json")
    (folder / "r.json").write_text(json.dumps({"backing": {"kind": "photo", "photo": {"file": "own.png"}}}))
    assert len(read_recipe(folder / "r.json").assets) == 1


def test_presets_whose_names_make_one_file_name_are_both_kept() -> None:
    for name, quality in (("a/b", 60), ("a-b", 70), ("a:b", 80)):
        keep_preset(Preset(name=name, product="flat", format="jpeg", quality=quality))
    keep_preset(Preset(name="a-b", product="flat", format="jpeg", quality=75))
    known = presets()
    assert [known[name].quality for name in ("a/b", "a-b", "a:b")] == [60, 75, 80]
    remove_preset("a/b")
    assert "a/b" not in presets()
    assert presets()["a-b"].quality == 75


def test_what_a_killed_program_left_is_removed_with_its_journal_and_its_folders(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    notes = tmp_path / "notes"
    remove_leftovers(notes)
    with temporary_beside(tmp_path / "job.peel") as part, temporary_folder("upload") as folder:
        part.write_bytes(b"a photo")
        part.with_name(part.name + "-journal").write_bytes(b"")
        (folder / "cutout.png").write_bytes(b"a photo")
        for note in list(notes.iterdir()):  # as if the process that wrote them were gone
            note.rename(note.with_name("999999999-" + note.name.partition("-")[2]))
        remove_leftovers(notes)
        assert not part.exists()
        assert not part.with_name(part.name + "-journal").exists()
        assert not folder.exists()
        folder.mkdir()
    assert list(notes.iterdir()) == []
    assert [path.name for path in tmp_path.iterdir() if path.name.endswith((".part", "-journal"))] == []


def test_a_lane_goes_on_when_telling_of_a_failure_fails() -> None:
    lane, done = Lane("test"), []

    def fails(_error: object) -> None:
        raise RuntimeError("cannot be told")

    lane.submit(None, fails, None, fails)
    lane.submit(None, lambda _ticket: 1, fails)
    assert lane.wait_idle(5)
    lane.submit(None, lambda _ticket: 2, done.append)
    assert lane.wait_idle(5)
    assert done == [2]
    lane.close()
