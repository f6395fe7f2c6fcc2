"""What a step registers beside its panel: tools, commands with their keys, and its state."""

from collections.abc import Callable
from dataclasses import dataclass

from peel.desk.desk_state import DeskState
from peel.desk.step.panel import Panel
from peel.desk.steps import Step, StepState
from peel.desk.tools.tool import Tool
from peel.job.job import Job
from peel.work.inspecting.inspector import Inspection
from peel.work.stages import Stages

__all__ = ["Command", "StepFacts", "StepSpec"]


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
    """What a step's state is told by.

    Attributes
    ----------
    job : Job
    stages : Stages
    solving : float or None
        The share done of a running solve.
    found : Inspection or None
        If this very job was inspected.
    """

    job: Job
    stages: Stages
    solving: float | None = None
    found: Inspection | None = None


@dataclass(frozen=True)
class StepSpec:
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
    """

    step: Step
    panel: type[Panel]
    state: Callable[[StepFacts], StepState]
    tools: tuple[type[Tool], ...] = ()
    commands: tuple[Command, ...] = ()
