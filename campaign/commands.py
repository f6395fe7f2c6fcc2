"""Command lines that ask for what cannot be: each ends with a documented exit code and a sentence."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
from PIL import Image

from campaign.made import job_file, picture

__all__ = ["run"]

_ALLOWED = {0, 2, 3, 4}  # and 1 of a check that found something


def _lines(folder: Path) -> list[list[str]]:
    photo, zones = str(folder / "disc.png"), str(folder / "zones.png")
    out = ["--matte", str(folder / "m.png")]
    cut = ["cut", photo, "--zones", zones]
    return [
        ["cut"],
        ["cut", photo],
        [*cut],
        [*cut, *out],
        [*cut, *out, "--json"],
        [*cut, "--matte", "/dev/full"],
        [*cut, "--matte", str(folder)],
        [*cut, "--matte", photo],
        [*cut, "--matte", "/proc/no/such.png"],
        [*cut, "--matte", str(folder / ("x" * 300 + ".png"))],
        [*cut, *out, "--on", "white"],
        [*cut, *out, "--mixing", "loud"],
        [*cut, *out, "--own-colour", "#gg0000"],
        [*cut, *out, *(["--own-colour", "#ffffff"] * 9)],
        ["cut", "/dev/zero", "--zones", zones, *out],
        ["cut", str(folder / "gone.png"), "--zones", zones, *out],
        ["cut", photo, "--zones", photo, *out],
        ["cut", photo, "--zones", str(folder / "small.png"), *out],
        ["cut", photo, "--zones", str(folder / "black.png"), *out],
        ["deliver", str(folder / "disc.peel"), "--to", str(folder / "out")],
        ["deliver", str(folder / "disc.peel"), "--to", "/dev/null/x"],
        ["deliver", str(folder / "disc.peel"), "--to", str(folder / "disc.png")],
        ["deliver", photo, "--to", str(folder / "out")],
        ["deliver", str(folder / "gone.peel"), "--to", str(folder / "out")],
        ["deliver", "/dev/zero", "--to", str(folder / "out")],
        ["deliver", str(folder / "empty.peel"), "--to", str(folder / "out")],
        ["compact", str(folder / "disc.peel")],
        ["compact", photo],
        ["check", photo],
        ["check", str(folder / "gone.peel")],
        ["check", str(folder / "disc.peel"), "--severity", "awful"],
        ["check", str(folder / "disc.peel"), "--reference", str(folder / "small.png")],
        ["check", str(folder / "disc.peel"), "--reference", "/dev/zero"],
        ["check", str(folder / "disc.peel"), "--json"],
        ["no-such-command", "--help"],
        ["--version-of-what"],
    ]


def run(seed: int) -> list[str]:
    """Run them all; give the figures."""
    del seed
    odd: list[str] = []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        environment = os.environ | {"XDG_STATE_HOME": str(folder / "state")}
        os.environ["XDG_STATE_HOME"] = str(folder / "state")
        job_file(folder)
        (folder / "empty.peel").write_bytes(b"")
        zones = np.full(picture().shape[:2], 128, np.uint8)
        zones[70:80, 100:110], zones[:10] = 255, 0
        Image.fromarray(zones).save(folder / "zones.png")
        Image.fromarray(zones[:50]).save(folder / "small.png")
        Image.fromarray(zones * 0).save(folder / "black.png")
        cases = [(line, environment, subprocess.PIPE) for line in _lines(folder)]
        with Path("/dev/full").open("wb") as full, tempfile.TemporaryDirectory() as bare:
            cases.append((["cut", str(folder / "disc.png"), "--zones", str(folder / "zones.png"), "--matte",
                           str(folder / "m.png"), "--json"], environment, full))  # fmt: skip
            homeless = environment | {"HOME": "/proc/1", "XDG_STATE_HOME": "/proc/1/state", "XDG_CACHE_HOME": bare}
            cases.append((_lines(folder)[3], homeless, subprocess.PIPE))
            cases.append((_lines(folder)[19], homeless, subprocess.PIPE))
            for line, env, stdout in cases:
                odd += _run(line, env, stdout)
        if not Path("/dev/full").is_char_device():
            odd.append("/dev/full was replaced")
    return [*(f"BROKEN {line}" for line in odd), f"{len(cases)} command lines, {len(odd)} without a sentence or a code"]


def _run(line: list[str], environment: dict[str, str], stdout: object) -> list[str]:
    shown = " ".join(word if len(word) < 60 else word[:20] + "…" for word in line)
    try:
        done = subprocess.run(
            [sys.executable, "-m", "peel", *line], env=environment, stdout=stdout, stderr=subprocess.PIPE,
            stdin=subprocess.DEVNULL, text=True, timeout=90, check=False,
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        return [f"{shown}: took more than 90 s"]
    said = done.stderr.strip()
    found_snags = line[0] == "check" and done.returncode == 1 and done.stdout.strip()
    if (done.returncode not in _ALLOWED and not found_snags) or "Traceback" in said or "Exception" in said:
        return [f"{shown}: {done.returncode} {said[-200:]}"]
    return [] if done.returncode == 0 or said or found_snags else [f"{shown}: {done.returncode} without a word"]
