"""Where the demo photographs lie, and what they show."""

from dataclasses import dataclass
from pathlib import Path
from typing import Final

__all__ = ["ASSIGNMENT", "NAMES", "PHOTOS", "DemoPhoto", "demo_photo"]

PHOTOS: Final = Path(__file__).parent / "photos"
ASSIGNMENT: Final = "Hollow Lantern Puppet Theatre, autumn programme"


@dataclass(frozen=True)
class DemoPhoto:
    """One photograph of the assignment and its reference files."""

    name: str
    title: str
    brief: str

    @property
    def photo(self) -> Path:
        """The photograph."""
        return PHOTOS / f"{self.name}.jpg"

    @property
    def matte(self) -> Path:
        """The exact matte, 8-bit gray."""
        return PHOTOS / f"{self.name}-matte.png"

    @property
    def zones(self) -> Path:
        """A rough marking, 8-bit gray: 0 backdrop, 128 unsure, 255 subject."""
        return PHOTOS / f"{self.name}-zones.png"

    @property
    def colours(self) -> Path:
        """The subject's true colours, continued outward."""
        return PHOTOS / f"{self.name}-colours.jpg"

    @property
    def kinds(self) -> Path:
        """The true kinds along the edge, 8-bit gray: 50 times the kind, 0 away from the edge."""
        return PHOTOS / f"{self.name}-kinds.png"

    @property
    def second_frame(self) -> Path | None:
        """The set without the subject, or the subject before another backdrop; None for most."""
        path = PHOTOS / f"{self.name}-{_SECOND.get(self.name, '')}.jpg"
        return path if self.name in _SECOND else None


_SECOND: Final = {"bramble": "set", "russet": "set", "moth-queen": "again"}
_DEMO: Final = {
    photo.name: photo
    for photo in (
        DemoPhoto("bramble", "Bramble", "Wild wool hair before a painted wall; a gap at the elbow."),
        DemoPhoto("russet", "Russet", "Dense fur; a tail out of focus, of the wall's colour."),
        DemoPhoto("ivy-king", "Ivy king", "Leaves and dry grass before a bright window."),
        DemoPhoto("lamplighter", "Lamplighter", "A cream lantern on pale paper; see through the handle."),
        DemoPhoto("moth-queen", "Moth queen", "Gauze wings and feather antennae before dark cloth."),
        DemoPhoto("tin-drummer", "Tin drummer", "A horsehair plume on green cloth, green light in it."),
    )
}
NAMES: Final = tuple(_DEMO)


def demo_photo(name: str) -> DemoPhoto:
    """Return a demo photograph by its file name."""
    return _DEMO[name]
