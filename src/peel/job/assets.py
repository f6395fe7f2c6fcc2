"""Pictures that are kept in a job beside its photo, so that it opens on another machine."""

import hashlib
from dataclasses import dataclass
from functools import cached_property

__all__ = ["Asset"]


@dataclass(frozen=True, eq=False)
class Asset:
    """A picture's file as it came.

    Attributes
    ----------
    name : str
        For people.
    content : bytes
    height, width : int
        Of the picture, upright.
    """

    name: str
    content: bytes
    height: int
    width: int

    @cached_property
    def digest(self) -> str:
        """A name made from its contents."""
        return hashlib.blake2b(self.content, digest_size=16).hexdigest()
