"""How much memory ``peel cut`` takes at 24 megapixels."""

import json
import subprocess
import sys
import tempfile
from collections.abc import Iterator

from bench.cases import LARGE, large_case

__all__ = ["table"]


def table(name: str = "tin-drummer") -> Iterator[str]:
    """Run it in a process of its own, with matte and cutout."""
    share = large_case(name, 24).band.mean()
    folder = LARGE / "24"
    with tempfile.TemporaryDirectory() as out:
        command = [sys.executable, "-m", "peel", "cut", f"{folder / name}.jpg", "--zones", f"{folder / name}-zones.png"]
        command += ["--matte", f"{out}/m.png", "--cutout", f"{out}/c.png", "--json"]
        done = subprocess.run(command, capture_output=True, text=True, check=True)
    report = json.loads(done.stdout)
    yield "| photo | band | peak memory | solve |"
    yield "|---|---|---|---|"
    yield f"| {name} | {share * 100:.0f} % | {report['peak_memory_mb']:.0f} MB | {report['seconds']['solve']:.1f} s |"
