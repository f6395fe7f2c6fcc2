"""The pages about Peel itself tell the truth: paths, numbers, tables, fields, targets, and what became of decisions."""

import json
import re
import shlex
import sqlite3
from itertools import zip_longest
from pathlib import Path

import pytest
from bench.page import sections
from bench.parts import PARTS

from peel import __version__
from peel.desk.asking import TASKS
from peel.files.migrations import SCHEMA, VERSION
from peel.job.planes import PLANES
from peel.job.preset import FORMATS, Preset

ROOT = Path(__file__).parent.parent
DOCS = ROOT / "docs"
PAGE = (DOCS / "architecture.md").read_text()
LIVING = [
    *(DOCS / f"{name}.md" for name in ("architecture", "project-file", "trust", "glossary", "edges", "bench")),
    *sorted((DOCS / "guide").glob("*.md")),
    ROOT / "README.md",
    ROOT / "CONTRIBUTING.md",
]
DECISIONS = sorted((DOCS / "decisions").glob("*.md"))
PLACES = [ROOT / "src" / "peel", ROOT / "src", ROOT, DOCS]


def _named_paths(text: str) -> list[str]:
    """Return the files that a page names; a bare file name lies beside the one named before it."""
    found, folder = [], ""
    for named in re.findall(r"`([\w./-]+\.(?:py|md|toml|lock))`", text):
        folder = str(Path(named).parent) if "/" in named else folder
        found.append(named if "/" in named else f"{folder}/{named}".removeprefix("/"))
    return found


@pytest.mark.parametrize("page", LIVING, ids=lambda page: page.stem)
def test_every_file_that_a_page_names_is_there(page: Path) -> None:
    named = set(_named_paths(page.read_text())) - {"docs/decisions/NNNN-words.md"}
    missing = [one for one in named if not any((place / one).exists() for place in PLACES)]
    assert not [one for one in missing if not list(ROOT.glob(f"src/**/{Path(one).name}")) or "/" in one]


@pytest.mark.parametrize("page", [*LIVING, *DECISIONS], ids=lambda page: page.stem)
def test_every_page_and_picture_that_is_linked_is_there(page: Path) -> None:
    targets = re.findall(r"\]\(([^)#\s]+)", page.read_text())
    assert not [target for target in targets if "://" not in target and not (page.parent / target).exists()]


def test_every_folder_of_the_layers_is_named() -> None:
    for layer in ("desk", "work", "job", "files", "matte", "cli"):
        for folder in (ROOT / "src" / "peel" / layer).iterdir():
            if folder.is_dir() and (folder / "__init__.py").exists():
                assert f"{layer}/{folder.name}" in PAGE, f"{layer}/{folder.name}"


def test_the_number_of_tasks_that_workers_are_asked_is_told() -> None:
    import peel.desk.bench
    import peel.desk.board.board_desk  # noqa: F401 - both register their tasks

    assert f"{len(TASKS)} tasks" in PAGE


JOB_FILE = (DOCS / "project-file.md").read_text()


def _rows(text: str, columns: int) -> list[list[str]]:
    """Return the rows of all tables with so many columns."""
    lines = [line for line in text.splitlines() if line.startswith("|") and not line.startswith("|--")]
    cells = [[cell.strip() for cell in line.strip().removeprefix("|").removesuffix("|").split("|")] for line in lines]
    return [row for row in cells if len(row) == columns]


def test_the_version_of_the_job_file_is_told_and_what_each_older_one_had() -> None:
    assert f"describes format {VERSION}." in JOB_FILE
    told = {int(number) for number in re.findall(r"[Ff]ormat (\d+)", JOB_FILE)}
    assert max(told) == VERSION
    assert {int(number) for number in re.findall(r"(?:Up to format|Format) (\d+)", JOB_FILE)} <= set(range(1, VERSION))


def test_the_tables_of_the_job_file_are_told_with_their_columns() -> None:
    sql = sqlite3.connect(":memory:")
    for statement in SCHEMA:
        sql.execute(statement)
    told = {row[0].strip("`"): re.findall(r"`(\w+)`", row[1]) for row in _rows(JOB_FILE, 3) if row[0][0] == "`"}
    for (name,) in sql.execute("SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite%'"):
        columns = [row[1] for row in sql.execute(f"PRAGMA table_info({name})")]
        assert told[name] == columns


def test_the_planes_of_the_job_file_are_told_with_their_kinds() -> None:
    told = {
        name: kind
        for row in _rows(JOB_FILE, 3)
        if re.fullmatch(r"(u[12])(, u[12])*", row[1])
        for name, kind in zip_longest(
            re.findall(r"`(\w+)`", row[0]), row[1].split(", "), fillvalue=row[1].split(", ")[-1]
        )
    }
    assert told == {name: spec.dtype.str.strip("|<") for name, spec in PLANES.items()}


PRESETS = (DOCS / "guide" / "presets.md").read_text()


def test_every_field_of_a_preset_is_told_with_what_it_is_if_left_out() -> None:
    told = {name: row[2] for row in _rows(PRESETS, 3) for name in re.findall(r"`(\w+)`", row[0])}
    assert set(told) == set(Preset.model_fields)
    plain = Preset(name="x").model_dump(mode="json")
    for name, default in told.items():
        if re.fullmatch(r"`\w+`", default):
            assert default == f"`{json.dumps(plain[name]).strip(chr(34))}`", name


def test_the_preset_that_is_shown_is_one() -> None:
    shown = re.findall(r"```json\n(.*?)```", PRESETS, flags=re.DOTALL)
    assert [Preset.model_validate_json(text).name for text in shown]


def test_what_formats_hold_is_told() -> None:
    rows = {row[0]: row[1:] for row in _rows(PRESETS, 4)}
    for spec in FORMATS.values():
        products, bits, alpha = rows[spec.label]
        assert products == ", ".join(spec.products)
        assert bits == (", ".join(str(bit) for bit in spec.bits) if spec.label != "SVG" else "")
        assert alpha == ((", ".join(spec.alpha) or "none") if spec.label != "SVG" else "")


@pytest.mark.parametrize("page", DECISIONS, ids=lambda page: page.stem)
def test_a_decision_is_numbered_and_says_whether_it_holds(page: Path) -> None:
    number = int(page.name[:4])
    title, _, status, *_ = page.read_text().splitlines()
    assert title.startswith(f"# {number}. ")
    assert re.fullmatch(r"\*Status: (holds|replaced|holds, but for [^:]+)(: \[\d+\]\([\w.-]+\))?\.\*", status), status
    for later, target in re.findall(r"\[(\d+)\]\(([\w.-]+)\)", status):
        assert int(later) > number
        assert target.startswith(f"{int(later):04}-")


def test_what_replaces_a_decision_is_named_in_its_status() -> None:
    for page in DECISIONS:
        for target in re.findall(r"^This replaces .*?\(([\w.-]+)\)", page.read_text(), flags=re.MULTILINE):
            status = (page.parent / target).read_text().splitlines()[2]
            assert page.name in status, f"{target} does not say that {page.name} replaces it"


def _shell_lines(page: Path) -> list[list[str]]:
    text = page.read_text()
    blocks = re.findall(r"```(?:sh)?\n(.*?)```", text, flags=re.DOTALL)
    lines = [line for block in blocks for line in block.splitlines()]
    lines += re.findall(r"`([^`\n]+)`", re.sub(r"```.*?```", "", text, flags=re.DOTALL))
    found = []
    for line in lines:
        try:
            found.append(shlex.split(line, comments=True))
        except ValueError:  # an apostrophe of a sentence
            continue
    return [words for words in found if words]


@pytest.mark.parametrize("page", LIVING, ids=lambda page: page.stem)
def test_every_target_of_make_is_one(page: Path) -> None:
    targets = set(re.findall(r"^([\w-]+):", (ROOT / "Makefile").read_text(), flags=re.MULTILINE))
    asked = {words[1] for words in _shell_lines(page) if words[0] == "make" and len(words) > 1}
    assert asked <= targets


@pytest.mark.parametrize("page", LIVING, ids=lambda page: page.stem)
def test_every_module_that_is_run_is_there_and_knows_its_parts(page: Path) -> None:
    for words in _shell_lines(page):
        if "-m" not in words or "python" not in words[0]:
            continue
        module, rest = words[words.index("-m") + 1], words[words.index("-m") + 2 :]
        path = module.replace(".", "/")
        at = [ROOT / "src" / f"{path}.py", ROOT / "src" / path, ROOT / path]
        assert module == "pytest" or any(one.exists() for one in at), module
        parts = [word for word in rest if word[0] != "-" and word.islower() and "/" not in word]
        assert module != "bench" or set(parts) <= set(PARTS), words
        assert not [word for word in rest if word.startswith("tests/") and not (ROOT / word).exists()]


def test_the_bench_wrote_its_page_itself() -> None:
    text = (DOCS / "bench.md").read_text()
    titles = {part.title: name for name, part in PARTS.items()}
    assert sections(text)
    for title, section in sections(text).items():
        assert re.search(rf"`python -m bench {titles[title]}`, \d{{4}}-\d\d-\d\d, \d+ s; \d+ cores", section)


def test_the_version_is_told_in_one_place_and_has_a_changelog() -> None:
    newest = re.search(r"^## (\S+)", (ROOT / "CHANGELOG.md").read_text(), flags=re.MULTILINE)[1]
    assert newest == __version__
    assert f'<release version="{__version__}"' in (ROOT / "packaging" / "io.peel.Peel.metainfo.xml").read_text()
    assert not re.search(r"^version =", (ROOT / "pyproject.toml").read_text(), flags=re.MULTILINE)
