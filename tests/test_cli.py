import json
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
import pytest
from PIL import Image

from conftest import outlined, soft_disc
from peel import start
from peel.cli import app, main
from peel.files.photo import decode_photo
from peel.files.project import ProjectFile
from peel.job.edits import contours, marking
from peel.job.edits.marking import Stroke
from peel.job.edits.snags import accept
from peel.job.edits.touching import SoftStroke, Touch, touch
from peel.work.inspecting.inspector import Inspector
from peel.work.session import memory
from peel.work.session.session import Session


@pytest.fixture
def pair(tmp_path: Path) -> tuple[Path, Path]:
    photo, _, zones = soft_disc()
    Image.fromarray(np.round(photo * 255).astype(np.uint8)).save(tmp_path / "photo.png")
    Image.fromarray(zones).save(tmp_path / "zones.png")
    return tmp_path / "photo.png", tmp_path / "zones.png"


def _cut(photo: Path, zones: Path, *more: str) -> int:
    return main(["cut", str(photo), "--zones", str(zones), *more])


def test_cut_writes_matte_cutout_and_flat(
    pair: tuple[Path, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    matte, cutout, flat = tmp_path / "m.png", tmp_path / "c.png", tmp_path / "f.jpg"

    code = _cut(*pair, "--matte", str(matte), "--cutout", str(cutout), "--on", "#FF00c8", "--flat", str(flat), "--json")

    out = capsys.readouterr()
    report = json.loads(out.out)
    _, truth, _ = soft_disc()
    solved = imagecodecs.png_decode(matte.read_bytes())
    assert code == 0
    assert solved.dtype == np.uint16
    assert np.abs(solved / 65535 - truth).max() < 0.02
    assert imagecodecs.png_decode(cutout.read_bytes()).shape == (120, 160, 4)
    assert np.abs(np.asarray(Image.open(flat))[0, 0].astype(int) - (255, 0, 200)).max() < 4
    assert {"read", "solve", "matte", "cutout", "flat"} <= set(report["seconds"])
    assert report["peak_memory_mb"] > 0
    assert report["converged"]
    assert "Solving" in out.err


def test_sixteen_bit_photos_give_sixteen_bit_cutouts(pair: tuple[Path, Path], tmp_path: Path) -> None:
    photo, _, _ = soft_disc()
    (tmp_path / "deep.png").write_bytes(imagecodecs.png_encode(np.round(photo * 65535).astype(np.uint16)))

    assert _cut(tmp_path / "deep.png", pair[1], "--cutout", str(tmp_path / "c.png")) == 0

    assert imagecodecs.png_decode((tmp_path / "c.png").read_bytes()).dtype == np.uint16


def test_exit_codes_tell_what_went_wrong(
    pair: tuple[Path, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    photo, zones = pair
    matte = ["--matte", str(tmp_path / "m.png")]
    (tmp_path / "broken.jpg").write_bytes(b"no picture")
    (tmp_path / "file").write_bytes(b"")
    small, empty = tmp_path / "small.png", tmp_path / "empty.png"
    Image.new("L", (9, 9)).save(small)
    Image.new("L", (160, 120)).save(empty)
    cases = [
        (2, [str(photo), "--zones", str(zones)], "Nothing to write"),
        (2, [str(photo), *matte], "zones"),
        (2, [str(photo), "--zones", str(zones), *matte, "--on", "pink"], "pink is not a colour"),
        (2, [str(photo), "--zones", str(zones), "--matte", str(photo)], "written over"),
        (3, [str(tmp_path / "gone.jpg"), "--zones", str(zones), *matte], "is not there"),
        (3, [str(tmp_path / "broken.jpg"), "--zones", str(zones), *matte], "not a JPEG"),
        (3, [str(photo), "--zones", str(small), *matte], "9 × 9"),
        (3, [str(photo), "--zones", str(empty), *matte], "marks no subject"),
        (4, [str(photo), "--zones", str(zones), "--matte", str(tmp_path / "file" / "m.png")], "could not be written"),
    ]

    for code, arguments, words in cases:
        assert main(["cut", *arguments]) == code, words
        assert words in capsys.readouterr().err.replace("\n", " ")
    assert not (tmp_path / "m.png").exists()


def test_a_full_destination_is_explained(pair: tuple[Path, Path], capsys: pytest.CaptureFixture[str]) -> None:
    if not Path("/dev/full").exists():
        pytest.skip("this system has no /dev/full")

    assert _cut(*pair, "--matte", "/dev/full/m.png") == 4
    assert "could not be written" in capsys.readouterr().err


def test_deliver_writes_what_a_job_asks_for(
    disc_file: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    session = Session.begin(disc_file, tmp_path / "disc.peel")
    session.apply("Points", lambda job: outlined(job, [(110, 50), (310, 50), (310, 250), (110, 250)]))
    session.apply("Close", contours.close_contour)
    session.close()

    code = main(["deliver", str(tmp_path / "disc.peel"), "--to", str(tmp_path / "out"), "--json"])

    rows = json.loads(capsys.readouterr().out)
    assert code == 0
    assert [Path(row["file"]).name for row in rows] == ["disc-cutout.png", "disc-flat.jpg", "disc-matte.png"]
    assert all(Path(row["file"]).stat().st_size == row["bytes"] for row in rows)


@pytest.fixture
def holed_job(disc_file: Path, tmp_path: Path) -> Path:
    """A job of the disc with a hole in it."""
    session = Session.begin(disc_file, tmp_path / "holed.peel")
    turns = np.linspace(0, 2 * np.pi, 16, endpoint=False)
    around = [(210 + 98 * np.cos(turn), 150 + 98 * np.sin(turn)) for turn in turns]
    session.apply("Points", lambda job: outlined(job, around))
    session.apply("Close", contours.close_contour)
    session.apply("Hole", lambda job: touch(job, SoftStroke(((210.0, 150.0),), 4.0, softness=0.0), Touch.CLEAR))
    session.close()
    return tmp_path / "holed.peel"


def test_a_check_lists_what_is_wrong_and_fails_from_a_severity_on(
    holed_job: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    _, truth, _ = soft_disc(300, 420, 90)
    (tmp_path / "truth.png").write_bytes(imagecodecs.png_encode(np.round(truth * 65535).astype(np.uint16)))

    arguments = ["check", str(holed_job), "--json", "--reference", str(tmp_path / "truth.png")]
    assert main(arguments) == 1
    (row,) = json.loads(capsys.readouterr().out)["snags"]
    assert (row["sort"], row["severity"], row["accepted"]) == ("pinhole", "plain", False)
    assert abs(row["at"][0] - 210) < 3
    assert row["error_px"] > 30

    assert main(["check", str(holed_job), "--severity", "grave"]) == 0
    assert "hole in what is solid" in capsys.readouterr().out
    assert main(["check", str(holed_job), "--severity", "awful"]) == 2
    Image.fromarray(np.round(truth * 255).astype(np.uint8)).save(tmp_path / "eight.png")
    assert main(["check", str(holed_job), "--reference", str(tmp_path / "eight.png")]) == 1
    Image.fromarray(np.zeros((10, 10), np.uint8)).save(tmp_path / "small.png")
    assert main(["check", str(holed_job), "--reference", str(tmp_path / "small.png")]) == 3


def test_a_check_ranks_by_what_shows_proves_mends_and_draws_a_page(
    holed_job: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    page = tmp_path / "snags.html"
    arguments = [
        "check",
        str(holed_job),
        "--on",
        "#ffffff",
        "--size",
        "420",
        "--prove",
        "--report",
        str(page),
        "--json",
    ]

    assert main(arguments) == 1
    (row,) = json.loads(capsys.readouterr().out)["snags"]
    assert row["shows_on"] == ["#ffffff"]
    assert row["shows_px"] > 20
    assert "by hand" in row["mend"]["objection"]
    text = page.read_text()
    assert text.count("data:image/jpeg;base64,") == 1
    assert "One hole in what is solid" in text

    assert main(["check", str(holed_job), "--size", "40", "--json"]) == 0
    (row,) = json.loads(capsys.readouterr().out)["snags"]
    assert row["shows_on"] == []
    assert row["severity"] == "slight"
    assert main(["check", str(holed_job), "--on", "orange"]) == 2
    assert main(["check", str(holed_job), "--report", str(holed_job / "page.html")]) == 4


def test_an_accepted_snag_does_not_fail_a_check(holed_job: Path, capsys: pytest.CaptureFixture[str]) -> None:
    session = Session.resume(ProjectFile.open(holed_job))
    session.wait_idle()
    (snag,) = Inspector(session.stages).inspect(session.job).snags
    session.apply("Accept", lambda job: accept(job, snag, "a button hole"))
    session.close()

    assert main(["check", str(holed_job)]) == 0
    assert "(accepted)" in capsys.readouterr().out


def test_delivering_an_unmarked_or_odd_job_is_explained(
    disc_file: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    Session.begin(disc_file, tmp_path / "empty.peel").close()
    shutil.copy(disc_file, tmp_path / "photo.peel")

    assert main(["deliver", str(tmp_path / "empty.peel"), "--to", str(tmp_path)]) == 3
    assert "no subject marked" in capsys.readouterr().err
    assert main(["deliver", str(tmp_path / "photo.peel"), "--to", str(tmp_path)]) == 3
    assert "is not a Peel job" in capsys.readouterr().err


@pytest.mark.parametrize("command", ["check", "cut", "deliver", "demo", "window"])
def test_every_command_has_help(command: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main([command, "--help"]) == 0
    assert "Usage" in capsys.readouterr().out


def test_an_unexpected_error_is_logged_not_shown(
    pair: tuple[Path, Path], tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr("peel.work.cut.solve_job", lambda *_a, **_k: 1 // 0)

    assert _cut(*pair, "--matte", str(tmp_path / "m.png")) == 5

    assert "Traceback" not in capsys.readouterr().err
    assert "ZeroDivisionError" in memory.log_file().read_text("utf-8")


def test_says_how_the_photo_mixes_and_takes_it_from_the_command_line(
    pair: tuple[Path, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    outputs = ("--matte", str(tmp_path / "m.png"), "--json")

    assert _cut(*pair, *outputs) == 0
    assert json.loads(capsys.readouterr().out)["mixing"] == "value"
    assert _cut(*pair, *outputs, "--mixing", "light", "--own-colour", "#d08030") == 0
    assert json.loads(capsys.readouterr().out)["mixing"] == "light"
    assert _cut(*pair, *outputs, "--mixing", "oil") == 2
    assert "Choose found, value or light" in capsys.readouterr().err
    assert _cut(*pair, *outputs, "--own-colour", "pink") == 2


def test_an_unsolved_job_is_solved_before_it_is_delivered_and_one_without_a_subject_refused(
    tmp_path: Path, disc_file: Path, capsys: Any
) -> None:
    path = tmp_path / "disc.peel"
    session = Session.begin(disc_file, path)
    session.wait_idle(60)
    assert main(["deliver", str(path), "--to", str(tmp_path / "none")]) == 3
    session.close()
    assert main(["deliver", str(path), "--to", str(tmp_path / "none")]) == 3
    assert "no subject" in capsys.readouterr().err

    project = ProjectFile.open(path)
    photo = decode_photo(project.photo()[1], "x")
    job = marking.paint_mark(
        project.load(project.history().current.number, photo), Stroke(((210, 150),), 80), subject=True
    )
    assert not job.is_solved
    project.append("Brush", job)
    project.close()

    assert main(["deliver", str(path), "--to", str(tmp_path / "out")]) == 0
    matte = np.asarray(Image.open(tmp_path / "out" / "disc-matte.png"))
    assert ((matte > 20) & (matte < 235)).any(), "the soft rim was solved"


def test_a_full_standard_output_is_said(tmp_path: Path, disc_file: Path) -> None:
    zones = tmp_path / "zones.png"
    Image.fromarray(np.where(np.arange(420) < 200, 0, 255).astype(np.uint8)[None].repeat(300, 0)).save(zones)
    arguments = ["cut", str(disc_file), "--zones", str(zones), "--matte", str(tmp_path / "m.png"), "--json"]

    with Path("/dev/full").open("wb") as full:
        done = subprocess.run(
            [sys.executable, "-m", "peel", *arguments], stdout=full, stderr=subprocess.PIPE, text=True, check=False
        )

    assert done.returncode == 4
    assert "standard output cannot be written" in done.stderr
    assert "Traceback" not in done.stderr


@pytest.fixture
def mark(tmp_path: Path) -> Path:
    """A mark of the disc, a little too small."""
    _, truth, _ = soft_disc()
    Image.fromarray(((truth > 0.9) * 255).astype(np.uint8)).save(tmp_path / "mark.png")
    return tmp_path / "mark.png"


def test_a_mark_is_enough_to_cut_by(pair: tuple[Path, Path], mark: Path, tmp_path: Path) -> None:
    matte, laid = tmp_path / "m.png", tmp_path / "laid.png"

    code = main(["cut", str(pair[0]), "--mark", str(mark), "--laid", str(laid), "--matte", str(matte)])

    _, truth, _ = soft_disc()
    zones = np.asarray(Image.open(laid))
    assert code == 0
    assert set(np.unique(zones)) == {0, 128, 255}
    assert (zones[(truth > 0.05) & (truth < 0.95)] == 128).mean() > 0.97
    assert np.abs(imagecodecs.png_decode(matte.read_bytes()) / 65535 - truth).mean() < 0.01


def test_kinds_are_suggested_given_or_left_out(pair: tuple[Path, Path], mark: Path, tmp_path: Path) -> None:
    drawn, odd = tmp_path / "kinds.png", tmp_path / "odd.png"
    sheer = np.zeros((120, 160), np.uint8)
    sheer[:, 80:100] = 250
    Image.fromarray(sheer).save(drawn)
    Image.fromarray(np.full((120, 160), 77, np.uint8)).save(odd)
    laid = tmp_path / "laid.png"
    unsure = {}

    for kinds in ("suggested", "none", str(drawn)):
        assert main(["cut", str(pair[0]), "--mark", str(mark), "--laid", str(laid), "--kinds", kinds]) == 0
        unsure[kinds] = (np.asarray(Image.open(laid)) == 128).mean()
    refused = main(["cut", str(pair[0]), "--mark", str(mark), "--laid", str(laid), "--kinds", str(odd)])

    assert refused == 3
    assert unsure["none"] == unsure["suggested"] < 0.5
    assert unsure[str(drawn)] > unsure["none"] + 0.05


@pytest.mark.parametrize(
    ("recipe", "said"),
    [
        ('{"band": {"widht": 3}}', "names a setting that there is not: band.widht"),
        ('{"colour": {"clean": 7}}', "colour.clean"),
        ('{"band": {"lay": "wavy"}}', "band.lay"),
        ("[1, 2", "cannot be used"),
        ("[" * 5000, "cannot be used"),
    ],
)
def test_a_recipe_with_something_wrong_is_refused_by_name(
    pair: tuple[Path, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str], recipe: str, said: str
) -> None:
    path = tmp_path / "recipe.json"
    path.write_text(recipe)

    assert _cut(*pair, "--matte", str(tmp_path / "m.png"), "--recipe", str(path)) == 2

    assert said in capsys.readouterr().err
    assert not (tmp_path / "m.png").exists()


def test_a_recipe_says_how_the_band_is_laid_and_what_the_flat_picture_stands_on(
    pair: tuple[Path, Path], mark: Path, tmp_path: Path
) -> None:
    path, flat, laid = tmp_path / "recipe.json", tmp_path / "f.jpg", tmp_path / "laid.png"
    path.write_text('{"band": {"lay": "plain", "outward_px": 30}, "backing": {"kind": "colour", "colour": "#2050a0"}}')

    arguments = ["cut", str(pair[0]), "--mark", str(mark), "--recipe", str(path)]
    assert main([*arguments, "--flat", str(flat), "--laid", str(laid)]) == 0

    assert np.abs(np.asarray(Image.open(flat))[0, 0].astype(int) - (0x20, 0x50, 0xA0)).max() < 4
    assert (np.asarray(Image.open(laid)) == 128).mean() > 0.3


def test_zones_and_a_mark_exclude_each_other(pair: tuple[Path, Path], mark: Path, tmp_path: Path) -> None:
    assert _cut(*pair, "--mark", str(mark), "--matte", str(tmp_path / "m.png")) == 2
    assert main(["cut", str(pair[0]), "--matte", str(tmp_path / "m.png")]) == 2
    Image.fromarray(np.zeros((120, 160), np.uint8)).save(mark)
    assert main(["cut", str(pair[0]), "--mark", str(mark), "--matte", str(tmp_path / "m.png")]) == 3


def test_a_recipe_leaves_a_way_of_solving_out(pair: tuple[Path, Path], tmp_path: Path) -> None:
    mattes = {}
    for factor in (0, 1):
        recipe, matte = tmp_path / f"{factor}.json", tmp_path / f"{factor}.png"
        recipe.write_text(f'{{"solving": {{"denoising": {factor}}}}}')
        assert _cut(*pair, "--recipe", str(recipe), "--matte", str(matte)) == 0
        mattes[factor] = imagecodecs.png_decode(matte.read_bytes()) / 65535

    _, truth, _ = soft_disc()
    assert np.abs(mattes[1] - mattes[0]).max() > 1 / 255
    for matte in mattes.values():
        assert np.abs(matte - truth).mean() < 0.01


def test_a_recipe_shapes_the_edge(pair: tuple[Path, Path], tmp_path: Path) -> None:
    solid = {}
    for pull in (0, -4):
        recipe, matte = tmp_path / f"{pull}.json", tmp_path / f"{pull}.png"
        recipe.write_text(f'{{"finish": {{"everywhere": {{"pull_px": {pull}}}}}}}')
        assert _cut(*pair, "--recipe", str(recipe), "--matte", str(matte)) == 0
        solid[pull] = (imagecodecs.png_decode(matte.read_bytes()) > 32768).sum()

    pulled_in = np.sqrt(solid[0] / np.pi) - np.sqrt(solid[-4] / np.pi)
    assert abs(pulled_in - 4) < 0.5


def test_a_recipe_corrects_colours(pair: tuple[Path, Path], tmp_path: Path) -> None:
    cutouts = {}
    for name, colour in (
        ("as it is", "{}"),
        ("picked", '{"spill": {"hue": "#e08030", "protect": 0}, "spill_inside": 1}'),
    ):
        recipe, cutout = tmp_path / f"{name}.json", tmp_path / f"{name}.png"
        recipe.write_text(f'{{"colour": {colour}}}')
        assert _cut(*pair, "--recipe", str(recipe), "--cutout", str(cutout)) == 0
        cutouts[name] = np.asarray(Image.open(cutout)).astype(int)

    assert np.array_equal(cutouts["as it is"][..., 3], cutouts["picked"][..., 3])
    before, after = (cutouts[name][60, 80, :3] for name in ("as it is", "picked"))
    assert np.ptp(after) < 0.3 * np.ptp(before)


def test_colours_are_proposed_on_the_command_line_and_said(
    pair: tuple[Path, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    plain, proposed = tmp_path / "plain.png", tmp_path / "proposed.png"
    bare = tmp_path / "bare.json"
    bare.write_text(json.dumps({"colour": {"clean": 0.0, "roots": 0.0, "spill_edge": 0.0}}))

    assert _cut(*pair, "--recipe", str(bare), "--cutout", str(plain)) == 0
    assert _cut(*pair, "--recipe", str(bare), "--cutout", str(proposed), "--propose-colour") == 0
    said = capsys.readouterr().out
    assert _cut(*pair, "--recipe", str(bare), "--cutout", str(proposed), "--propose-colour", "--json") == 0
    found = json.loads(capsys.readouterr().out)["colour"]

    assert f"Spill: seen on {found['spill']['before'] * 100:.1f} % of the edge" in said
    assert found["spill"]["after"] < 0.5 * found["spill"]["before"]
    assert found["spill"]["way"] in said
    assert plain.read_bytes() != proposed.read_bytes()
    assert ("too far out" in said) == (found["rim"]["pull_px"] > 0)


def test_the_renderings_are_listed_with_their_figures(
    pair: tuple[Path, Path], capsys: pytest.CaptureFixture[str]
) -> None:
    photo, zones = pair

    code = main(["separations", str(photo), "--zones", str(zones), "--json"])

    listed = json.loads(capsys.readouterr().out)
    figures = [row["separability"] for row in listed["renderings"]]
    assert code == 0
    assert figures == sorted(figures, reverse=True)
    assert listed["renderings"][0]["rendering"] == "mix"
    assert {"low", "high", "weights", "clipped_detail"} <= listed["renderings"][0].keys()
    assert listed["keyable"]
    assert not listed["alike"]
    assert main(["separations", str(photo), "--zones", str(zones)]) == 0
    assert capsys.readouterr().out.splitlines()[0].endswith("mix")


def test_without_a_mark_the_renderings_are_ranked_by_how_they_part_the_photo_and_one_begins_the_cut(
    pair: tuple[Path, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    photo, _ = pair
    assert main(["separations", str(photo), "--json"]) == 0
    listed = json.loads(capsys.readouterr().out)["renderings"]
    assert len(listed) == 10
    assert all(row["separability"] > 0.8 for row in listed)

    code = main(["cut", str(photo), "--tone", "red:0.15:0.85", "--matte", str(tmp_path / "m.png")])

    _, truth, _ = soft_disc()
    solved = imagecodecs.png_decode((tmp_path / "m.png").read_bytes()) / 65535
    assert code == 0
    assert np.abs(solved - truth).mean() < 0.01


@pytest.mark.parametrize("tone", ["red:0.2", "ultraviolet", "red:a:b", "red:0.1:1e9", "mix", ""])
def test_a_tone_that_is_none_is_refused_with_the_names_of_those_that_are(
    pair: tuple[Path, Path], tmp_path: Path, tone: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["cut", str(pair[0]), "--tone", tone, "--matte", str(tmp_path / "m.png")]) == 2
    assert "lightness" in capsys.readouterr().err


def test_a_recipe_cuts_by_a_tone(pair: tuple[Path, Path], tmp_path: Path) -> None:
    recipe, matte = tmp_path / "recipe.json", tmp_path / "m.png"
    separation = {"use": "matte", "rendering": "red", "low": 0.15, "high": 0.85, "middle": 0.25}
    recipe.write_text(json.dumps({"separations": [separation]}))

    code = _cut(*pair, "--recipe", str(recipe), "--matte", str(matte))

    _, truth, _ = soft_disc()
    solved = imagecodecs.png_decode(matte.read_bytes()) / 65535
    assert code == 0
    assert np.abs(solved[truth == 0.5] - 0.5**0.5).max() < 0.02, "the middle was set to a quarter"


@pytest.mark.parametrize(
    "wrong", [{"rendering": "ultraviolet"}, {"low": 1e9}, {"weights": [0, 0, 0]}, {"colour": "#ffffff"}]
)
def test_a_separation_that_makes_no_sense_is_refused_by_name(
    pair: tuple[Path, Path], tmp_path: Path, wrong: dict[str, Any], capsys: pytest.CaptureFixture[str]
) -> None:
    recipe = tmp_path / "recipe.json"
    recipe.write_text(json.dumps({"separations": [wrong]}))

    code = _cut(*pair, "--recipe", str(recipe), "--matte", str(tmp_path / "m.png"))

    assert code == 2
    assert "separations.0" in capsys.readouterr().err


def test_every_command_without_a_window_is_run_as_one(monkeypatch: pytest.MonkeyPatch) -> None:
    ran: list[list[str]] = []
    monkeypatch.setattr("peel.cli.main", lambda given: ran.append(given) or 0)
    names = {command.name or command.callback.__name__ for command in app.registered_commands if command.callback}

    for name in names - {"window", "demo"}:
        assert start.main([name, "something"]) == 0

    assert sorted(given[0] for given in ran) == sorted(names - {"window", "demo"})


def test_the_first_command_that_computes_says_that_it_takes_longer(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    apart: list[bool] = []
    monkeypatch.setattr("peel.matte.warm.is_warm", lambda: bool(apart))
    monkeypatch.setattr("peel.matte.warm.warm_apart", lambda: apart.append(True))

    assert start.main(["cut", "--help"]) == 0
    assert start.main(["presets"]) == 0
    assert not apart
    for _ in range(2):
        start.main(["check", str(tmp_path / "none.peel")])

    assert len(apart) == 1
    assert capsys.readouterr().err.count("ready for the first time") == 1
