"""Noise in the world or fixed to the shape, still, changing or looping in time."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from msgspec import Meta, Struct

from estompe.document.kinds import At, Source, register
from estompe.document.numbers import Number, plain
from estompe.document.settings import setting
from estompe.geometry.elements import random_of
from estompe.geometry.placement import inverse
from estompe.geometry.samples import Samples
from estompe.kernels.noise import gradient_noise
from estompe.kernels.patterns import Pattern, levels, pattern_noise
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats

_PATTERNS = {"value": Pattern.VALUE, "simplex": Pattern.SIMPLEX, "sparse": Pattern.SPARSE}
_CELLS = {"nearest": Pattern.NEAREST, "second minus nearest": Pattern.DIFFERENCE, "cell number": Pattern.CELL}


@register
class Noise(Struct, Source, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="noise", tag_field="kind"):
    """Fractal noise, centred on zero and about -amount..amount, or 0..amount."""

    label: ClassVar[str] = "Noise"
    text: ClassVar[str] = (
        "Irregular values centred on zero. Added to a distance it roughens the edge by so many scene units."
    )

    amount: Annotated[
        Number, setting("Amount", "How far the values reach to either side of zero.", unit="length", step=0.005)
    ] = 0.1
    size: Annotated[
        Number, setting("Size", "Width of the largest lumps.", unit="length", low=1e-4, high=1e5, step=0.01)
    ] = 0.3
    octaves: Annotated[int, setting("Octaves", "Layers of ever finer detail.", low=1, high=10), Meta(ge=1, le=10)] = 3
    roughness: Annotated[
        Number,
        setting(
            "Roughness",
            "How strong each finer layer is beside the one before.",
            unit="share",
            low=0.0,
            high=1.0,
            step=0.01,
        ),
    ] = 0.5
    speed: Annotated[
        Number,
        setting(
            "Speed", "How fast it changes; 0 keeps it still.", unit="per second", low=-100.0, high=100.0, step=0.01
        ),
    ] = 0.0
    space: Annotated[
        Literal["world", "local", "rest"],
        setting(
            "Space", "World: things move through it. Local: it goes with the shape. Rest: it sticks to the surface."
        ),
    ] = "world"
    seed: Annotated[
        int, setting("Seed", "Another number, another pattern.", low=0, high=2**31 - 1), Meta(ge=0, le=2**31 - 1)
    ] = 1
    pattern: Annotated[
        Literal["gradient", "value", "simplex", "cellular", "sparse"],
        setting("Pattern", "Rolling, blocky, even, cells, or scattered spots."),
    ] = "gradient"
    cells: Annotated[
        Literal["nearest", "second minus nearest", "cell number"],
        setting("Cells", "Of a cellular pattern: distance to the middle, width of the walls, or one number a cell."),
    ] = "nearest"
    spread: Annotated[
        Number, setting("Spread", "How irregular the cells stand.", unit="share", low=0.0, high=1.0, step=0.01)
    ] = 0.8
    loop: Annotated[
        int,
        setting("Loop", "Frames after which it is the same again; 0 for never.", unit="frames", low=0, high=100_000),
        Meta(ge=0, le=100_000),
    ] = 0
    low: Annotated[
        Number, setting("Clip low", "Values below this are cut.", unit="share", low=-5.0, high=5.0, step=0.01)
    ] = -1.0
    high: Annotated[
        Number, setting("Clip high", "Values above this are cut.", unit="share", low=-5.0, high=5.0, step=0.01)
    ] = 1.0
    contrast: Annotated[
        Number, setting("Contrast", "Steeper about the middle.", unit="times", low=0.0, high=100.0, step=0.01)
    ] = 1.0
    brightness: Annotated[
        Number, setting("Brightness", "Added to all values.", unit="share", low=-5.0, high=5.0, step=0.01)
    ] = 0.0
    apart: Annotated[
        Number,
        setting(
            "Apart",
            "How far each element's sample lies from its neighbours'; 0 reads the noise in place.",
            unit="length",
            low=0.0,
            high=1e5,
            step=0.01,
        ),
    ] = 0.0
    invert: Annotated[bool, setting("Invert", "High where it was low.")] = False
    centred: Annotated[bool, setting("Centred", "To both sides of zero, rather than from zero up.")] = True

    def reads(self) -> tuple[str, ...]:
        return ("rest",) if self.space == "rest" else ("points",)

    def clock(self, seconds: float, frame: float) -> float:
        speed = plain(self.speed)
        if speed == 0.0:
            return 0.0
        if self.loop:
            return self._turns() * ((frame % self.loop) / self.loop)
        return speed * seconds

    def _turns(self) -> int:
        """Whole steps of time in one loop: as many as the speed asks for at 24 frames a second, and at least one."""
        return max(1, round(abs(plain(self.speed)) * self.loop / 24.0))

    def unit(self) -> str:
        return "length"

    def measure(self, samples: Samples, at: At) -> Floats:
        places = samples.rest if self.space == "rest" else samples.points
        if self.space == "local":
            places = transformed(places, inverse(at.shape_matrix))
        if plain(self.apart) > 0.0:
            ids = np.arange(len(places))
            shifts = [random_of(ids, self.seed * 3 + axis) for axis in range(3)]
            places = places + np.stack(shifts, axis=1) * np.float32(plain(self.apart))
        size, roughness = plain(self.size), plain(self.roughness)
        moving = plain(self.speed) != 0.0
        as_it_is = self.pattern == "gradient" and self._plain_levels
        if self.pattern == "gradient":
            amount = plain(self.amount) if as_it_is else 1.0
            period = self._turns() if moving and self.loop else 0
            clock = at.clock if moving else None
            values = gradient_noise(places, size, self.octaves, roughness, amount, self.seed, clock, period)
        else:
            pattern = _CELLS[self.cells] if self.pattern == "cellular" else _PATTERNS[self.pattern]
            spread = plain(self.spread)
            values = pattern_noise(places, pattern, size, self.octaves, roughness, self.seed, at.clock, spread)
            if self.pattern == "cellular":
                values = values * np.float32(2.0) - np.float32(1.0)
        return values if as_it_is else self._levelled(values)

    @property
    def _plain_levels(self) -> bool:
        """Whether levels would change nothing, so that even what lies beyond -1..1 is kept."""
        settings = self.low, self.high, self.contrast, self.brightness, self.centred, self.invert
        return settings == (-1.0, 1.0, 1.0, 0.0, True, False)

    def _levelled(self, values: Floats) -> Floats:
        low, high = plain(self.low), plain(self.high)
        contrast = -plain(self.contrast) if self.invert else plain(self.contrast)
        return levels(values, low, high, contrast, plain(self.brightness), plain(self.amount), self.centred)
