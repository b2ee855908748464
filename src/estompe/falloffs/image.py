"""A picture's brightness or one of its channels, through the shape's UVs."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from msgspec import Meta, Struct

from estompe.document import pictures
from estompe.document.kinds import At, MissingError, Source, register
from estompe.document.numbers import Number, plain
from estompe.document.settings import setting
from estompe.geometry import Domain, Geometry
from estompe.geometry.samples import Samples
from estompe.kernels.types import Floats

_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)


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
        picture = pictures.pixels(numbered(self.file, at.clock))
        index = ("red", "green", "blue", "alpha")
        values = (
            picture[..., :3] @ _LUMINANCE if self.channel == "brightness" else picture[..., index.index(self.channel)]
        )
        return _on_points(samples.geometry, values, plain(self.repeat))


def numbered(file: str, frame: float) -> str:
    """A file's name with its run of # replaced by the frame's number."""
    first = file.find("#")
    if first < 0:
        return file
    last = first
    while last < len(file) and file[last] == "#":
        last += 1
    return f"{file[:first]}{round(frame):0{last - first}d}{file[last:]}"


def _on_points(mesh: Geometry, values: Floats, repeat: float) -> Floats:
    """Sampled where the UVs are - at corners, if they are kept there, so that seams do not blur - and averaged onto points."""
    for domain in (Domain.CORNER, Domain.POINT):
        uv = mesh.attribute(domain, "uv")
        if uv is not None:
            sampled = _sampled(values, np.asarray(uv, np.float32)[:, :2] * np.float32(repeat))
            if domain is Domain.POINT:
                return sampled
            made = Geometry(mesh.points, mesh.topology, {(domain, "sampled"): sampled}).on_points("sampled")
            assert made is not None
            return made
    raise MissingError("the shape has no UVs to lay the picture on: bring in one that has, or use a primitive")


def _sampled(values: Floats, uv: Floats) -> Floats:
    """Values between pixels, bilinear, float32 (n,); v runs from the bottom up."""
    height, width = values.shape
    x, y = uv[:, 0] * width - 0.5, (1.0 - uv[:, 1]) * height - 0.5
    left, top = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
    across, down = (x - left).astype(np.float32), (y - top).astype(np.float32)
    columns, rows = (left % width, (left + 1) % width), (top % height, (top + 1) % height)
    upper = values[rows[0], columns[0]] * (1 - across) + values[rows[0], columns[1]] * across
    lower = values[rows[1], columns[0]] * (1 - across) + values[rows[1], columns[1]] * across
    return np.asarray(upper * (1 - down) + lower * down, np.float32)
