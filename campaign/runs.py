"""Kill runs that propose, carry and deliver with two workers; going on must finish them, once each, and leave nothing."""

import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from PIL import Image

from campaign.made import picture
from peel.errors import PeelError
from peel.files.project import ProjectFile

__all__ = ["run"]

ROUNDS = 2  # of six kills each
_PHOTOS = 4
_MOST_S = 12.0  # until a run is killed


def run(seed: int) -> list[str]:
    """Run the rounds; give the figures."""
    kills, faults = 0, []
    for number in range(ROUNDS):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            found = _round(folder, random.Random(seed * 1000 + number))
            kills += 6
            faults += found
    return [
        *(f"BROKEN {fault}" for fault in faults[:10]),
        f"{'BROKEN ' if faults else ''}{kills} runs of two workers killed and gone on with, {len(faults)} faults",
    ]


def _round(folder: Path, rng: random.Random) -> list[str]:
    photos, jobs, out = (folder / part for part in ("photos", "jobs", "out"))
    photos.mkdir()
    for number in range(_PHOTOS):
        Image.fromarray(np.roll(picture(300, 420), 5 * number, axis=1)).save(photos / f"p{number}.png")
    environment = os.environ | {"XDG_STATE_HOME": str(folder / "state"), "TMPDIR": str(folder / "tmp")}
    (folder / "tmp").mkdir()
    number_preset = folder / "numbered.json"
    number_preset.write_text('{"product": "flat", "format": "jpeg", "existing": "number", "name": "numbered"}')
    lines = [
        ["propose", str(photos), "--to", str(jobs)],
        ["carry", str(jobs / "p0.peel"), str(photos), "--to", str(jobs)],
        ["deliver", str(jobs), "--to", str(out), "--preset", str(number_preset), "--unseen"],
    ]
    faults = []
    for line in lines:
        _killed([*line, "--jobs", "2"], environment, rng)
        _killed([*line, "--jobs", "2", "--resume"], environment, rng)
        done = _peel([*line, "--jobs", "2", "--resume"], environment)
        if done.returncode != 0:
            faults.append(f"{line[0]} did not go on: {done.stderr[-200:]!r}")
        faults += [f"{path.name} cannot be read after {line[0]}" for path in jobs.glob("*.peel") if not _is_whole(path)]
    names = sorted(path.name for path in out.glob("*") if path.is_file())
    if names != [f"p{number}-flat.jpg" for number in range(_PHOTOS)]:
        faults.append(f"delivered were {names}")
    left = [str(path.relative_to(folder)) for path in folder.rglob("*.part*")] + [
        path.name for path in (folder / "tmp").glob("peel-*") if not path.name.startswith("peel-kernels")
    ]
    return faults + [f"left behind: {path}" for path in left]


def _peel(line: list[str], environment: dict[str, str]) -> "subprocess.CompletedProcess[str]":
    return subprocess.run(
        [sys.executable, "-m", "peel", *line], env=environment, capture_output=True, text=True, timeout=300, check=False
    )


def _killed(line: list[str], environment: dict[str, str], rng: random.Random) -> None:
    """Begin a run, and kill it with its workers after a while."""
    with subprocess.Popen(
        [sys.executable, "-m", "peel", *line],
        env=environment,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
        start_new_session=True,
    ) as process:
        end = time.monotonic() + rng.uniform(1.5, _MOST_S)
        while process.poll() is None and time.monotonic() < end:
            time.sleep(0.02)
        os.killpg(process.pid, signal.SIGKILL)


def _is_whole(path: Path) -> bool:
    try:
        project = ProjectFile.open(path)
    except PeelError:
        return False
    try:
        project.load(project.history().current.number, project.read_photo())
    except PeelError:
        return False
    finally:
        project.close()
    return True
