"""Kill a process that edits, keeps and runs out of disk, at random moments; nothing reported as stored may be lost."""

import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from PIL import Image

from campaign.made import picture
from peel.errors import PeelError
from peel.files.photo import decode_photo
from peel.files.project import ProjectFile

__all__ = ["run"]

ROUNDS = 60


def run(seed: int) -> list[str]:
    """Run the rounds; give the figures."""
    lost = wrong = stored = intruded = 0
    with ThreadPoolExecutor(3) as pool:  # a round mostly waits for its process
        for found in pool.map(_round_apart, range(seed * 1000, seed * 1000 + ROUNDS)):
            lost, wrong, stored, intruded = lost + found[0], wrong + found[1], stored + found[2], intruded + found[3]
    return [
        _line(lost == 0, f"{ROUNDS} kills, {stored} edits reported as stored, {lost} of them lost"),
        _line(wrong == 0, f"{wrong} files that could not be opened after a kill"),
        _line(intruded == 0, f"{intruded} times that a second process could open a job in use"),
    ]


def _line(holds: bool, words: str) -> str:
    return words if holds else f"BROKEN {words}"


def _round_apart(seed: int) -> tuple[int, int, int, int]:
    with tempfile.TemporaryDirectory() as folder:
        return _round(Path(folder), seed)


def _round(folder: Path, seed: int) -> tuple[int, int, int, int]:
    photo, path = folder / "disc.png", folder / "disc.peel"
    Image.fromarray(picture()).save(photo)
    rng = random.Random(seed)
    arguments = [sys.executable, "-m", "campaign.editing", str(photo), str(path), str(seed)]
    with subprocess.Popen(arguments, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True) as process:
        assert process.stdout is not None
        lines = [process.stdout.readline() for _ in range(rng.randrange(4, 60))]
        intruded = _intrude(process.pid) if rng.random() < 0.4 else 0
        time.sleep(rng.uniform(0, 0.3))
        process.send_signal(signal.SIGKILL)
        rest = process.stdout.read().splitlines(keepends=True)
    complete = [line for line in [*lines, *rest] if line.endswith("\n")]
    if not complete:
        return 0, 0, 0, intruded
    name, count, last = complete[-1].split()
    # the file may have been handed over between the last report and the kill
    candidates = [Path(name), *sorted(folder.glob("*.peel"), key=lambda file: -file.stat().st_mtime)]
    most, readable = 0, False
    for candidate in candidates:
        labels = _labels(candidate)
        readable = readable or labels is not None
        if labels and last in labels:
            most = max(most, labels.index(last) + 1)
    return max(int(count) - most, 0), int(not readable), int(count), intruded


def _intrude(pid: int) -> int:
    """Stop a process, and try to open the job that it has open; that must be refused."""
    os.kill(pid, signal.SIGSTOP)
    try:
        opened = (str(link.readlink()) for link in Path(f"/proc/{pid}/fd").iterdir())
        used = [path for path in opened if path.endswith(".peel")]
        return sum(_opens(path) for path in used[-1:])
    finally:
        os.kill(pid, signal.SIGCONT)


def _opens(path: str) -> bool:
    script = f"from pathlib import Path\nfrom peel.files.project import ProjectFile\nProjectFile.open(Path({path!r}))"
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, timeout=60, check=False)
    return done.returncode == 0


def _labels(path: Path) -> list[str] | None:
    """Open a job as Peel does, read every state, and give their labels."""
    try:
        project = ProjectFile.open(path)
    except PeelError:
        return None
    try:
        name, content = project.photo()
        photo = decode_photo(content, name)
        states = project.history().states
        for state in states[-3:]:
            project.load(state.number, photo)
        return [state.label for state in states]
    except PeelError:
        return None
    finally:
        project.close()
