"""Every key, name and command line of the guide and of the README, against what the program registers."""

import ast
import re
import shlex
from functools import lru_cache
from pathlib import Path

import pytest
from typer.main import get_command

from peel.cli import app
from peel.desk.register import all_commands, make_tools
from peel.desk.steps import Step

ROOT = Path(__file__).parents[2]
PAGES = sorted((ROOT / "docs" / "guide").glob("*.md"))
TEXTS = [
    *PAGES,
    ROOT / "README.md",
    ROOT / "CONTRIBUTING.md",
    *(ROOT / "docs" / f"{name}.md" for name in ("architecture", "project-file", "trust", "glossary", "edges")),
]
STEP_PAGES = {"mark": Step.MARK, "edge": Step.EDGE, "matte": Step.MATTE, "colour": Step.COLOUR, "backing": Step.BACKING}

KEY = re.compile(
    r"^(?:(?:Ctrl|Shift|Alt)\+)*(?:[A-Z0-9;,'/\\?\[\]=+-]|F\d{1,2}|Enter|Backspace|Delete|Home|PgUp|PgDown|Return)$"
)
NAMED = re.compile(r"(\*\*|\*)(?P<name>[^*]+?)\1 \(`(?P<key>[^`]+)`")
HELD = {"Enter", "Backspace", "Delete", "Ctrl", "Shift", *"0123456789"}
"""Keys that tools and views take without a command."""


@lru_cache
def _keys() -> dict[str, set[str]]:
    """Return every key with the names of what it does."""
    tools = make_tools()
    found: dict[str, set[str]] = {}
    for command in all_commands(tools):
        for key in command.keys:
            found.setdefault(key, set()).add(command.name)
    for tool in {tool for own in tools.values() for tool in own}:
        for choice in tool.choices:
            if choice.key_name:
                found.setdefault(choice.key_name, set()).update({choice.name, *choice.labels})
        for key, _ in tool.key_hints:
            found.setdefault(key.split(",")[0], set())
    return found


@lru_cache
def _strings() -> str:
    """Return all text in the program, in lower case."""
    parts = []
    for path in [*(ROOT / "src" / "peel").rglob("*.py"), *(ROOT / "src" / "peel").rglob("*.json")]:
        text = path.read_text("utf-8")
        if path.suffix == ".json":
            parts.append(text)
            continue
        constants = (node.value for node in ast.walk(ast.parse(text)) if isinstance(node, ast.Constant))
        parts += [value for value in constants if isinstance(value, str)]
    return "\n".join(parts).lower()


def _spans(path: Path) -> list[str]:
    text = re.sub(r"```.*?```", "", path.read_text("utf-8"), flags=re.DOTALL)
    return re.findall(r"`([^`\n]+)`", text)


@pytest.mark.parametrize("path", TEXTS, ids=lambda path: path.stem)
def test_every_key_is_one(path: Path) -> None:
    unknown = [span for span in _spans(path) if KEY.match(span) and span not in _keys() and span not in HELD]
    assert not unknown


@pytest.mark.parametrize("path", TEXTS, ids=lambda path: path.stem)
def test_every_named_key_does_what_is_said(path: Path) -> None:
    for found in NAMED.finditer(path.read_text("utf-8")):
        key, name = found["key"], found["name"].strip().rstrip(".,")
        if not KEY.match(key) or key in HELD:
            continue
        names = {known.lower() for known in _keys().get(key, set())}
        assert name.lower() in names, f"{key} is said to be {name}, and is {sorted(names)}"


@pytest.mark.parametrize("page", list(STEP_PAGES))
def test_tools_are_on_the_shelf_of_the_page_that_tells_of_them(page: str) -> None:
    tools = make_tools()
    by_key = {tool.key_name: tool.name for own in tools.values() for tool in own}
    here = {tool.name for tool in tools[STEP_PAGES[page]]}
    text = (ROOT / "docs" / "guide" / f"{page}.md").read_text("utf-8")
    told = {by_key[found["key"]] for found in NAMED.finditer(text) if found["key"] in by_key}
    assert told
    assert told <= here


@pytest.mark.parametrize("page", list(STEP_PAGES))
def test_every_tool_of_a_shelf_is_told_of(page: str) -> None:
    text = (ROOT / "docs" / "guide" / f"{page}.md").read_text("utf-8")
    silent = [tool.name for tool in make_tools()[STEP_PAGES[page]] if tool.name.lower() not in text.lower()]
    assert not silent


_EMPHASIS = {  # words that are stressed, and no names
    "a little everywhere", "and", "shadow", "developed",
}  # fmt: skip


@pytest.mark.parametrize("path", PAGES, ids=lambda path: path.stem)
def test_every_name_in_italics_is_in_the_program(path: Path) -> None:
    text = re.sub(r"```.*?```|`[^`]*`|\*\*[^*]+\*\*|!\[[^\]]*\]", "", path.read_text("utf-8"), flags=re.DOTALL)
    names = {name.strip().rstrip(".,").lower() for name in re.findall(r"\*([^*\n]+)\*", text)}
    unknown = sorted(name for name in names - _EMPHASIS if name not in _strings())
    assert not unknown


@lru_cache
def _command_lines(path: Path) -> list[str]:
    text = path.read_text("utf-8")
    blocks = re.findall(r"```(?:sh)?\n(.*?)```", text, flags=re.DOTALL)
    lines = [
        line.split("#")[0].strip() if "'#" not in line else line for block in blocks for line in block.splitlines()
    ]
    lines += _spans(path)
    found = [re.sub(r"^parallel .*?(?=peel )", "", line) for line in lines]
    return [line for line in found if line.startswith("peel ")]


@pytest.mark.parametrize("path", TEXTS, ids=lambda path: path.stem)
def test_every_command_line_names_commands_and_options_that_there_are(path: Path) -> None:
    commands = get_command(app).commands  # type: ignore[attr-defined]
    for line in _command_lines(path):
        words = shlex.split(line.split("  #")[0], comments=False)[1:]
        assert words[0] in commands, line
        options = {name for param in commands[words[0]].params for name in param.opts}
        asked = {word.split("=")[0] for word in words if word.startswith("--")}
        assert asked <= options, f"{line}: {sorted(asked - options)}"
        if not words[1:2] or words[1].startswith("-"):
            continue  # named only
        commands[words[0]].make_context(words[0], words[1:])


@pytest.mark.parametrize("path", TEXTS, ids=lambda path: path.stem)
def test_every_option_that_is_named_alone_is_one(path: Path) -> None:
    commands = get_command(app).commands  # type: ignore[attr-defined]
    known = {name for command in commands.values() for param in command.params for name in param.opts}
    for module in ("src/peel/demo/make.py", "mutants/__main__.py"):
        known |= set(re.findall(r'"(--[a-z-]+)"', (ROOT / module).read_text("utf-8")))
    named = {span.split()[0] for span in _spans(path) if span.startswith("--")}
    assert named <= known


@pytest.mark.parametrize("path", TEXTS, ids=lambda path: path.stem)
def test_every_link_and_picture_is_there(path: Path) -> None:
    for target in re.findall(r"\]\(([^)#\s]+)", path.read_text("utf-8")):
        if "://" not in target:
            assert (path.parent / target).exists(), target
