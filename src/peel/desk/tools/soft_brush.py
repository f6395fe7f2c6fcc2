"""What brushes have in common that are soft and have a strength, which a pen can drive."""

from peel.desk.tools.brush import Brush
from peel.job.edits.marking import Stroke
from peel.job.edits.touching import SoftStroke

__all__ = ["SoftBrush"]


class SoftBrush(Brush):
    """A brush with softness and strength, on the shelf."""

    shaped = True

    def soft(self, stroke: Stroke) -> SoftStroke:
        """Return a stroke as the shelf and the pen shape it."""
        if self.host is None:
            return SoftStroke(stroke.points, stroke.radius_px)
        shape, pressures = self.host.brush_shape, tuple(self._pressures)
        return SoftStroke(
            stroke.points,
            stroke.radius_px,
            shape.softness,
            shape.strength,
            pressures if shape.pen_strengthens else (),
            pressures if shape.pen_sizes else (),
        )
