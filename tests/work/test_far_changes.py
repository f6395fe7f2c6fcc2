"""What a stroke changed far off is found, shown and taken back."""

import numpy as np

from peel.job.edits.marking import Stroke, Zone, mark_region, narrow_band, paint_zone
from peel.job.job import Job
from peel.matte.edge.zones import FOREGROUND, UNKNOWN
from peel.work.inspecting.far_changes import far_change, without_far


def _marked(job: Job) -> Job:
    rows, columns = np.mgrid[:300, :420]
    return mark_region(job, np.hypot(rows - 150, columns - 210) < 90, Zone.SUBJECT)


def test_a_local_stroke_changes_nothing_far_off(disc_job: Job) -> None:
    before = _marked(disc_job)
    stroke = Stroke(((300.0, 140.0), (300.0, 160.0)), 8.0)

    after = paint_zone(before, stroke, Zone.UNSURE)

    assert after.zones.read()[150, 308] == UNKNOWN
    assert far_change(before, after, stroke.points, 10.0) is None


def test_what_changed_far_off_is_counted_shown_and_taken_back(disc_job: Job) -> None:
    before = _marked(disc_job)
    after = paint_zone(before, Stroke(((60.0, 60.0), (210.0, 150.0)), 12.0), Zone.UNSURE)

    change = far_change(before, after, ((210.0, 150.0),), 20.0)

    assert change is not None
    changed = after.zones.read() != before.zones.read()
    far = np.hypot(*(np.mgrid[:300, :420] - np.array([150, 210])[:, None, None])) > 22
    assert changed[far].sum() <= change.count <= changed.sum()
    assert change.shown(4)[60 // 4, 60 // 4]
    kept = without_far(after, change)
    assert np.array_equal(kept.zones.read()[far], before.zones.read()[far])
    assert kept.zones.read()[150, 210] == UNKNOWN


def test_the_band_narrows_step_by_step_under_the_stroke_only(disc_job: Job) -> None:
    before = _marked(disc_job)
    widened = paint_zone(before, Stroke(((270.0, 150.0),), 20.0), Zone.UNSURE)
    stroke = Stroke(((270.0, 150.0), (300.0, 150.0)), 6.0)

    once = narrow_band(widened, stroke)
    twice = narrow_band(once, stroke)

    assert (once.zones.read() == UNKNOWN).sum() < (widened.zones.read() == UNKNOWN).sum()
    assert twice.zones.read()[150, 297] == FOREGROUND
    untouched = np.ones((300, 420), bool)
    untouched[143:158, 263:308] = False
    assert np.array_equal(twice.zones.read()[untouched], widened.zones.read()[untouched])
