"""A second frame of the photo."""

from typing import Annotated, Final, Literal

from pydantic import Field

from peel.job.settings.base import Digest, SettingsModel

__all__ = ["FrameKind", "FrameNudge", "SecondFrame"]

FrameKind = Literal["empty", "again"]
_MOST_PX: Final = 400


class SecondFrame(SettingsModel):
    """One more picture of the same set, from which Peel knows the backdrop or sees the subject twice.

    Attributes
    ----------
    picture : digest of the picture among the job's pictures; None for none.
    kind : the set without the subject, or the same subject before another backdrop.
    used : whether it counts.
    """

    picture: Digest | None = None
    kind: FrameKind = "empty"
    used: bool = True

    @property
    def counts(self) -> bool:
        """Whether there is one, and it is used."""
        return self.picture is not None and self.used


class FrameNudge(SettingsModel):
    """By how much a second frame is moved by hand, beyond what Peel found.

    Attributes
    ----------
    right_px, down_px : pixels of the photo.
    turn_deg : clockwise, around the photo's middle.
    """

    right_px: Annotated[float, Field(ge=-_MOST_PX, le=_MOST_PX)] = 0.0
    down_px: Annotated[float, Field(ge=-_MOST_PX, le=_MOST_PX)] = 0.0
    turn_deg: Annotated[float, Field(ge=-5, le=5)] = 0.0
