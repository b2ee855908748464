"""Values computed per point by a formula."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Meta

from estompe.document.formula import PER_ELEMENT, FormulaError, Value, compute, names_in, parse
from estompe.geometry.elements import Elements
from estompe.geometry.random import random_of
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import Source
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class FormulaSource(Source, tag="formula"):
    """A formula of each point's position (x y z), normal (nx ny nz), id, count, random number, and the scene's numbers."""

    group: ClassVar[str] = "pattern"
    label: ClassVar[str] = "Formula"
    text: ClassVar[str] = (
        "Arithmetic for each point: x y z, nx ny nz, id, count, random, frame, seconds, and numbers by name."
    )
    words: ClassVar[str] = (
        "expression, math, script, equation, function, sine, code, arithmetic, exponent, power, custom, "
        "clamp, lerp, phase, zigzag, smoothstep, periodic, invert"
    )

    formula: Annotated[
        str,
        setting(
            "Formula", "The arithmetic, such as 0.5 + 0.5 * sin(360 * x), or y * Lantern.scale.x.", editor="formula"
        ),
        Meta(min_length=1, max_length=1000),
    ] = "y"

    def reads(self) -> tuple[str, ...]:
        return "points", "normals"

    def clock(self, seconds: float, frame: float) -> float:
        del seconds
        try:
            moving = names_in(parse(self.formula)) & {("frame",), ("seconds",)}
        except FormulaError:
            return 0.0
        return frame if moving else 0.0

    def measure(self, elements: Elements, context: Context) -> Floats:
        def named(parts: tuple[str, ...]) -> Value:
            return _element(elements, parts[0]) if parts in PER_ELEMENT - _TIMES else context.number(parts)

        try:
            value = compute(parse(self.formula), named)
        except FormulaError as error:
            raise CannotEvaluateError(f"“{self.formula[error.begin : error.end]}”: {error}") from None
        return np.broadcast_to(np.asarray(value, np.float32), (len(elements),)).copy()


_TIMES = {("frame",), ("seconds",)}


def _element(elements: Elements, name: str) -> Value:
    if name in ("x", "y", "z"):
        return elements.positions[:, "xyz".index(name)].astype(np.float64)
    if name in ("nx", "ny", "nz"):
        return elements.normals[:, "xyz".index(name[1])].astype(np.float64)
    if name == "random":
        return random_of(elements.ids, 1).astype(np.float64)
    return float(len(elements)) if name == "count" else elements.ids.astype(np.float64)
