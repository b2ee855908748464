"""Values worked out per point by a formula."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Meta, Struct

from estompe.document.formula import PER_ELEMENT, FormulaError, Value, names_in, parse, work_out
from estompe.document.kinds import At, MissingError, Source, register
from estompe.document.settings import setting
from estompe.geometry.elements import random_of
from estompe.geometry.samples import Samples
from estompe.kernels.types import Floats


@register
class PerPoint(
    Struct, Source, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="formula", tag_field="kind"
):
    """A formula of each point's place (x y z), normal (nx ny nz), number (id, count), random number, and the scene's numbers."""

    label: ClassVar[str] = "Formula"
    text: ClassVar[str] = (
        "Arithmetic for each point: x y z, nx ny nz, id, count, random, frame, seconds, and numbers by name."
    )

    formula: Annotated[
        str,
        setting("Formula", "Such as 0.5 + 0.5 * sin(360 * x), or y * Lantern.size.x.", refers="formula"),
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

    def measure(self, samples: Samples, at: At) -> Floats:
        def named(parts: tuple[str, ...]) -> Value:
            return _element(samples, parts[0]) if parts in PER_ELEMENT - _TIMES else at.number(parts)

        try:
            value = work_out(parse(self.formula), named)
        except FormulaError as error:
            raise MissingError(f"“{self.formula[error.begin : error.end]}”: {error}") from None
        return np.broadcast_to(np.asarray(value, np.float32), (len(samples),)).copy()


_TIMES = {("frame",), ("seconds",)}


def _element(samples: Samples, name: str) -> Value:
    if name in ("x", "y", "z"):
        return samples.points[:, "xyz".index(name)].astype(np.float64)
    if name in ("nx", "ny", "nz"):
        return samples.normals[:, "xyz".index(name[1])].astype(np.float64)
    if name == "random":
        return random_of(np.arange(len(samples)), 1).astype(np.float64)
    return float(len(samples)) if name == "count" else np.arange(len(samples), dtype=np.float64)
