"""docs/bench.md: one section a part, each with the day, the machine and what it took; written by the bench only."""

import os
import platform
import re
from collections.abc import Sequence
from datetime import date
from importlib.metadata import version
from pathlib import Path

from bench.parts import PARTS

__all__ = ["PAGE", "sections", "write_section"]

PAGE = Path("docs") / "bench.md"
_INTRODUCTION = """# What the bench measured

Written by `python -m bench PART --write`, a section at a time; `make bench` measures all of it again without writing, and
`make bench BENCH="hair"` a part. Figures from earlier days, and why things are as they are, stand in
[the decisions](decisions/).
"""


def _machine() -> str:
    cpus = Path("/proc/cpuinfo")
    names = re.findall(r"model name\s*: (.+)", cpus.read_text()) if cpus.exists() else []
    memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") / 2**30
    return (
        f"{len(os.sched_getaffinity(0))} cores of {names[0] if names else platform.machine()}, {memory:.0f} GB; "
        f"Python {platform.python_version()}, NumPy {version('numpy')}, Numba {version('numba')}"
    )


def sections(text: str) -> dict[str, str]:
    """Return the sections of a page by title."""
    found = re.split(r"^## (.+)\n", text, flags=re.MULTILINE)[1:]
    return dict(zip(found[::2], found[1::2], strict=True))


def write_section(name: str, lines: Sequence[str], seconds: float) -> None:
    """Put a part's lines into the page, in place of those that were there."""
    part = PARTS[name]
    told = f"{part.says}\n\n`python -m bench {name}`, {date.today().isoformat()}, {seconds:.0f} s; {_machine()}."  # noqa: DTZ011
    kept = sections(PAGE.read_text()) if PAGE.exists() else {}
    kept[part.title] = f"\n{told}\n\n" + "\n".join(lines).strip() + "\n\n"
    order = [one.title for one in PARTS.values()]
    PAGE.write_text(
        (_INTRODUCTION + "\n" + "".join(f"## {title}\n{kept[title]}" for title in order if title in kept)).rstrip()
        + "\n"
    )
