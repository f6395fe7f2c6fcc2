"""Which edges a correction is for: all of them, a kind, or those in a drawn area."""

from dataclasses import dataclass

from peel.matte.edge.kind import Kind

__all__ = ["EdgeTarget", "edge_targets"]


@dataclass(frozen=True)
class EdgeTarget:
    """Everywhere, a kind by its name, or a drawn area by its number."""

    name: str = "everywhere"
    area: int | None = None

    @property
    def label(self) -> str:
        """What the window calls it.

        >>> EdgeTarget("hard").label, EdgeTarget("area", 0).label
        ('Hard edges', 'Area 1')
        """
        if self.area is not None:
            return f"Area {self.area + 1}"
        return "Everywhere" if self.name == "everywhere" else f"{self.name.capitalize()} edges"


def edge_targets(area_count: int) -> list[EdgeTarget]:
    """List everything that can have corrections of its own, given how many areas are drawn."""
    kinds = [EdgeTarget(kind.id) for kind in Kind]
    return [EdgeTarget(), *kinds, *(EdgeTarget("area", number) for number in range(area_count))]
