"""Peel is killed at random moments of a scripted session; every committed edit is found again."""

import random
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest

from peel.files.photo import decode_photo
from peel.files.project import ProjectFile
from peel.job.planes import PLANES

_SCRIPT = """
import random, sys
from pathlib import Path
from peel.job.edits import marking
from peel.job.edits.marking import Stroke, Zone
from peel.work.session.session_events import Stored
from peel.work.session.session import Session

session = Session.begin(Path(sys.argv[1]), Path(sys.argv[2]))
rng = random.Random(int(sys.argv[3]))

def told(news):
    if isinstance(news, Stored) and news.is_complete:
        numbers = [state.number for state in session.history.states]
        print(len([number for number in numbers if number > 0]), flush=True)

session.listen(told)
for step in range(400):
    spots = tuple((rng.uniform(0, 420), rng.uniform(0, 300)) for _ in range(3))
    stroke = Stroke(spots, rng.uniform(5, 30))
    kind = rng.choice(["mark", "unmark", "unsure", "certain"])
    if kind in ("mark", "unmark"):
        session.apply(f"{step}", lambda job, s=stroke, k=kind: marking.paint_mark(job, s, subject=k == "mark"))
    else:
        zone = Zone.UNSURE if kind == "unsure" else Zone.SUBJECT
        session.apply(f"{step}", lambda job, s=stroke, z=zone: marking.paint_zone(job, s, z))
    if step % 4 == 0:
        session.wait_idle()
"""


@pytest.mark.parametrize("seed", range(5))
def test_every_committed_edit_is_found_again(disc_file: Path, tmp_path: Path, seed: int) -> None:
    job_file = tmp_path / "disc.peel"
    arguments = [sys.executable, "-c", _SCRIPT, str(disc_file), str(job_file), str(seed)]
    with subprocess.Popen(arguments, stdout=subprocess.PIPE, text=True) as process:
        assert process.stdout is not None
        rng = random.Random(seed)
        committed = 0
        for _ in range(rng.randrange(2, 25)):
            committed = int(process.stdout.readline())
        time.sleep(rng.uniform(0, 0.05))
        process.send_signal(signal.SIGKILL)
        rest = process.stdout.read().split()
    committed = max([committed, *(int(line) for line in rest[:-1])])

    project = ProjectFile.open(job_file)

    history = project.history()
    photo = decode_photo(project.photo()[1], "disc.png")
    assert len(history.states) >= committed
    assert history.cursor == len(history.states) - 1
    labels = [int(state.label) for state in history.states[1:]]
    assert labels == sorted(labels)
    for state in history.states:
        job = project.load(state.number, photo)
        zones, matte = job.zones.read(), job.matte.read()
        assert (matte[zones == 255] == 65535).all()
        assert (matte[zones == 0] == 0).all()
        assert all(getattr(job, name).bounds == photo.bounds for name in PLANES)
    assert np.isin(zones, (0, 128, 255)).all()
    project.close()
