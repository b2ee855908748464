"""A tide line to measure by, and a drip to drive with it."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.kinds import (
    Context,
    Effect,
    Elements,
    Floats,
    Geometry,
    Number,
    Source,
    plain,
    random_of,
    register,
    setting,
    whole,
)


@register
class Tide(Source, tag="tidal:tide"):
    """Height over a tide line that rises and falls with the clock."""

    group: ClassVar[str] = "time"
    label: ClassVar[str] = "Tide"
    text: ClassVar[str] = "How far each point lies over a tide line that rises and falls."

    low: Annotated[Number, setting("Low water", "Height of the line at low water.", unit="length")] = -0.5
    high: Annotated[Number, setting("High water", "Height of the line at high water.", unit="length")] = 0.5
    period: Annotated[Number, setting("Period", "Seconds from high water to high water.", low=0.01, high=1e6)] = 4.0

    def clock(self, seconds: float, frame: float) -> float:
        del frame
        return seconds % plain(self.period)

    def unit(self) -> str:
        return "length"

    def measure(self, elements: Elements, context: Context) -> Floats:
        phase = np.cos(2 * np.pi * context.clock / plain(self.period))
        low, high = plain(self.low), plain(self.high)
        line = low + (high - low) * (0.5 + 0.5 * phase)
        return elements.positions[:, 1] - np.float32(line)


@register
class Drip(Effect, tag="tidal:drip"):
    """Points run down, each at a pace of its own."""

    label: ClassVar[str] = "Drip"
    text: ClassVar[str] = "Points run down as far as the strength says, each at a pace of its own."

    by: Annotated[Number, setting("By", "How far they run at most.", unit="length", step=0.005)] = 0.2
    seed: Annotated[int, whole("Seed", "Another number, another pace.", low=0, high=2**31 - 1)] = 1

    def is_identity(self) -> bool:
        return plain(self.by) == 0.0

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        del context
        pace = random_of(np.arange(len(geometry.points)), self.seed)
        points = geometry.points.copy()
        points[:, 1] -= np.float32(plain(self.by)) * pace * strength
        return geometry.moved(points)
