from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from peel.job.edits.marking import Stroke, paint_mark
from peel.job.edits.values import set_value
from peel.work.many.assignment import Assignment
from peel.work.session.session import Session


@pytest.fixture
def assignment() -> Iterator[Assignment]:
    made = Assignment(most_open=2)
    yield made
    made.close()


@pytest.fixture
def photos(tmp_path: Path) -> list[Path]:
    paths = []
    for number in range(3):
        pixels = np.full((90, 120, 3), 60 * (number + 1), np.uint8)
        pixels[20:70, 30:90] = 220 - 40 * number
        paths.append(tmp_path / f"photo-{number}.png")
        Image.fromarray(pixels).save(paths[-1])
    return paths


def _begin(assignment: Assignment, photo: Path) -> Session:
    return assignment.begin(photo.read_bytes(), photo).session


def _mark(session: Session) -> None:
    session.apply("Brush", lambda job: paint_mark(job, Stroke(((60.0, 45.0),), 25), subject=True))


def test_going_back_to_an_open_photo_is_the_same_session(assignment: Assignment, photos: list[Path]) -> None:
    first, second = _begin(assignment, photos[0]), _begin(assignment, photos[1])

    assert assignment.open_job(first.project.path).session is first
    assert assignment.sessions == [second, first]


def test_beyond_a_few_the_one_unused_longest_is_closed_with_all_on_disk(
    assignment: Assignment, photos: list[Path]
) -> None:
    first, second = _begin(assignment, photos[0]), _begin(assignment, photos[1])
    second.apply("Strength", lambda job: set_value(job, "recipe.colour.clean", 0.25))
    assignment.open_job(first.project.path)

    third = _begin(assignment, photos[2])

    assert assignment.sessions == [first, third]
    again = assignment.open_job(second.project.path).session
    assert again is not second
    assert again.job.settings.recipe.colour.clean == 0.25


def test_sessions_share_solving_and_memory_and_wait_only_for_themselves(
    assignment: Assignment, photos: list[Path]
) -> None:
    first, second = _begin(assignment, photos[0]), _begin(assignment, photos[1])
    assert first.stages.cache is second.stages.cache is assignment.resources.cache

    _mark(first)
    _mark(second)

    assert first.wait_idle(60)
    assert second.wait_idle(60)
    assert first.job.is_solved
    assert second.job.is_solved
    second.pause_solving()
    _mark(first)
    assert first.wait_idle(60)


def test_keeping_hands_over_to_the_new_file(assignment: Assignment, photos: list[Path], tmp_path: Path) -> None:
    session = _begin(assignment, photos[0])
    old = session.project.path

    assignment.keep_as(session, tmp_path / "kept.peel")

    assert not old.exists()
    assert assignment.source_of(session) == photos[0]
    assert assignment.open_job(tmp_path / "kept.peel").session is session
