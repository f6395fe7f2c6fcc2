"""Run the campaign: ``make campaign``. Seeds are fixed; prints figures, and fails if any promise is broken."""

import sys
import time
from collections.abc import Callable

from campaign import clients, commands, faults, jobs, kills, memory, photos, runs, window

PARTS: dict[str, Callable[[int], list[str]]] = {
    "kills": kills.run,
    "runs": runs.run,
    "clients": clients.run,
    "faults": faults.run,
    "photos": photos.run,
    "jobs": jobs.run,
    "commands": commands.run,
    "window": window.run,
    "memory": memory.run,
}


def main(chosen: list[str]) -> int:
    """Run all parts, or those that are named; a number among them is the seed."""
    seed = next((int(word) for word in chosen if word.isdigit()), 1)
    broken = 0
    for name, run in PARTS.items():
        if [word for word in chosen if not word.isdigit()] and name not in chosen:
            continue
        since = time.monotonic()
        for line in run(seed):
            broken += line.startswith("BROKEN")
            print(f"{name}: {line}", flush=True)
        print(f"{name}: {time.monotonic() - since:.0f} s", flush=True)
    print(f"{broken} promises broken")
    return 1 if broken else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
