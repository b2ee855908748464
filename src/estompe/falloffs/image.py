"""A picture's brightness or one of its channels, through the shape's UVs."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from msgspec import Meta, Struct

from estompe.document import pictures
from estompe.document.kinds import At, MissingError, Source, register
from estompe.document.numbers import Number, plain
from estompe.document.settings import setting
from estompe.geometry import Domain, Geometry, frozen
from estompe.geometry.samples import Samples
from estompe.kernels.sampling import sampled
from estompe.kernels.types import Floats

_WEIGHTS = {
    "brightness": frozen(np.array([0.2126, 0.7152, 0.0722, 0.0], np.float32)),
    **{
        name: frozen(row)
        for name, row in zip(("red", "green", "blue", "alpha"), np.eye(4, dtype=np.float32), strict=True)
    },
}


@register
class Image(Struct, Source, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="image", tag_field="kind"):
    """A picture's values where the UVs say, between its pixels; outside 0..1 it repeats."""

    label: ClassVar[str] = "Image"
    text: ClassVar[str] = "A picture through the shape's UVs: PNG, JPEG or EXR; #### in its name counts the frames."

    file: Annotated[
        str,
        setting("File", "The picture. #### stands for the frame's number.", refers="picture"),
        Meta(max_length=4000),
    ] = ""
    channel: Annotated[
        Literal["brightness", "red", "green", "blue", "alpha"], setting("Channel", "What of the picture counts.")
    ] = "brightness"
    repeat: Annotated[
        Number, setting("Repeat", "How often it fits into the UVs.", unit="times", low=1e-3, high=1e3)
    ] = 1.0

    def reads(self) -> tuple[str, ...]:
        return "attributes", "topology"

    def clock(self, seconds: float, frame: float) -> float:
        del seconds
        return frame if "#" in self.file else 0.0

    def measure(self, samples: Samples, at: At) -> Floats:
        pixels = pictures.pixels(numbered(self.file, at.clock))
        return _on_points(samples.geometry, pixels, plain(self.repeat), _WEIGHTS[self.channel])


def numbered(file: str, frame: float) -> str:
    """A file's name with its run of # replaced by the frame's number."""
    first = file.find("#")
    if first < 0:
        return file
    last = first
    while last < len(file) and file[last] == "#":
        last += 1
    return f"{file[:first]}{round(frame):0{last - first}d}{file[last:]}"


def _on_points(mesh: Geometry, pixels: Floats, repeat: float, weights: Floats) -> Floats:
    """Sampled where the UVs are - at corners, if they are kept there, so that seams do not blur - and averaged onto points."""
    for domain in (Domain.CORNER, Domain.POINT):
        uv = mesh.attribute(domain, "uv")
        if uv is not None:
            values = sampled(pixels, np.ascontiguousarray(uv[:, :2], np.float32), repeat, weights)
            return values if domain is Domain.POINT else mesh.to_points(domain, values)
    raise MissingError("the shape has no UVs to lay the picture on: bring in one that has, or use a primitive")
