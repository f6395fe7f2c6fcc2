import numpy as np
import pytest

from peel.job.edits import contours, marking
from peel.job.edits.marking import Stroke, Zone, clear_marks, without_marks
from peel.job.job import Job
from peel.job.plane import Plane
from peel.job.planes import PLANES, PlaneSpec, Role
from peel.matte.edge.kind import Kind
from peel.matte.edge.zones import BACKGROUND, FOREGROUND, UNKNOWN


def test_an_absent_plane_holds_its_default_and_is_one_object(disc_job: Job) -> None:
    assert disc_job.planes == {}
    for name, spec in PLANES.items():
        plane = getattr(disc_job, name)
        assert plane is getattr(disc_job, name)
        assert (plane.dtype, plane.constant_in(plane.bounds)) == (spec.dtype, spec.default)


def test_what_is_not_in_the_table_is_no_plane(disc_job: Job) -> None:
    with pytest.raises(AttributeError, match="no shadow"):
        disc_job.shadow  # noqa: B018 - the look-up is what fails
    with pytest.raises(KeyError):
        disc_job.with_planes(shadow=disc_job.zones)


@pytest.mark.parametrize(
    ("name", "legal", "illegal"),
    [
        ("marks", [0, 1, 2], [3, 255]),
        ("corrections", [0, 3], [4]),
        ("zones", [BACKGROUND, UNKNOWN, FOREGROUND], [1, 127]),
        ("unsolved", [0, 1], [2]),
        ("outline", [0, 17, 255], []),
    ],
)
def test_the_table_knows_what_is_legal(name: str, legal: list[int], illegal: list[int]) -> None:
    spec = PLANES[name]
    assert spec.allows(np.array(legal, np.uint8))
    assert not spec.allows(np.array(legal, np.uint16))
    for code in illegal:
        assert not spec.allows(np.array([*legal, code], np.uint8))


def test_clearing_resets_every_mark_by_role_one_that_was_added_later_too(
    disc_job: Job, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setitem(PLANES, "kinds", PlaneSpec("kinds", np.dtype(np.uint8), frozenset({0, 1}), 0, Role.MARK))
    monkeypatch.setitem(PLANES, "kept", PlaneSpec("kept", np.dtype(np.uint8), None, 9, Role.SOLUTION))
    job = marking.paint_mark(disc_job, Stroke(((200, 150),), 60), subject=True)
    job = marking.paint_kind(job, Stroke(((260, 150),), 20), Kind.HARD)
    ones = Plane.filled(job.photo.height, job.photo.width, 1)
    job = job.with_planes(kinds=ones, kept=ones)

    bare = clear_marks(job)

    assert bare.planes == {}
    assert not bare.has_subject
    assert bare.kinds.constant_in(bare.photo.bounds) == 0
    assert bare.kept.constant_in(bare.photo.bounds) == 9


def test_roles_are_reset_alone(disc_job: Job) -> None:
    job = marking.paint_zone(disc_job, Stroke(((200, 150),), 40), Zone.SUBJECT)

    assert set(job.without(Role.SOLUTION).planes) == {"corrections", "zones"}
    assert set(job.without(Role.MARK).planes) >= {"zones", "matte"}


def test_a_job_without_marks_keeps_its_recipe(disc_job: Job) -> None:
    job = disc_job.with_recipe(colour={"clean": 0.3})
    job = contours.add_node(job, contours.Node(at=(3.0, 4.0)))

    bare = without_marks(job)

    assert bare.settings.photo.contours == ()
    assert bare.settings.recipe.colour.clean == 0.3
