"""What is derived from a job, window by window: the finished matte, the subject's colours, the sheet.

A stage computes a window at a pyramid level: level 0 is the photo itself, each further level half of the one before.
Results are cached by the identity of what they were made from, so nothing ever has to be invalidated. Display, proofs,
shares and delivery all read the chains; none of them knows which planes are behind them.
"""

from peel.work.stages.cache import Cache
from peel.work.stages.chain import CELL
from peel.work.stages.pyramid import Pyramid
from peel.work.stages.stages import Stages

__all__ = ["CELL", "Cache", "Pyramid", "Stages"]
