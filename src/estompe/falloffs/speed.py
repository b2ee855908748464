"""How fast things move."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.document.scene import Identifier
from estompe.geometry import GeometryError
from estompe.geometry.elements import Elements
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import Source
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class Speed(Source, tag="speed"):
    """How far each element, or a control, has moved since the frame before."""

    group: ClassVar[str] = "time"
    first_range: ClassVar[tuple[float, float] | None] = (0.1, 0.0)
    label: ClassVar[str] = "Speed"
    text: ClassVar[str] = "How far each element, or a control, has moved since the frame before, in scene units."
    words: ClassVar[str] = "velocity, motion, fast, movement, acceleration, moving, rate of change, magnitude, momentum"

    control: Annotated[
        Identifier | None,
        setting("Control", "A control whose speed all elements get; without one each has its own.", refers="control"),
    ] = None

    def reads(self) -> tuple[str, ...]:
        return ("topology",) if self.control is not None else ("points",)

    def unit(self) -> str:
        return "length"

    def other_frames(self) -> tuple[float, ...]:
        return (-1.0,)

    def measure(self, elements: Elements, context: Context) -> Floats:
        if self.control is not None:
            now, then = context.control(self.control), context.control(self.control, -1.0)
            return np.full(len(elements), np.linalg.norm(now.matrix[:, 3] - then.matrix[:, 3]), np.float32)
        before = context.elements(-1.0)
        try:
            numbers = elements.numbers_in(before)
        except GeometryError:
            noun = elements.domain.value
            raise CannotEvaluateError(
                f"there are {len(elements):,} {noun}s now and there were {len(before):,} others on the frame before: "
                "put what it drives before the effect that changes them"
            ) from None
        if numbers is None:
            way = elements.positions - before.positions
        else:
            # An element that was not there on the frame before has not moved.
            known = np.flatnonzero(numbers >= 0)
            way = np.zeros((len(elements), 3), np.float32)
            way[known] = elements.positions[known] - before.positions[numbers[known]]
        found: Floats = np.sqrt(np.einsum("ij,ij->i", way, way)).astype(np.float32)
        return found
