"""The views that show one number a pixel: the matte, faint values, residue."""

import numpy as np

from conftest import soft_disc
from peel.job.edits.values import use_zones, with_matte
from peel.job.job import Job, Photo, new_job
from peel.matte.inspect.residue import clean_backdrop, residue
from peel.work.stages import Cache, Stages
from peel.work.views import Look, View, render


def _job(alpha: np.ndarray) -> Job:
    photo, _, zones = soft_disc(300, 420, 90)
    job = use_zones(new_job(Photo("disc.png", np.round(photo * 255).astype(np.uint8))), zones)
    return with_matte(job, job.photo.bounds, alpha)


def _shown(job: Job, view: View) -> np.ndarray:
    return render(Stages(job.photo, Cache(8_000_000)), job, view, job.photo.bounds, 0)[..., 0].astype(int)


def test_faint_leaves_clear_black_and_solid_white_and_makes_plain_what_is_nearly_so() -> None:
    _, alpha, _ = soft_disc(300, 420, 90)
    alpha[150, 210], alpha[20, 20], alpha[20, 40] = 0.99, 0.01, 0.002

    shown = _shown(_job(alpha), View.FAINT)

    assert shown[30, 30] == 0
    assert shown[150, 200] == 255
    assert shown[20, 20] > 35
    assert shown[20, 40] > 6
    assert shown[150, 210] < 220
    assert _shown(_job(alpha), View.MATTE)[20, 20] == 3


def test_residue_is_dark_for_the_truth_and_lights_up_where_the_matte_is_wrong() -> None:
    _, alpha, _ = soft_disc(300, 420, 90)
    wrong = alpha.copy()
    wrong[140:160, 60:80] = 0.5  # backdrop, said to be half subject
    wrong[145:155, 205:215] = 0.4  # subject, said to be half clear

    true_one, wrong_one = _shown(_job(alpha), View.RESIDUE), _shown(_job(wrong), View.RESIDUE)

    assert np.percentile(true_one, 99) < 40
    assert wrong_one[145:155, 205:215].mean() > 3 * max(true_one.mean(), 1)


def test_the_clean_backdrop_is_the_photo_where_it_is_clear_and_carried_on_where_it_is_not() -> None:
    photo, alpha, _ = soft_disc(300, 420, 90)

    behind = clean_backdrop(photo, alpha)

    assert np.array_equal(behind[alpha == 0], photo[alpha == 0])
    rim = (alpha > 0) & (alpha < 0.9)
    assert np.abs(behind[rim] - photo[0, 0]).max() < 0.02


def test_there_is_no_residue_where_nothing_clear_is_near_or_all_is_clear() -> None:
    rng = np.random.default_rng(6)
    photo = rng.uniform(0, 1, (60, 80, 3)).astype(np.float32)

    solid = residue(photo, photo, np.ones((60, 80), np.float32))
    clear = residue(photo, photo * 0, np.zeros((60, 80), np.float32))

    assert solid.max() < 1e-6
    assert clear.max() < 1e-6


def test_changed_shows_what_was_added_light_and_what_was_taken_in_another_hue() -> None:
    _, alpha, _ = soft_disc(300, 420, 90)
    after = alpha.copy()
    after[20:30, 20:30], after[148:152, 208:212] = 1.0, 0.0
    before, now = _job(alpha), _job(after)
    stages = Stages(now.photo, Cache(8_000_000))

    shown = render(stages, now, View.CHANGED, now.photo.bounds, 0, Look(before=before)).astype(int)

    assert (shown[25, 25] > 200).all()
    assert shown[150, 210, 0] > 100 > shown[150, 210, 2]
    assert shown[50, 50].max() == 0
    assert np.ptp(shown[150, 180]) == 0
