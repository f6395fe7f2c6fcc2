"""Run the bench: ``python -m bench [PART ...] [--folder DIR] [--write]``; all of it without arguments."""

import argparse
import time
from pathlib import Path

from bench.page import write_section
from bench.parts import PARTS, cases_of_folder


def main() -> int:
    """Run what is asked for and print it."""
    parser = argparse.ArgumentParser(prog="python -m bench", description=__doc__)
    parser.add_argument("parts", nargs="*", help=f"any of {', '.join(PARTS)}; all by default")
    parser.add_argument("--folder", type=Path, help="measure CASE/photo.png, zones.png, alpha.png, fg.png in a folder")
    parser.add_argument("--write", action="store_true", help="put the figures into docs/bench.md too")
    options = parser.parse_args()
    if unknown := [name for name in options.parts if name not in PARTS]:
        parser.error(f"there is no part called {unknown[0]}; there are {', '.join(PARTS)}")
    if options.folder:
        for line in cases_of_folder(options.folder):
            print(line, flush=True)
    for name in options.parts or ([] if options.folder else PARTS):
        since, lines = time.perf_counter(), []
        for line in PARTS[name].lines():
            lines.append(line)
            print(line, flush=True)
        if options.write:
            write_section(name, lines, time.perf_counter() - since)
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
