"""Sway: a field of pendulums in the world moves points to and fro, as wind does."""

from collections.abc import Callable, Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from msgspec import structs

from estompe.document.scene import Identifier
from estompe.falloffs.blowing import air_of
from estompe.geometry import Geometry
from estompe.geometry.carrying import Carries
from estompe.geometry.strands import order_along, with_length_kept
from estompe.kernels.types import Floats
from estompe.kernels.wind import Root, swayed
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import Effect
from estompe.kinds.looping import LOOP_RATE, Loop, looped, turns_in
from estompe.kinds.numbers import Number, Triple, plain, plain_triple
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole


@register
class Sway(Effect, tag="sway"):
    """Each point moves along the axes as pendulums do that hang around where it stands in the world, each with its own pace."""

    carries: ClassVar[Carries] = "position"
    speed_setting: ClassVar[str] = "speed"
    on_strands: ClassVar[Mapping[str, Any] | None] = {"rooted": "strand"}
    label: ClassVar[str] = "Sway"
    text: ClassVar[str] = "Moves things like wind; neighbours differ, since the noise lies in the world."
    words: ClassVar[str] = (
        "wind, oscillate, waves, wave, swing, jiggle, grass, breeze, wobble, bounce, spring, pendulum, "
        "float, breathe, pulse, throb, vibrate, shake, tremble, jelly, water, ocean, overshoot"
    )

    by: Annotated[
        Triple,
        setting("Amplitude", "The approximate sway to either side, along world X Y Z.", unit="length", step=0.005),
    ] = (
        0.1,
        0.0,
        0.0,
    )
    size: Annotated[
        Number,
        setting(
            "Size",
            "The distance over which things sway alike: more moves larger parts together.",
            unit="length",
            low=1e-3,
            high=1e5,
            step=0.01,
        ),
    ] = 1.0
    speed: Annotated[
        Number,
        setting(
            "Frequency",
            "The number of swings a second: more sways faster.",
            unit="per second",
            low=-100.0,
            high=100.0,
            step=0.01,
        ),
    ] = 0.8
    rooted: Annotated[
        Literal["nowhere", "x", "y", "z", "strand"],
        setting(
            "Rooted along",
            "The axis of the shape at rest whose low end stays while the high end sways in full; strands stay at their roots.",
        ),
    ] = "y"
    stiffness: Annotated[
        Number,
        setting(
            "Stiffness",
            "The stiffness from the root up: more keeps the lower part still.",
            low=0.1,
            high=10.0,
            step=0.01,
        ),
    ] = 1.5
    seed: Annotated[
        int, whole("Seed", "The start of the random numbers: another seed gives another wind.", low=0, high=2**31 - 4)
    ] = 1

    loop: Loop = 0
    blown_by: Annotated[
        Identifier | None,
        setting("Blown by", "A wind of the scene that bends things over besides.", refers="wind"),
    ] = None
    bends: Annotated[
        Number,
        setting(
            "Bends over",
            "How far that wind bends things over, scene units for each scene unit a second: more yields more.",
            low=-100.0,
            high=100.0,
            step=0.01,
        ),
    ] = 0.1

    def clock(self, seconds: float, frame: float) -> float:
        speed = plain(self.speed)
        if self.loop and speed:
            return turns_in(self.loop, speed) * ((frame % self.loop) / self.loop)
        return speed * seconds

    def paced(self, phase_at: Callable[[float], float], frame: float) -> tuple["Sway", float]:
        if not self.loop:
            return self, phase_at(frame)
        turns, clock = looped(self.loop, phase_at, frame)
        return structs.replace(self, speed=turns * LOOP_RATE / self.loop), clock

    def is_identity(self) -> bool:
        return self.blown_by is None and not any(plain_triple(self.by))

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        by, root = plain_triple(self.by), None
        turns = turns_in(self.loop, plain(self.speed)) if self.loop and plain(self.speed) else 0
        if self.rooted == "strand":
            return self._swayed_strands(geometry, strength, turns, context)
        if self.rooted != "nowhere":
            axis = "xyz".index(self.rooted)
            root = Root(geometry.rest, axis, *geometry.at_rest.extent(axis), plain(self.stiffness))
        moved = swayed(geometry.points, strength, root, by, plain(self.size), context.clock, self.seed, turns)
        return geometry.moved(self._bent(moved, geometry.points, strength, root, context))

    def _bent(self, moved: Floats, places: Floats, strength: Floats, root: Root | None, context: Context) -> Floats:
        """Points that a wind of the scene bends over, more the farther they are from their root."""
        if self.blown_by is None:
            return moved
        eased = strength
        if root is not None:
            extent = max(root.high - root.low, 1e-12)
            along = np.clip((root.rest[:, root.axis] - root.low) / extent, 0.0, 1.0)
            eased = strength * along ** np.float32(root.stiffness)
        way = np.float32(plain(self.bends)) * eased[:, None] * air_of(context, self.blown_by, places)
        return np.where(eased[:, None] == 0.0, moved, moved + way).astype(np.float32)

    def _swayed_strands(self, geometry: Geometry, strength: Floats, turns: int, context: Context) -> Geometry:
        """Strands sway about their roots and keep their length."""
        order = order_along(geometry)
        if order is None:
            raise CannotEvaluateError("it has no strands that could be rooted: choose another axis to root it along")
        eased = np.asarray(strength * order ** np.float32(plain(self.stiffness)), np.float32)
        by, size = plain_triple(self.by), plain(self.size)
        moved = swayed(geometry.points, eased, None, by, size, context.clock, self.seed, turns)
        return geometry.moved(with_length_kept(geometry, self._bent(moved, geometry.points, eased, None, context)))
