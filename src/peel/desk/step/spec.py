"""What a step registers beside its panel: tools, commands with their keys, and its state."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Generic, Protocol, TypeVar

from PySide6.QtWidgets import QWidget

from peel.desk.desk_state import DeskState
from peel.desk.step.lane_desk import LaneDesk
from peel.desk.step.panel import Panel
from peel.desk.steps import Step, StepState
from peel.desk.tools.tool import Tool
from peel.job.job import Job
from peel.work.inspecting.inspector import Findings
from peel.work.session.session import Session
from peel.work.stages import Stages
from peel.work.views import View

__all__ = ["Command", "ProofHost", "StepFacts", "StepSpec", "Surroundings"]

_P = TypeVar("_P", bound=Panel)
_L = TypeVar("_L", bound=LaneDesk)


@dataclass(frozen=True)
class Command:
    """Something that can be asked for by a key.

    Attributes
    ----------
    name : str
        Found by it in tests and by assistive programs.
    keys : tuple of str
        The first is shown on the key sheet.
    run : callable
        Carries it out, given the state of the desk.
    section : "Tools", "Views" or "Work"
        Where the key sheet lists it.
    meaning : str
        What the key sheet says; the name in lower case unless given.
    repeats : bool
        Whether holding the key repeats it.
    """

    name: str
    keys: tuple[str, ...]
    run: Callable[[DeskState], object]
    section: str = "Work"
    meaning: str = ""
    repeats: bool = False


@dataclass(frozen=True)
class StepFacts:
    """What a step derives its state from.

    Attributes
    ----------
    job : Job
    stages : Stages
    solving : float or None
        The share done of a running solve.
    found : Findings or None
        If this very job was inspected.
    """

    job: Job
    stages: Stages
    solving: float | None = None
    found: Findings | None = None


class ProofHost(Protocol):
    """The proofs, as far as controllers know them."""

    @property
    def views(self) -> list[View]:
        """What each proof shows."""

    def show_views(self, views: Sequence[View]) -> None:
        """Let each proof show a view."""


@dataclass
class Surroundings:
    """What controllers find around them.

    Attributes
    ----------
    desk : DeskState
    canvas : QWidget
        What lies over the picture is its child.
    proofs : ProofHost
    assignment_of : callable
        Returns the folder of the assignment that a session belongs to.
    made : list of LaneDesk
        The controllers of the steps before.
    """

    desk: DeskState
    canvas: QWidget
    proofs: ProofHost
    assignment_of: Callable[[Session], Path]
    made: list[LaneDesk] = field(default_factory=list)

    def find(self, kind: type[_L]) -> _L:
        """Return a controller that was made before."""
        return next(own for own in self.made if isinstance(own, kind))


def _no_controllers(_panel: Panel, _around: Surroundings) -> tuple[LaneDesk, ...]:
    return ()


@dataclass(frozen=True)
class StepSpec(Generic[_P]):
    """All that a step adds to the window.

    Attributes
    ----------
    step : Step
    panel : type of Panel
    state : callable
        Returns what the step has come to.
    tools : tuple of Tool classes
        In their order on the shelf; steps may share them.
    commands : tuple of Command
    controllers : callable
        Makes those who carry out what the panel and the keys ask for.
    """

    step: Step
    panel: type[_P]
    state: Callable[[StepFacts], StepState]
    tools: tuple[type[Tool], ...] = ()
    commands: tuple[Command, ...] = ()
    controllers: Callable[[_P, Surroundings], Sequence[LaneDesk]] = _no_controllers

    def make(self, around: Surroundings) -> _P:
        """Make the panel and its controllers, which answer from now on."""
        panel = self.panel(around.desk)
        for made in self.controllers(panel, around):
            made.step = self.step
            around.made.append(made)
            around.desk.answering.append(made)
        return panel
