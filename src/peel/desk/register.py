"""Every step with all that it registers, in the order of the work; shelf, keys and key sheet read this list."""

from collections.abc import Iterable
from functools import partial
from typing import Any, Final

from peel.desk.backing.step import STEP as BACKING
from peel.desk.colour.step import STEP as COLOUR
from peel.desk.commands import COMMANDS
from peel.desk.controls.key_sheet import KeySheetSection
from peel.desk.deliver.step import STEP as DELIVER
from peel.desk.desk_state import DeskState
from peel.desk.edge.step import STEP as EDGE
from peel.desk.mark.step import STEP as MARK
from peel.desk.matte.step import STEP as MATTE
from peel.desk.step.spec import Command, StepSpec
from peel.desk.steps import Step
from peel.desk.tools.tool import Tool
from peel.work.views import View

__all__ = ["STEPS", "all_commands", "key_sections", "make_tools"]

STEPS: Final[dict[Step, StepSpec[Any]]] = {spec.step: spec for spec in (MARK, EDGE, MATTE, COLOUR, BACKING, DELIVER)}


_HELD: Final = (
    ("right button", "the other way round"),
    ("Shift", "straight on; 15° steps; one more colour"),
    ("Ctrl", "the other kind of stretch"),
)
_PEEKS: Final = (("hold one", "only peek"), ("hold .", "the matte before repairs"))
_MOUSE: Final = (("wheel", "zoom at the cursor"), ("Space, middle button", "pan"), ("arrows", "pan"))


def make_tools() -> dict[Step, list[Tool]]:
    """Make the tools of every step; steps that list the same tool share one object."""
    made: dict[type[Tool], Tool] = {}
    return {
        step: [made.setdefault(kind, made[kind] if kind in made else kind()) for kind in spec.tools]
        for step, spec in STEPS.items()
    }


def _take_up(name: str, desk: DeskState) -> None:
    desk.take_up_named(name)


def all_commands(tools: dict[Step, list[Tool]]) -> list[Command]:
    """List every command: one for each tool by the key it names, those of the steps, and those of no step."""
    by_name = {tool.name: tool for own in tools.values() for tool in own}
    taking_up = [
        Command(name, (tool.key_name,), partial(_take_up, name), "Tools", name) for name, tool in by_name.items()
    ]
    return [*taking_up, *(command for spec in STEPS.values() for command in spec.commands), *COMMANDS]


def _either(names: Iterable[str]) -> str:
    *others, last = names
    return f"{', '.join(others)} or {last}" if others else last


def key_sections(tools: dict[Step, list[Tool]]) -> list[KeySheetSection]:
    """List every key with its meaning, as the key sheet shows them."""
    commands = all_commands(tools)
    made = {tool.name: tool for own in tools.values() for tool in own}.values()
    ways: dict[str, dict[str, None]] = {}  # tools may share a key, each for a way of its own; in order, and once each
    for choice in (choice for tool in made for choice in tool.choices if choice.key_name):
        ways.setdefault(choice.key_name, {})[choice.name] = None
    hints = list(dict.fromkeys(hint for tool in made for hint in tool.key_hints))

    def of(section: str) -> list[tuple[str, str]]:
        listed = [command for command in commands if command.section == section]
        return [(command.keys[0], command.meaning or command.name.lower()) for command in listed]

    views = f"the views, {next(iter(View)).value} to {list(View)[9].value}"
    return [
        (
            "Tools",
            [*of("Tools"), *((key, f"the tool's {_either(names)}") for key, names in ways.items()), *hints, *_HELD],
        ),
        (
            "Views",
            [("1 – 9, 0", views), *_PEEKS, *of("Views"), *_MOUSE],
        ),
        ("Work", of("Work")),
    ]
