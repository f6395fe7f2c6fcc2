"""The six steps of the work, and what a step has come to."""

from dataclasses import dataclass
from enum import Enum

__all__ = ["Step", "StepState"]


class Step(Enum):
    """A step of the work, in its order."""

    MARK = "Mark"
    EDGE = "Edge"
    MATTE = "Matte"
    COLOUR = "Colour"
    BACKING = "Backing"
    DELIVER = "Deliver"


@dataclass(frozen=True)
class StepState:
    """What a step has come to: words in small type, and whether it has come to something."""

    words: str
    is_done: bool
