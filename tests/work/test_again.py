"""An area solved in other ways."""

import numpy as np
import pytest

from conftest import soft_disc
from peel.errors import MarkError
from peel.job.edits.kinds import said as said_code
from peel.job.edits.values import use_zones
from peel.job.job import Job, Photo, new_job
from peel.matte.edge.kind import Kind
from peel.work.solving.again import answer, ways_of, window_of
from peel.work.solving.solve import solve_job
from peel.work.stages import Cache, Stages

AREA = ((240, 90), (360, 90), (360, 210), (240, 210))


def _job() -> Job:
    photo, _, zones = soft_disc(300, 420, 90)
    job = new_job(Photo("disc.png", np.round(photo * 255).astype(np.uint8)))
    return solve_job(use_zones(job.with_recipe(band={"lay": "plain", "kinds": "none"}), zones))[0]


def test_four_ways_are_offered_and_each_changes_only_the_area() -> None:
    job = _job()
    before = job.alpha(job.photo.bounds)

    ways = ways_of(job, AREA)

    assert [way.name for way in ways] == ["as strand", "as hard", "pulled by its best mix", "cut by tone"]
    for way in ways:
        after = solve_job(way.edit(job))[0]
        assert after.is_solved
        assert np.abs(after.alpha(job.photo.bounds)[:, :150] - before[:, :150]).max() < 0.02, way.name
    said = ways[1].edit(job).kinds.read()
    assert said[150, 300] == said_code(Kind.HARD)
    assert said[150, 100] == 0


def test_an_answer_is_the_area_on_white() -> None:
    job = _job()
    window = window_of(job, AREA)

    found = answer(Stages(job.photo, Cache(8_000_000)), job, ways_of(job, AREA)[3], window)

    assert found.picture.shape == (window.height, window.width, 3)
    assert (found.picture[2, -2] > 250).all()


def test_an_area_without_a_band_is_explained() -> None:
    with pytest.raises(MarkError, match="no unsure band"):
        ways_of(_job(), ((2, 2), (30, 2), (30, 30)))
