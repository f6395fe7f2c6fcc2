"""Make mistakes and count how many the tests find: ``make mutants``.

Ten minutes on two cores, in an order that is the same each time; words are layers (job, files, work, matte) or parts of
paths to keep to, a number is how many minutes, ``--seed=N`` is another order, ``--cover`` first measures which tests
run what, and files of tests are added to what was measured.
"""

import random
import sys
import time
from collections import defaultdict
from collections.abc import Iterator, Sequence
from itertools import zip_longest
from pathlib import Path

from mutants import cover
from mutants.changes import Change, changes_in
from mutants.trial import Trial, preload

LAYERS = ["job", "files", "work", "matte"]
_MINUTES = 10.0
_AT_ONCE = 2
_TESTS_SECONDS = 16.0  # of tests that are run on a mistake
_TESTS_MOST = 40
_CONTROLS = 2  # trials of each layer without a mistake, which must survive


def _planned(words: list[str], seed: int = 1) -> list[tuple[str, Change]]:
    """Shuffle each layer's mistakes, and take them in turn."""
    layers = []
    for layer in LAYERS:
        paths = sorted(Path("src/peel", layer).rglob("*.py"))
        if words and layer not in words:
            paths = [path for path in paths if any(word in str(path) for word in words if word not in LAYERS)]
        changes = [change for path in paths for change in changes_in(path)]
        random.Random(seed).shuffle(changes)
        layers.append([(layer, change) for change in changes])
    return [one for turn in zip_longest(*layers) for one in turn if one is not None]


def _within(tests: list[str], seconds: dict[str, float]) -> tuple[list[str], float]:
    """Return the first tests that take no longer than is wanted in all, at least one, and how long they take."""
    chosen: list[str] = []
    total = 0.0
    for test in tests[:_TESTS_MOST]:
        total += seconds.get(test, 1.0)
        if chosen and total > _TESTS_SECONDS:
            break
        chosen.append(test)
    return chosen, total


class _Tally:
    """What became of the mistakes of each layer."""

    def __init__(self) -> None:
        self._results: dict[str, list[str]] = defaultdict(list)
        self.controls: dict[str, int] = defaultdict(int)

    def take(self, layer: str, change: Change | None, result: str, tests: Sequence[str]) -> None:
        """Count a mistake, and print it unless the tests found it."""
        if change is None:
            if result != "survived":
                print(f"CONTROL  {layer}: tests fail without a mistake: {' '.join(tests[:3])} ...", flush=True)
            return
        self._results[layer].append(result)
        if result != "killed":
            print(f"{result:8} {change}  [{change.sort}, {len(tests)} tests]", flush=True)

    def summary(self) -> Iterator[str]:
        """Give the share killed of each layer; what could not be tried does not count."""
        for layer, ends in self._results.items():
            counted = [end for end in ends if end != "error"]
            if counted:
                killed = counted.count("killed")
                yield f"{layer}: {killed} of {len(counted)} killed, {100 * killed / len(counted):.0f} %"


def _try_all(plan: list[tuple[str, Change]], covered: cover.Cover, minutes: float) -> _Tally:
    """Try mistakes, two at a time, until there are none left or the time is over."""
    until = time.monotonic() + 60 * minutes
    tally = _Tally()
    running: list[tuple[str, Trial]] = []
    waiting = _trials(plan, covered, tally)
    while True:
        while len(running) < _AT_ONCE and time.monotonic() < until:
            started = next(waiting, None)
            if started is None:
                break
            running.append(started)
        if not running:
            return tally
        time.sleep(0.02)
        for layer, trial in list(running):
            if (result := trial.poll()) is not None:
                running.remove((layer, trial))
                tally.take(layer, trial.change, result, trial.tests)


def _trials(plan: list[tuple[str, Change]], covered: cover.Cover, tally: _Tally) -> Iterator[tuple[str, Trial]]:
    """Start a trial each time one is asked for."""
    for layer, change in plan:
        tests, usually = _within(covered.tests_of(change), covered.seconds)
        if not tests:
            tally.take(layer, change, "no test", tests)
            continue
        if tally.controls[layer] < _CONTROLS:
            tally.controls[layer] += 1
            yield layer, Trial(None, tests, usually)
        yield layer, Trial(change, tests, usually)


def main(words: list[str]) -> int:
    """Try mistakes until the time is over; print the survivors and the share killed of each layer."""
    minutes = next((float(word) for word in words if word.replace(".", "").isdigit()), _MINUTES)
    seed = next((int(word.split("=")[1]) for word in words if word.startswith("--seed=")), 1)
    tests = [word for word in words if word.startswith("tests/")]
    kept_to = [word for word in words if not word.replace(".", "").isdigit() and word[:2] != "--" and word not in tests]
    if tests or "--cover" in words or cover.read() is None:
        print("measuring which tests run what, once ...", flush=True)
        cover.measure(tests)
    covered = cover.read()
    if covered is None:
        print("nothing was measured")
        return 1
    preload()
    for line in _try_all(_planned(kept_to, seed), covered, minutes).summary():
        print(line)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
