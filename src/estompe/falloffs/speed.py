"""How fast things move."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.document.context import CannotEvaluateError, Context
from estompe.document.kinds import Source
from estompe.document.registry import register
from estompe.document.scene import Identifier
from estompe.document.settings import setting
from estompe.geometry.elements import Elements
from estompe.kernels.types import Floats


@register
class Speed(Source, tag="speed"):
    """How far each element, or a control, has moved since the frame before."""

    group: ClassVar[str] = "time"
    label: ClassVar[str] = "Speed"
    text: ClassVar[str] = "How far each element, or a control, has moved since the frame before, in scene units."

    control: Annotated[
        Identifier | None,
        setting(
            "Of control", "The control whose speed all elements get; none for that of the elements.", refers="control"
        ),
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
        if len(before) != len(elements):
            noun = elements.domain.value
            raise CannotEvaluateError(
                f"there are {len(elements):,} {noun}s now and there were {len(before):,} on the frame before: "
                "put what it drives before the effect that changes them"
            )
        way = elements.positions - before.positions
        found: Floats = np.sqrt(np.einsum("ij,ij->i", way, way)).astype(np.float32)
        return found
