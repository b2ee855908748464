"""Scatter apart: every element is moved, rotated and scaled by random amounts of its own."""

from typing import Annotated, ClassVar, Literal

import numpy as np

from estompe.geometry import Geometry
from estompe.geometry.carrying import Spread, varied
from estompe.geometry.random import random_of
from estompe.geometry.samples import samples_of
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import EVERY_ELEMENT, ActsOn, Effect
from estompe.kinds.numbers import Triple, plain_triple
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole


@register
class ScatterApart(Effect, tag="scatter-apart"):
    """Offsets, rotations and scales between limits, by each element's id, as far as its strength says.

    Its random numbers stay with the elements when others come or go.
    """

    acts: ClassVar[tuple[ActsOn, ...]] = EVERY_ELEMENT
    group: ClassVar[str] = "break"
    label: ClassVar[str] = "Scatter apart"
    text: ClassVar[str] = "Throws, rotates and scales pieces or copies by random amounts of their own."
    words: ClassVar[str] = (
        "explode, explosion, jitter, burst, fly apart, disintegrate, random transform, debris, variation, "
        "randomize, throw, chaos, implode, smoke"
    )

    least: Annotated[Triple, setting("Offset from", "The smallest random offset, X Y Z.", unit="length", step=0.01)] = (
        -0.1,
        -0.1,
        -0.1,
    )
    most: Annotated[Triple, setting("Offset to", "The largest random offset, X Y Z.", unit="length", step=0.01)] = (
        0.1,
        0.1,
        0.1,
    )
    axes: Annotated[
        Literal["world", "local", "own", "outward"],
        setting(
            "Axes", "The axes of the offsets: of the world, the shape, each element, or Y outward from the middle."
        ),
    ] = "world"
    rotation: Annotated[
        Triple,
        setting("Rotation", "The largest random rotation to either side, about X Y Z.", unit="degrees", step=1.0),
    ] = (0.0, 0.0, 0.0)
    smallest: Annotated[
        Triple, setting("Scale from", "The smallest random scale, X Y Z.", unit="times", step=0.01, low=0.0, high=1e4)
    ] = (1.0, 1.0, 1.0)
    largest: Annotated[
        Triple, setting("Scale to", "The largest random scale, X Y Z.", unit="times", step=0.01, low=0.0, high=1e4)
    ] = (1.0, 1.0, 1.0)
    even: Annotated[bool, setting("Uniform scale", "Whether one random scale is used for all three axes.")] = True
    seed: Annotated[
        int, whole("Seed", "The start of the random numbers: another seed gives other amounts.", low=0, high=2**31 - 1)
    ] = 1

    def reads(self) -> tuple[str, ...]:
        return ("matrix",)

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        elements = samples_of(geometry, context.domain)
        return varied(geometry, context.domain, strength, self._spread(elements.ids, context), self.axes)

    def _spread(self, ids: np.ndarray, context: Context) -> Spread:
        numbers = np.stack([random_of(ids, self.seed + 104729 * k) for k in range(9)], axis=1)
        offsets = _between(plain_triple(self.least), plain_triple(self.most), numbers[:, :3])
        if self.axes == "local":
            linear = context.shape_matrix[:, :3]
            offsets = (offsets @ (linear / np.maximum(np.linalg.norm(linear, axis=0), 1e-12)).T).astype(np.float32)
        turns = np.asarray(plain_triple(self.rotation), np.float32) * (2 * numbers[:, 3:6] - 1)
        shares = np.repeat(numbers[:, 6:7], 3, axis=1) if self.even else numbers[:, 6:]
        sizes = _between(plain_triple(self.smallest), plain_triple(self.largest), shares)
        return Spread(offsets, turns.astype(np.float32), sizes)


def _between(low: tuple[float, float, float], high: tuple[float, float, float], shares: Floats) -> Floats:
    least, most = np.asarray(low, np.float32), np.asarray(high, np.float32)
    return least + (most - least) * shares
