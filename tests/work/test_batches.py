"""Many photos of one session: carried to, proposed, delivered in runs that go on, and handed to a moody client."""

import hashlib
import json
import os
import re
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image

from conftest import soft_disc
from peel.cli import main
from peel.demo.arriving import arrive, variant, write_variants
from peel.demo.client import DropOff
from peel.errors import Cancelled, DeliveryError, MarkError
from peel.files.project import ProjectFile
from peel.files.upload import upload
from peel.job.edits.marking import Stroke, looked_at, paint_mark
from peel.job.edits.values import set_value
from peel.job.job import Job, Photo, new_job
from peel.job.settings import Backing, Separation
from peel.matte.marking.framing import same_framing
from peel.work.many.batches import carry_job, jobs_in, load_job, photos_in, propose_job
from peel.work.many.carrying import carried, framing_of, preview
from peel.work.many.photo_jobs import job_path_for
from peel.work.many.runs import RunOrder, run
from peel.work.many.status import Progress, Status, read_status, status_of
from peel.work.separating.keying import key_photo
from peel.work.session.session import Session
from peel.work.solving.solve import solve_job

pytestmark = pytest.mark.slow


def _shifted(right: int, down: int, gain: float = 1.0, seed: int = 3) -> Photo:
    """A photo of a session: an orange disc on a textured wall, framed a little differently, with noise of its own."""
    rng = np.random.default_rng(7)
    wall = cv2.GaussianBlur(rng.random((400, 520, 3)).astype(np.float32), (0, 0), 3)
    wall = 0.3 + 1.2 * (wall - wall.mean())
    photo, alpha, _ = soft_disc(400, 520, 90)
    picture = alpha[..., None] * photo + (1 - alpha[..., None]) * wall
    part = picture[50 - down : 350 - down, 50 - right : 470 - right]
    noise = np.random.default_rng(seed).standard_normal(part.shape) * 0.01
    return Photo(f"shot-{right}-{down}.png", np.round(np.clip(part * gain + noise, 0, 1) * 255).astype(np.uint8))


def _marked(photo: Photo) -> Job:
    job = paint_mark(new_job(photo), Stroke(((210.0, 150.0), (230.0, 160.0)), 40.0), subject=True)
    return set_value(job, "recipe.backing", Backing(kind="colour", colour="#336699"))


@pytest.mark.parametrize(("right", "down"), [(0, 0), (17, -9), (-31, 22)])
def test_a_moved_framing_is_found(right: int, down: int) -> None:
    found = framing_of(_marked(_shifted(0, 0)), new_job(_shifted(right, down, 0.8, seed=9)))
    assert found.is_same
    assert (round(found.right), round(found.down)) == (right, down)


def test_another_picture_is_not_taken_for_a_moved_one() -> None:
    rng = np.random.default_rng(1)
    one, other = (cv2.GaussianBlur(rng.random((200, 300)).astype(np.float32), (0, 0), 2) for _ in range(2))
    assert not same_framing(one, other).is_same
    assert not framing_of(_marked(_shifted(0, 0)), new_job(Photo("small.png", np.zeros((9, 9, 3), np.uint8)))).is_same


def test_marks_follow_the_framing_and_the_recipe_comes_along() -> None:
    source, target = _marked(_shifted(0, 0)), new_job(_shifted(17, -9, 0.9, seed=5))
    source = source.with_photo_settings(ground=((10.0, 250.0), (300.0, 250.0)), wall_px=40.0)
    done = carried(source, target, "both")
    assert done.job.settings.photo.ground == ((27.0, 241.0), (317.0, 241.0))
    assert done.job.settings.photo.wall_px == 40
    assert "moved by 17, -9 px" in done.says
    assert np.array_equal(done.job.marks.read()[:291, 17:], source.marks.read()[9:, :-17])
    assert done.job.settings.recipe.backing.colour == "#336699"
    assert done.job.has_subject
    only = carried(source, target, "recipe")
    assert not only.job.has_subject
    assert only.says == "Carried recipe."
    strange = new_job(Photo("strange.png", np.random.default_rng(2).integers(0, 255, (300, 420, 3), np.uint8)))
    with pytest.raises(MarkError, match="framed differently"):
        carried(source, strange, "marks")
    both = carried(source, strange, "both")
    assert not both.job.has_subject
    assert "no marks" in both.says
    with pytest.raises(MarkError, match="Nothing is marked"):
        carried(new_job(_shifted(0, 0)), target, "marks")
    look = preview(done.job)
    assert look.shape[2] == 3
    assert look.std() > 5


def test_status_is_noted_and_read_without_the_job(tmp_path: Path, disc_file: Path) -> None:
    path = tmp_path / "disc.peel"
    assert propose_job(disc_file, path)
    assert read_status(path).progress is Progress.GUESS
    guess = load_job(path)
    assert status_of(guess).progress is Progress.GUESS
    assert status_of(looked_at(guess)).progress is Progress.SOLVED
    (tmp_path / "broken.peel").write_bytes(b"nothing")
    assert read_status(tmp_path / "broken.peel").progress is Progress.BROKEN
    assert Status.from_note("{").progress is Progress.UNTOUCHED
    assert Status.from_note('{"progress": "NOPE", "snags": 3}') == Status()
    assert status_of(new_job(_shifted(0, 0))).progress is Progress.UNTOUCHED


def test_a_guess_nobody_has_looked_at_is_left_out_until_somebody_has(
    tmp_path: Path, disc_file: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path, out = tmp_path / "disc.peel", tmp_path / "out"
    propose_job(disc_file, path)
    assert main(["deliver", str(path), "--to", str(out)]) == 1
    assert "nobody has looked at" in capsys.readouterr().err
    assert not list(out.glob("disc*"))

    session = Session.resume(ProjectFile.open(path))
    session.apply("Backing", lambda job: set_value(job, "recipe.backing.kind", "colour"))
    session.wait_idle()
    session.close()

    assert load_job(path).settings.photo.guess is None
    assert main(["deliver", str(path), "--to", str(out)]) == 0


def test_where_peel_cannot_tell_nothing_is_marked(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    noise = np.random.default_rng(5).integers(0, 256, (120, 160, 3)).astype(np.uint8)
    Image.fromarray(noise).save(tmp_path / "noise.png")

    assert main(["propose", str(tmp_path / "noise.png"), "--to", str(tmp_path)]) == 0

    assert "cannot tell" in capsys.readouterr().out
    assert not load_job(tmp_path / "noise.peel").has_subject
    assert main(["deliver", str(tmp_path / "noise.peel"), "--to", str(tmp_path / "out")]) == 3


def _before(backdrop: tuple[float, float, float], seed: int) -> Photo:
    """A gray disc before a plain backdrop."""
    _, alpha, _ = soft_disc(300, 420, 90)
    noise = np.random.default_rng(seed).normal(0, 0.01, (300, 420, 3))
    picture = alpha[..., None] * np.float32(0.55) + (1 - alpha[..., None]) * np.float32(backdrop) + noise
    return Photo(f"{seed}.png", np.round(np.clip(picture, 0, 1) * 255).astype(np.uint8))


def test_a_key_is_carried_only_before_the_same_backdrop() -> None:
    source = key_photo(new_job(_before((0.15, 0.3, 0.6), 1)), (12.0, 12.0), 0, Separation())
    assert source.settings.recipe.separations[0].rendering == "key"
    source = set_value(source, "recipe.band.trust", 0.9)

    same = carried(source, new_job(_before((0.17, 0.32, 0.63), 2)), "both")
    other = carried(source, new_job(_before((0.2, 0.55, 0.25), 3)), "both")

    assert same.job.settings.recipe.separations == source.settings.recipe.separations
    assert other.job.settings.recipe.separations == ()
    assert other.job.settings.recipe.band.trust == new_job(other.job.photo).settings.recipe.band.trust
    assert "the backdrop is another one" in other.says
    assert other.job.has_subject
    _, alpha, _ = soft_disc(300, 420, 90)
    for done in (same, other):
        matte = solve_job(done.job)[0].alpha(done.job.photo.bounds)
        assert np.abs(matte - alpha).mean() < 0.01
        assert done.job.settings.photo.is_unseen


@pytest.fixture(scope="module")
def session_of_six(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Six variants of two demo photos, small, one of them broken."""
    folder = tmp_path_factory.mktemp("session")
    paths = write_variants(folder, 6, names=("lamplighter", "tin-drummer"), scale=0.12)
    paths[5].write_bytes(paths[5].read_bytes()[:2000])
    return folder


def _steps_of(path: Path) -> list[str]:
    project = ProjectFile.open(path)
    labels = [state.label for state in project.history().states]
    project.close()
    return labels


def _last_json(text: str) -> list[dict]:
    return [json.loads(line) for line in text.splitlines() if line.startswith("{")]


def test_six_photos_by_command_line_one_of_them_broken(
    session_of_six: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    jobs, out = tmp_path / "jobs", tmp_path / "out"
    assert len(photos_in(session_of_six)) == 6
    assert main(["propose", str(session_of_six), "--to", str(jobs), "--json"]) == 3
    rows = _last_json(capsys.readouterr().out)
    assert sum("error" in row for row in rows) == 1
    assert len(jobs_in(jobs)) == 5
    assert not [path for path in jobs.iterdir() if path.name.endswith(".part")]
    before = {path.name: path.stat().st_mtime_ns for path in jobs_in(jobs)}
    main(["propose", str(session_of_six), "--to", str(jobs), "--resume"])
    assert main(["propose", str(session_of_six), "--to", str(jobs)]) == 3  # a job that is there is never replaced
    assert "already" in capsys.readouterr().err
    assert before == {path.name: path.stat().st_mtime_ns for path in jobs_in(jobs)}

    first = jobs / "lamplighter-01.peel"
    session = Session.resume(ProjectFile.open(first))
    session.apply("Backing", lambda job: set_value(job, "recipe.backing", Backing(kind="colour", colour="#aa2211")))
    session.wait_idle()
    session.close()
    others = [str(path) for path in jobs_in(jobs) if path.name.startswith("lamp") and path != first]
    assert main(["carry", str(first), *others, "--to", str(jobs), "--what", "both"]) == 0
    said = capsys.readouterr().out
    assert "Carried recipe" in said
    steps = {path: _steps_of(Path(path)) for path in others}
    own = _steps_of(first)
    assert main(["carry", str(first), str(jobs), "--to", str(jobs), "--resume"]) == 0  # the drummers are left
    assert capsys.readouterr().out.count("done before") == len(others)
    assert steps == {path: _steps_of(Path(path)) for path in others}
    lamps = [str(path) for path in photos_in(session_of_six) if path.name.startswith("lamplighter-01")]
    assert main(["carry", str(first), *lamps, "--to", str(jobs)]) == 2  # nothing is left to carry to: it is its own
    assert _steps_of(first) == own
    capsys.readouterr()
    for path in others:
        assert load_job(Path(path)).settings.recipe.backing.colour == "#aa2211"

    (jobs / "zz-broken.peel").write_bytes(b"SQLite format 3\0")
    asked = [
        "--preset",
        "Web, transparent",
        "--report",
        str(tmp_path / "r.json"),
        "--sheet",
        str(tmp_path / "sheet.html"),
    ]
    assert main(["deliver", str(jobs), "--to", str(out), "--unseen", *asked, "--json"]) == 3
    rows = _last_json(capsys.readouterr().out)
    assert len(rows) == 6
    assert sum(bool(row.get("error")) for row in rows) == 1
    files = {path.name: path.read_bytes() for path in out.glob("*.webp")}
    assert len(files) == 5
    page = (tmp_path / "sheet.html").read_text()
    assert page.count("data:image/jpeg;base64,") == 5
    assert not re.search(r'(src|href)="(?!data:)', page)
    assert len(json.loads((tmp_path / "r.json").read_text())["delivered"]) == 6

    times = {path.name: path.stat().st_mtime_ns for path in out.glob("*.webp")}
    (out / "lamplighter-01-web.webp").unlink()
    main(["deliver", str(jobs), "--to", str(out), "--unseen", *asked[:2], "--resume", "--json"])
    rows = _last_json(capsys.readouterr().out)
    assert sum(bool(row.get("skipped")) for row in rows) == 4
    again = {path.name: path.read_bytes() for path in out.glob("*.webp")}
    assert again == files  # same input, same bytes
    assert sum(path.stat().st_mtime_ns == times[path.name] for path in out.glob("*.webp")) == 4
    assert read_status(first).progress is Progress.DELIVERED


def test_two_workers_make_what_one_makes_and_a_killed_run_goes_on(session_of_six: Path, tmp_path: Path) -> None:
    jobs, one, two = tmp_path / "jobs", tmp_path / "one", tmp_path / "two"
    for photo in photos_in(session_of_six)[:4]:
        propose_job(photo, job_path_for(photo, jobs))
    main(["deliver", str(jobs), "--to", str(one), "--unseen", "--preset", "Matte, 16 bit"])
    wanted = {path.name: path.read_bytes() for path in one.glob("*.png")}
    assert len(wanted) == 4

    command = [
        sys.executable,
        "-m",
        "peel.cli",
        "deliver",
        str(jobs),
        "--unseen",
        "--to",
        str(two),
        "--preset",
        "Matte, 16 bit",
        "--jobs",
        "2",
    ]
    started = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True)
    end = time.monotonic() + 60
    while time.monotonic() < end and not list(two.glob("*.png")) and started.poll() is None:
        time.sleep(0.05)
    if started.poll() is None:
        os.killpg(started.pid, signal.SIGKILL)
    started.wait()
    for path in two.glob("*.png"):
        assert path.read_bytes() == wanted[path.name]  # whole, or not there
    assert subprocess.run([*command, "--resume"], check=False, capture_output=True).returncode == 0
    assert {path.name: path.read_bytes() for path in two.glob("*.png")} == wanted


def test_a_run_says_what_failed_and_can_be_stopped(tmp_path: Path, disc_file: Path) -> None:
    path = tmp_path / "disc.peel"
    propose_job(disc_file, path)
    Session.begin(disc_file, tmp_path / "empty.peel").close()
    jobs = [tmp_path / "gone.peel", path, tmp_path / "empty.peel"]
    rows = [row for _, row in run(jobs, RunOrder(str(tmp_path / "out"), unseen=True))]
    assert [bool(row.error) for row in rows] == [True, False, True]
    assert "no subject" in rows[2].error
    assert rows[1].snags_open is not None
    with pytest.raises(Cancelled):
        list(run([path], RunOrder(str(tmp_path / "other"), unseen=True), told=lambda _number, _share: False))
    assert not [*(tmp_path / "other").glob("*.*g")], "no picture was written"


def test_carrying_to_a_job_is_one_step_of_undo(tmp_path: Path) -> None:
    for name, photo in (("a", _shifted(0, 0)), ("b", _shifted(17, -9, seed=4))):
        Image.fromarray(photo.pixels).save(tmp_path / f"{name}.png")
    propose_job(tmp_path / "b.png", tmp_path / "b.peel")
    source = _marked(_shifted(0, 0))
    assert "moved" in carry_job(source, tmp_path / "b.peel", tmp_path / "b.peel", "both")
    session = Session.resume(ProjectFile.open(tmp_path / "b.peel"))
    assert session.history.undo_label == "Carry from shot-0-0.png"
    assert session.job.settings.recipe.backing.colour == "#336699"
    session.undo()
    session.wait_idle()
    assert session.job.settings.recipe.backing.kind == "nothing"
    session.close()


# the client and the camera


@pytest.fixture
def client(tmp_path: Path) -> Iterator[DropOff]:
    desk = DropOff(tmp_path / "client", moody=0.6, seed=4)
    thread = threading.Thread(target=desk.serve_forever, daemon=True)
    thread.start()
    yield desk
    desk.shutdown()
    desk.server_close()
    thread.join()


def test_a_moody_client_gets_every_file_whole(client: DropOff, tmp_path: Path) -> None:
    rng = np.random.default_rng(0)
    for number in range(12):
        path = tmp_path / f"file {number}.bin"
        path.write_bytes(rng.bytes(400_000 + 1000 * number))
        digest = upload(path, client.address, wait=lambda seconds: time.sleep(min(seconds, 0.25)))
        assert hashlib.sha256((client.folder / path.name).read_bytes()).hexdigest() == digest
    assert upload(path, client.address) == digest  # there already: nothing is sent
    assert not list(client.folder.glob("*.part"))


def test_a_client_that_is_not_there_is_said_in_a_sentence(tmp_path: Path) -> None:
    path = tmp_path / "a.bin"
    path.write_bytes(b"x")
    with pytest.raises(DeliveryError, match=r"did not take a.bin: the connection broke off"):
        upload(path, "http://127.0.0.1:9/order", wait=lambda _seconds: None)


def test_an_order_is_delivered_to_the_client(
    client: DropOff, tmp_path: Path, disc_file: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    client.moody = 0.3
    propose_job(disc_file, tmp_path / "disc.peel")
    assert main(["deliver", str(tmp_path / "disc.peel"), "--to", client.address, "--unseen"]) == 0
    assert sorted(path.name for path in client.folder.glob("disc*")) == [
        "disc-cutout.png",
        "disc-flat.jpg",
        "disc-matte.png",
    ]
    assert f"{client.address}/disc-matte.png" in capsys.readouterr().out
    main(["deliver", str(tmp_path / "disc.peel"), "--to", client.address, "--unseen", "--resume"])
    assert "as before" in capsys.readouterr().out


def test_photos_arrive_half_written_at_first(tmp_path: Path) -> None:
    arrive(tmp_path, 3, pause_s=0.02, scale=0.05)
    assert len(photos_in(tmp_path)) == 3
    one, other = variant("bramble", 0, 0.05), variant("bramble", 1, 0.05)
    assert one.shape == other.shape
    assert 0.5 < np.abs(one.astype(int) - other).mean() < 60


def test_two_workers_propose_and_carry_as_one_does(session_of_six: Path, tmp_path: Path) -> None:
    photos = [path for path in photos_in(session_of_six) if path.name.startswith("lamp")][:4]
    one, two = tmp_path / "one", tmp_path / "two"
    for to, workers in ((one, "1"), (two, "2")):
        assert main(["propose", str(photos[0]), "--to", str(to)]) == 0
        first = job_path_for(photos[0], to)
        broken = to / "broken.jpg"
        broken.write_bytes(b"none")
        listed = [str(path) for path in (*photos[1:], broken)]
        assert main(["carry", str(first), *listed, "--to", str(to), "--jobs", workers]) == 3
    assert [path.name for path in jobs_in(one)] == [path.name for path in jobs_in(two)]
    for path in jobs_in(one):
        mattes = [load_job(own).matte.read().astype(int) for own in (path, two / path.name)]
        assert np.abs(mattes[0] - mattes[1]).max() == 0, path.name
