"""The guide's recipes for GNU parallel and Slurm, run as they stand there; skipped where the programs are missing."""

import os
import re
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from peel.demo.arriving import write_variants
from peel.files.project import ProjectFile
from peel.work.many.batches import jobs_in, photos_in

pytestmark = pytest.mark.slow

ROOT = Path(__file__).parents[2]
RECIPES = re.findall(r"```\n(.*?)```", (ROOT / "docs" / "guide" / "board.md").read_text(), flags=re.DOTALL)
SLURM = ("munged", "slurmctld", "slurmd", "sbatch", "squeue", "scontrol")
MANY = 40
CONFIGURATION = """
ClusterName=peel
SlurmctldHost={host}(127.0.0.1)
SlurmUser={user}
SlurmdUser={user}
SlurmctldPort=17002
AuthType=auth/munge
AuthInfo=socket={folder}/munge.sock
StateSaveLocation={folder}/state
SlurmdSpoolDir={folder}/spool-%n
SlurmctldPidFile={folder}/controller.pid
SlurmdPidFile={folder}/%n.pid
SlurmctldLogFile={folder}/controller.log
SlurmdLogFile={folder}/%n.log
ProctrackType=proctrack/linuxproc
TaskPlugin=task/none
JobAcctGatherType=jobacct_gather/none
SelectType=select/cons_tres
SelectTypeParameters=CR_Core
MpiDefault=none
NodeName=one NodeHostname={host} NodeAddr=127.0.0.1 Port=17003 CPUs=2 RealMemory=5000
NodeName=two NodeHostname={host} NodeAddr=127.0.0.1 Port=17004 CPUs=2 RealMemory=5000
PartitionName=all Nodes=ALL Default=YES State=UP
"""


def _recipe(word: str) -> str:
    (found,) = (text for text in RECIPES if word in text)
    return found


def _environment(folder: Path) -> dict[str, str]:
    """Return one where `peel` is this one, and where the programs of a scheduler are found."""
    return {
        **os.environ,
        "PATH": f"{Path(sys.executable).parent}:{os.environ['PATH']}:/usr/sbin",
        "TMPDIR": str(folder),
    }


def _delivered(out: Path) -> list[str]:
    """List delivered pictures, each of which can be read."""
    found = sorted(out.glob("*.jpg"))
    for path in found:
        with Image.open(path) as picture:
            picture.load()
    return [path.name for path in found]


def _left_behind(folder: Path) -> list[Path]:
    return [path for path in folder.rglob("*") if ".part" in path.name or path.name.endswith("-journal")]


@pytest.mark.skipif(not shutil.which("parallel"), reason="GNU parallel is not installed")
def test_the_recipe_for_gnu_parallel_delivers_a_session(tmp_path: Path) -> None:
    photos = write_variants(tmp_path / "session", 4, names=("lamplighter",), scale=0.12)
    photos[0].rename(photos[0].with_stem("first"))

    for _ in range(2):  # a second time there is nothing left to do
        done = subprocess.run(
            ["bash", "-e", "-c", _recipe("parallel")], cwd=tmp_path, env=_environment(tmp_path), capture_output=True,
            text=True, check=False,
        )  # fmt: skip
        assert done.returncode == 0, done.stderr
        assert len(jobs_in(tmp_path / "jobs")) == 4
        assert len(_delivered(tmp_path / "out")) == 4

    assert "done before" in done.stdout
    assert not _left_behind(tmp_path)


class Cluster:
    """Two hosts, which are two daemons of this machine, each with a home of its own."""

    def __init__(self, folder: Path, work: Path) -> None:
        self._folder, self._work = folder, work
        self._env = {**_environment(folder), "SLURM_CONF": str(folder / "slurm.conf")}
        for name in ("state", "home-one", "home-two"):
            (folder / name).mkdir()
        key = folder / "munge.key"
        key.write_bytes(os.urandom(128))
        key.chmod(0o600)
        user, host = (self._ask(*words).strip() for words in (("id", "-un"), ("hostname", "-s")))
        (folder / "slurm.conf").write_text(CONFIGURATION.format(folder=folder, user=user, host=host))
        files = [f"--{name}-file={folder}/munge.{name}" for name in ("key", "pid", "seed", "log")]
        self._ask("munged", "--force", f"--socket={folder}/munge.sock", *files)
        self._ask("slurmctld", "-i")
        for node in ("one", "two"):
            self._ask("slurmd", "-N", node)
        until(lambda: self._ask("sinfo", "-h", "-o", "%T %D").split() == ["idle", "2"])

    def _ask(self, *command: str) -> str:
        done = subprocess.run(command, env=self._env, cwd=self._work, capture_output=True, text=True, check=False)
        assert done.returncode == 0, f"{command}: {done.stderr}"
        return done.stdout

    def submit(self, script: str, count: int) -> str:
        """Submit a script for an array of photos; each host has its own home, and shares the rest."""
        (self._work / "job.sh").write_text(
            script.replace("photos=(", f"export HOME={self._folder}/home-$SLURMD_NODENAME\nphotos=(", 1)
        )
        said = self._ask("sbatch", "--parsable", f"--array=0-{count - 1}", "--output=said-%a.txt", "job.sh")
        return said.strip()

    def running(self) -> list[str]:
        """List what runs, as array and index."""
        return self._ask("squeue", "-h", "-t", "RUNNING", "-o", "%F_%K").split()

    def requeue(self, one: str) -> None:
        """Kill what runs, and have it run again."""
        self._ask("scontrol", "requeue", one)
        until(lambda: one not in self.running())
        self._ask("scontrol", "update", f"JobId={one}", "StartTime=now")

    def is_done(self) -> bool:
        """Return whether nothing waits or runs."""
        return not self._ask("squeue", "-h").split()

    def close(self) -> None:
        """Stop the daemons."""
        for name in ("one.pid", "two.pid", "controller.pid", "munge.pid"):
            path = self._folder / name
            if path.exists():
                os.kill(int(path.read_text()), signal.SIGTERM)
                until(lambda path=path: not path.exists())


def until(condition: Callable[[], bool], most_s: float = 600) -> None:
    """Wait for something that happens in other processes."""
    end = time.monotonic() + most_s
    while not condition():
        assert time.monotonic() < end
        time.sleep(0.1)


@pytest.fixture
def shared(tmp_path: Path) -> Path:
    """What both hosts see: a folder with forty small photos."""
    session = tmp_path / "shared" / "session"
    session.mkdir(parents=True)
    (first,) = write_variants(tmp_path / "first", 1, names=("lamplighter",), scale=0.08)
    with Image.open(first) as picture:
        pixels = np.asarray(picture)
    for number in range(MANY):
        Image.fromarray(np.roll(pixels, number % 5, axis=1)).save(session / f"p{number:02}.jpg", quality=92)
    return session.parent


@pytest.fixture
def cluster(tmp_path: Path, shared: Path) -> Iterator[Cluster]:
    folder = tmp_path / "slurm"
    folder.mkdir(mode=0o700)
    cluster = Cluster(folder, shared)
    yield cluster
    cluster.close()


@pytest.mark.skipif(not all(shutil.which(name, path=f"{os.environ['PATH']}:/usr/sbin") for name in SLURM),
                    reason="Slurm is not installed")  # fmt: skip
def test_the_recipe_for_slurm_delivers_forty_jobs_once_each_whatever_is_killed(cluster: Cluster, shared: Path) -> None:
    cluster.submit(_recipe("SBATCH"), MANY)
    until(lambda: len(list((shared / "out").glob("*.jpg"))) >= 3 and bool(cluster.running()))
    cluster.requeue(cluster.running()[0])
    until(lambda: len(list((shared / "out").glob("*.jpg"))) >= 8 and bool(_workers()))
    os.kill(_workers()[0], signal.SIGKILL)
    until(cluster.is_done)
    times = {path: path.stat().st_mtime_ns for path in (shared / "out").glob("*.jpg")}
    content = {path: path.read_bytes() for path in times}
    assert len(times) >= MANY - 1  # what was killed may be missing

    cluster.submit(_recipe("SBATCH"), MANY)
    until(cluster.is_done)

    assert [path.stem for path in photos_in(shared / "session")] == [path.stem for path in jobs_in(shared / "jobs")]
    assert len(_delivered(shared / "out")) == MANY
    again = [path.name for path, time_ns in times.items() if path.stat().st_mtime_ns != time_ns]
    assert len(again) <= 2, "only what was killed before it could be noted is written again"
    assert all(path.read_bytes() == had for path, had in content.items())
    assert not _left_behind(shared)
    for path in jobs_in(shared / "jobs"):
        project = ProjectFile.open(path)
        assert project.history().states
        project.close()


def _workers() -> list[int]:
    """List the processes of Peel that the scheduler began."""
    found = []
    for path in Path("/proc").glob("[0-9]*"):
        try:
            if b"SLURM_JOB_ID" in (path / "environ").read_bytes() and b"peel" in (path / "cmdline").read_bytes():
                found.append(int(path.name))
        except OSError:
            continue
    return [number for number in found if b"bash" not in Path(f"/proc/{number}/cmdline").read_bytes()]
