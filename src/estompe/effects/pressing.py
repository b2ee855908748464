"""What effects that press have in common: the body, which is a control or a closed shape."""

from typing import Annotated

from estompe.document.scene import Identifier
from estompe.falloffs.touching import Touch, by_control, by_shape
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import Effect
from estompe.kinds.numbers import Number, plain
from estompe.kinds.settings import setting


class PressingEffect(Effect):
    """An effect of a body on what it touches."""

    control: Annotated[
        Identifier | None, setting("Control", "The control that presses, by its form.", refers="control")
    ] = None
    radius: Annotated[
        Number,
        setting(
            "Radius",
            "The radius of the control's body, in its own units: more makes it larger.",
            unit="length",
            low=1e-4,
            high=1e6,
        ),
    ] = 0.3
    shape: Annotated[
        Identifier | None,
        setting("Collider shape", "A closed shape that presses instead of the control.", refers="shape"),
    ] = None

    def touch(self, points: Floats, context: Context, width: float) -> Touch:
        """How points touch the body. width: how far outside of a shape is looked at, scene units. Raises CannotEvaluateError."""
        if self.shape is not None:
            return by_shape(points, context.shape(self.shape), width)
        if self.control is None:
            raise CannotEvaluateError("nothing presses yet: choose a control or a shape")
        return by_control(points, context.control(self.control), plain(self.radius))
