"""Noise in the world or fixed to the shape, still, changing or looping in time."""

from collections.abc import Callable
from typing import Annotated, ClassVar, Literal

import numpy as np
from msgspec import structs

from estompe.geometry.elements import Elements
from estompe.geometry.random import random_of
from estompe.geometry.transforms import inverse
from estompe.kernels.noise import gradient_noise
from estompe.kernels.patterns import Pattern, levels, pattern_noise
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Join, Source
from estompe.kinds.looping import LOOP_RATE, Loop, looped, turns_in
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole

_PATTERNS = {"value": Pattern.VALUE, "simplex": Pattern.SIMPLEX, "sparse": Pattern.SPARSE}
_CELLS = {"nearest": Pattern.NEAREST, "second minus nearest": Pattern.DIFFERENCE, "cell number": Pattern.CELL}


@register
class Noise(Source, tag="noise"):
    """Fractal noise, centred on zero and about -amount..amount, or 0..amount."""

    group: ClassVar[str] = "pattern"
    has_pattern: ClassVar[bool] = True
    speed_setting: ClassVar[str] = "speed"
    first_join: ClassVar[Join] = "add"
    first_range: ClassVar[tuple[float, float] | None] = (0.5, -0.5)
    label: ClassVar[str] = "Noise"
    text: ClassVar[str] = (
        "Irregular values centred on zero. Added to a distance it roughens the edge by so many scene units."
    )
    words: ClassVar[str] = (
        "turbulence, fractal, random pattern, jitter, cells, cellular, voronoi, clouds, irregular,"
        " variation, wobble, texture"
    )

    amount: Annotated[
        Number,
        setting("Amount", "The largest value to either side of zero: more roughens more.", unit="length", step=0.005),
    ] = 0.1
    size: Annotated[
        Number,
        setting(
            "Size",
            "The width of the largest lumps: more makes the pattern coarser.",
            unit="length",
            low=1e-4,
            high=1e5,
            step=0.01,
        ),
    ] = 0.3
    octaves: Annotated[
        int, whole("Octaves", "The number of layers of ever finer detail: more adds finer grain.", low=1, high=10)
    ] = 3
    roughness: Annotated[
        Number,
        setting(
            "Roughness",
            "The strength of each finer layer relative to the one before: more makes detail stand out.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.01,
        ),
    ] = 0.5
    speed: Annotated[
        Number,
        setting(
            "Speed",
            "How fast the pattern changes: more changes it faster, 0 keeps it still.",
            unit="per second",
            low=-100.0,
            high=100.0,
            step=0.01,
        ),
    ] = 0.0
    space: Annotated[
        Literal["world", "local", "rest"],
        setting("Space", "Where the pattern is fixed: in the world, to the shape, or to the surface at rest."),
    ] = "world"
    seed: Annotated[
        int,
        whole("Seed", "The start of the random numbers: another seed gives another pattern.", low=0, high=2**31 - 1),
    ] = 1
    pattern: Annotated[
        Literal["gradient", "value", "simplex", "cellular", "sparse"],
        setting("Pattern", "The kind of noise: rolling, blocky, even, cells, or scattered spots."),
    ] = "gradient"
    cells: Annotated[
        Literal["nearest", "second minus nearest", "cell number"],
        setting(
            "Cell value",
            "What a cell gives: the distance to its middle, the width of its walls, or a number of its own.",
            when=("pattern", ("cellular",)),
        ),
    ] = "nearest"
    irregularity: Annotated[
        Number,
        setting(
            "Irregularity",
            "How far cells stray from a regular grid: more makes their sizes differ more.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.01,
            when=("pattern", ("cellular",)),
        ),
    ] = 0.8
    loop: Loop = 0
    floor: Annotated[
        Number,
        setting(
            "Floor",
            "The lower limit of the values: what is lower is set to it.",
            unit="fraction",
            low=-5.0,
            high=5.0,
            step=0.01,
            folded=True,
        ),
    ] = -1.0
    ceiling: Annotated[
        Number,
        setting(
            "Ceiling",
            "The upper limit of the values: what is higher is set to it.",
            unit="fraction",
            low=-5.0,
            high=5.0,
            step=0.01,
            folded=True,
        ),
    ] = 1.0
    steepness: Annotated[
        Number,
        setting(
            "Contrast",
            "The steepness about the middle: more gives harder transitions.",
            unit="times",
            low=0.0,
            high=100.0,
            step=0.01,
            folded=True,
        ),
    ] = 1.0
    lift: Annotated[
        Number,
        setting(
            "Lift",
            "A number that is added to all values: more raises them.",
            unit="fraction",
            low=-5.0,
            high=5.0,
            step=0.01,
            folded=True,
        ),
    ] = 0.0
    offset: Annotated[
        Number,
        setting(
            "Offset per element",
            "The random offset of each element's sampling position: more makes neighbours differ more.",
            unit="length",
            low=0.0,
            high=1e5,
            step=0.01,
            folded=True,
        ),
    ] = 0.0
    invert: Annotated[bool, setting("Invert", "Whether high and low values are exchanged.", folded=True)] = False
    centred: Annotated[
        bool, setting("Centred", "Whether values lie to both sides of zero instead of from zero up.", folded=True)
    ] = True

    def reads(self) -> tuple[str, ...]:
        own = ("points", "matrix") if self.space == "local" else ("points",)
        return ("rest",) if self.space == "rest" else own

    def clock(self, seconds: float, frame: float) -> float:
        speed = plain(self.speed)
        if speed == 0.0:
            return 0.0
        if self.loop:
            return turns_in(self.loop, speed) * ((frame % self.loop) / self.loop)
        return speed * seconds

    def paced(self, phase_at: Callable[[float], float], frame: float) -> tuple["Noise", float]:
        if not self.loop:
            return structs.replace(self, speed=1.0), phase_at(frame)
        turns, clock = looped(self.loop, phase_at, frame)
        return structs.replace(self, speed=turns * LOOP_RATE / self.loop), clock

    def detail(self) -> float | None:
        return plain(self.size) / 2.0 ** (self.octaves - 1)

    def unit(self) -> str:
        return "length"

    def measure(self, elements: Elements, context: Context) -> Floats:
        positions = elements.rest if self.space == "rest" else elements.positions
        if self.space == "local":
            positions = transformed(positions, inverse(context.shape_matrix))
        if plain(self.offset) > 0.0:
            ids = elements.ids
            shifts = [random_of(ids, self.seed * 3 + axis) for axis in range(3)]
            positions = positions + np.stack(shifts, axis=1) * np.float32(plain(self.offset))
        size, roughness = plain(self.size), plain(self.roughness)
        moving = plain(self.speed) != 0.0
        as_it_is = self.pattern == "gradient" and self._plain_levels
        if self.pattern == "gradient":
            amount = plain(self.amount) if as_it_is else 1.0
            period = turns_in(self.loop, plain(self.speed)) if moving and self.loop else 0
            clock = context.clock if moving else None
            values = gradient_noise(positions, size, self.octaves, roughness, amount, self.seed, clock, period)
        else:
            pattern = _CELLS[self.cells] if self.pattern == "cellular" else _PATTERNS[self.pattern]
            spread = plain(self.irregularity)
            turns = turns_in(self.loop, plain(self.speed)) if moving and self.loop else 0
            shape = self.octaves, roughness, self.seed
            values = pattern_noise(positions, pattern, size, *shape, context.clock, spread, turns)
            if self.pattern == "cellular":
                values = values * np.float32(2.0) - np.float32(1.0)
        return values if as_it_is else self._levelled(values)

    @property
    def _plain_levels(self) -> bool:
        """Whether levels would change nothing, so that even what lies beyond -1..1 is kept."""
        settings = self.floor, self.ceiling, self.steepness, self.lift, self.centred, self.invert
        return settings == (-1.0, 1.0, 1.0, 0.0, True, False)

    def _levelled(self, values: Floats) -> Floats:
        low, high = plain(self.floor), plain(self.ceiling)
        steepness = -plain(self.steepness) if self.invert else plain(self.steepness)
        return levels(values, low, high, steepness, plain(self.lift), plain(self.amount), self.centred)
