"""Strands that are pointed out: followed, taken, on the command line, and from odd files."""

import json
from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image

from peel.cli import main
from peel.errors import MarkError, PhotoError
from peel.job.edits.touching import release_all
from peel.job.edits.values import use_zones
from peel.job.job import Job, Photo, new_job
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN
from peel.work.marking.strands import another_way, follow_strand, follow_strands, strand_through, take_strand
from peel.work.solving.solve import solve_job
from peel.work.stages import Pyramid, Stages

_WALL, _DARK = (196, 188, 170), (40, 34, 30)


def _photo(*, gap: bool = False, crossed: bool = False) -> np.ndarray:
    """A dark body, and a whisker from (200, 235) to (260, 40)."""
    photo = np.full((300, 400, 3), _WALL, np.uint8)
    photo[230:] = _DARK
    cv2.line(photo, (200, 235), (260, 40), _DARK, 2, cv2.LINE_AA)
    if gap:
        cv2.circle(photo, (230, 137), 5, _WALL, -1)
    if crossed:
        cv2.line(photo, (180, 100), (330, 150), _DARK, 2, cv2.LINE_AA)
    rng = np.random.default_rng(2)
    return np.clip(photo + rng.normal(0, 3, photo.shape), 0, 255).astype(np.uint8)


def _zones() -> np.ndarray:
    zones = np.full((300, 400), BACKGROUND, np.uint8)
    zones[222:240], zones[240:] = UNKNOWN, FOREGROUND
    return zones


def _job(photo: np.ndarray) -> Job:
    return solve_job(use_zones(new_job(Photo("whisker", photo)), _zones()))[0]


@pytest.mark.parametrize("photo", [_photo(), _photo(gap=True), _photo(crossed=True)], ids=["plain", "gap", "crossed"])
def test_it_is_followed_from_root_to_tip_wherever_it_is_pressed(photo: np.ndarray) -> None:
    job, pyramid = _job(photo), Pyramid(photo)
    for at in ((204.0, 222.0), (243.0, 95.0)):
        strand = follow_strand(pyramid, job, at)
        assert np.hypot(*(strand.points[-1] - (260, 40))) < 8
        assert strand.points[0][1] > 215
        away = np.abs((strand.points[:, 0] - 200) * 195 + (strand.points[:, 1] - 235) * 60) / np.hypot(195, 60)
        assert np.median(away) < 1
        assert away.max() < 3


def test_its_alpha_is_that_of_a_line_and_is_released_like_a_touch_up() -> None:
    photo = _photo()
    job, pyramid = _job(photo), Pyramid(photo)
    before = Stages(job.photo).alpha(job, job.photo.bounds, 0)
    taken = solve_job(take_strand(pyramid, job, follow_strand(pyramid, job, (204, 222))))[0]
    stages = Stages(taken.photo)
    after = stages.alpha(taken, taken.photo.bounds, 0)
    across = after[60:200].sum(axis=1)
    assert np.median(across) == pytest.approx(2.4, abs=0.8)  # as wide as it was drawn
    assert across.std() < 0.5
    assert np.abs(after - before)[245:].max() < 0.01  # the subject is as it was
    assert after[60:200, :190].max() < 0.02
    released = solve_job(release_all(taken, "other version"))[0]
    assert released.borrowed_weight.constant_in(released.photo.bounds) == 0


def test_a_strand_that_runs_out_of_the_frame_ends_there() -> None:
    photo = np.full((300, 400, 3), _WALL, np.uint8)
    photo[230:] = _DARK
    cv2.line(photo, (200, 235), (230, -20), _DARK, 2, cv2.LINE_AA)
    strand = follow_strand(Pyramid(photo), _job(photo), (204, 200))
    assert strand.points[-1][1] < 8
    assert (strand.points >= 0).all()


def test_what_cannot_be_followed_is_said() -> None:
    photo = _photo()
    job, pyramid = _job(photo), Pyramid(photo)
    with pytest.raises(MarkError, match="No strand stands out"):
        follow_strand(pyramid, job, (80, 100))
    with pytest.raises(MarkError, match="certain subject"):
        follow_strand(pyramid, job, (80, 280))
    with pytest.raises(MarkError, match="outside the photo"):
        follow_strand(pyramid, job, (-20, 4000))
    with pytest.raises(MarkError, match="outside the photo"):
        strand_through(pyramid, job, [(5000, 5000), (5100, 5000)])
    with pytest.raises(MarkError, match="Nothing is marked"):
        follow_strand(pyramid, new_job(job.photo), (204, 222))


def test_the_same_way_twice_is_no_other_way() -> None:
    photo = _photo()
    job, pyramid = _job(photo), Pyramid(photo)
    first = follow_strand(pyramid, job, (204, 222))
    assert another_way(first, [])
    assert not another_way(follow_strand(pyramid, job, (206, 215)), [first])


def test_a_path_is_moved_to_the_strand() -> None:
    photo = _photo()
    job, pyramid = _job(photo), Pyramid(photo)
    (strand,) = follow_strands(pyramid, job, [[(203, 233), (232, 138), (262, 42)]])
    away = np.abs((strand.points[:, 0] - 200) * 195 + (strand.points[:, 1] - 235) * 60) / np.hypot(195, 60)
    assert np.median(away) < 0.8


def test_which_strand_of_a_file_is_not_there_is_said() -> None:
    photo = _photo()
    with pytest.raises(PhotoError, match="Strand 2, at 80, 100: No strand stands out"):
        follow_strands(Pyramid(photo), _job(photo), [[(204, 222)], [(80, 100)]])


def test_on_the_command_line(tmp_path: Path) -> None:
    photo, zones, strands = (tmp_path / name for name in ("photo.png", "zones.png", "strands.json"))
    Image.fromarray(_photo()).save(photo)
    Image.fromarray(_zones()).save(zones)
    strands.write_text(json.dumps({"strands": [[[204, 222]]]}))
    plain, followed, less = (tmp_path / f"{name}.png" for name in ("plain", "followed", "less"))
    common = ["cut", str(photo), "--zones", str(zones), "--matte"]
    assert main([*common, str(plain)]) == 0
    assert main([*common, str(followed), "--strands", str(strands)]) == 0
    assert main([*common, str(less), "--strands", str(strands), "--shortest-hair", "4000"]) == 0
    rows = [np.asarray(Image.open(path))[60:200].max(axis=1).min() for path in (plain, followed, less)]
    assert rows[0] < 0.05 * 65535 < 0.6 * 65535 < rows[1]
    assert rows[2] > 0.6 * 65535  # what was pointed out stays


@pytest.mark.parametrize(
    "content", ["", "[", "{}", "3", '[["a", 1]]', "[[[1, 2, 3]]]", "[[]]", "[[[1e400, 2]]]", '{"strands": null}']
)
def test_a_file_without_strands_is_refused_in_a_sentence(
    tmp_path: Path, content: str, capsys: pytest.CaptureFixture[str]
) -> None:
    photo, zones, strands = (tmp_path / name for name in ("photo.png", "zones.png", "strands.json"))
    Image.fromarray(_photo()).save(photo)
    Image.fromarray(_zones()).save(zones)
    strands.write_text(content)
    out = tmp_path / "matte.png"
    assert main(["cut", str(photo), "--zones", str(zones), "--matte", str(out), "--strands", str(strands)]) != 0
    assert "strands.json" in capsys.readouterr().err
    assert not out.exists()
