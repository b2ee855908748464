"""Gradient noise in the world or fixed to the shape, still or changing in time."""

from typing import Annotated, ClassVar, Literal

from msgspec import Meta, Struct

from estompe.document.kinds import At, Source, register
from estompe.document.numbers import Number, plain
from estompe.document.settings import setting
from estompe.geometry.samples import Samples
from estompe.kernels.noise import gradient_noise
from estompe.kernels.types import Floats


@register
class Noise(Struct, Source, frozen=True, forbid_unknown_fields=True, tag="noise", tag_field="kind"):
    """Fractal gradient noise centred on zero, about -amount..amount."""

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
        Literal["world", "local"], setting("Space", "World: things move through it. Local: it sticks to the shape.")
    ] = "world"
    seed: Annotated[
        int, setting("Seed", "Another number, another pattern.", low=0, high=2**31 - 1), Meta(ge=0, le=2**31 - 1)
    ] = 1

    def reads(self) -> tuple[str, ...]:
        return ("points",) if self.space == "world" else ("rest",)

    def clock(self, seconds: float) -> float:
        return plain(self.speed) * seconds

    def unit(self) -> str:
        return "length"

    def measure(self, samples: Samples, at: At) -> Floats:
        places = samples.points if self.space == "world" else samples.rest
        time = at.clock if plain(self.speed) != 0.0 else None
        return gradient_noise(
            places, plain(self.size), self.octaves, plain(self.roughness), plain(self.amount), self.seed, time
        )
