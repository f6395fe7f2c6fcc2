"""Run the bench: ``python -m bench [quality] [drawn] [camera] [large] [strokes] [window] [memory] [marking] [edge] [photographs] [kinds] [separation] [repair] [snags] [colour] [sheet] [deliver] [assignment] [--folder DIR]``; all of it without arguments."""

import argparse
import importlib
import json
import subprocess
import sys
import tempfile
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path

from bench.cases import LARGE, Case, demo_case, folder_case, folder_paths, large_case
from bench.drawn import CAMERA, KINDS, drawn_case
from bench.drawn import LARGE as LARGE_DRAWING
from peel.demo.photos import NAMES

PARTS = (
    "quality",
    "drawn",
    "camera",
    "large",
    "strokes",
    "window",
    "memory",
    "marking",
    "edge",
    "photographs",
    "kinds",
    "separation",
    "repair",
    "snags",
    "colour",
    "sheet",
    "deliver",
    "assignment",
    "second-frame",
    "hair",
)


def main() -> int:
    """Run what is asked for and print it."""
    parser = argparse.ArgumentParser(prog="python -m bench", description=__doc__)
    parser.add_argument("parts", nargs="*", help=f"any of {', '.join(PARTS)}; all by default")
    parser.add_argument("--folder", type=Path, help="measure CASE/photo.png, zones.png, alpha.png, fg.png in a folder")
    options = parser.parse_args()
    parts = options.parts or ([] if options.folder else PARTS)
    cases = _cases(parts, options.folder)
    if cases:
        from bench.quality import HEAD, row

        print(HEAD, flush=True)
        for case in cases:
            print(row(case()), flush=True)
    _print_others(parts)
    _print_sheets(parts)
    return 0


def _print_sheets(parts: Sequence[str]) -> None:
    if "sheet" in parts:
        from bench.sheet import table as sheets

        for line in sheets():
            print(line, flush=True)
    if "deliver" in parts:
        from bench.deliver import table as deliveries

        for line in deliveries():
            print(line, flush=True)
    if "assignment" in parts:
        from bench.assignment import table as assignments

        for line in assignments():
            print(line, flush=True)


def _print_others(parts: Sequence[str]) -> None:
    """Print the parts that have tables of their own."""
    if "marking" in parts:
        from bench.marking import interactions, latencies, proposals

        for measure_part in (latencies, proposals, interactions):
            print("\n".join(measure_part()), "\n", flush=True)
    for name in ("edge", "photographs", "kinds", "separation", "repair", "snags", "colour", "second-frame", "hair"):
        if name in parts:
            for line in importlib.import_module(f"bench.{name.replace('-', '_')}").table():
                print(line, flush=True)
    if "memory" in parts:
        print(memory(), flush=True)
    if "strokes" in parts:
        from bench.strokes import measure as measure_strokes

        print("\n".join(measure_strokes()), flush=True)
    if "window" in parts:
        from bench.window import measure

        for line in measure():
            print(line, flush=True)


def _cases(parts: Sequence[str], folder: Path | None) -> list[Callable[[], Case]]:
    """List what is to be measured against the baseline; each is read or drawn when its turn comes."""
    if folder:
        return [partial(folder_case, path) for path in folder_paths(folder)]
    cases: list[Callable[[], Case]] = []
    if "drawn" in parts:
        cases += [partial(drawn_case, kind) for kind in KINDS]
    if "camera" in parts:
        cases += [partial(drawn_case, kind, CAMERA) for kind in KINDS]
    if "quality" in parts:
        cases += [partial(demo_case, name) for name in NAMES]
    if "large" in parts:
        cases.append(partial(drawn_case, "fur", LARGE_DRAWING))
    return cases


def memory(name: str = "tin-drummer") -> str:
    """Run ``peel cut`` on 24 MP in a process of its own and give its peak memory."""
    case = large_case(name, 24)
    share = case.band.mean()
    del case
    folder = LARGE / "24"
    with tempfile.TemporaryDirectory() as out:
        command = [sys.executable, "-m", "peel", "cut", str(folder / f"{name}.jpg")]
        command += [
            "--zones",
            str(folder / f"{name}-zones.png"),
            "--matte",
            f"{out}/m.png",
            "--cutout",
            f"{out}/c.png",
            "--json",
        ]
        done = subprocess.run(command, capture_output=True, text=True, check=True)
    report = json.loads(done.stdout)
    seconds = report["seconds"]["solve"]
    return f"peel cut, 24 MP, {share * 100:.0f} % band: peak {report['peak_memory_mb']:.0f} MB, solve {seconds:.1f} s"


if __name__ == "__main__":
    raise SystemExit(main())
