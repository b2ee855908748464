"""A picture's brightness or one of its channels, through the shape's UVs."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from msgspec import Meta

from estompe.geometry import frozen
from estompe.geometry.elements import Elements
from estompe.importing import pictures
from estompe.kernels.sampling import sampled
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import Source
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting

_WEIGHTS = {
    "brightness": frozen(np.array([0.2126, 0.7152, 0.0722, 0.0], np.float32)),
    **{
        name: frozen(row)
        for name, row in zip(("red", "green", "blue", "alpha"), np.eye(4, dtype=np.float32), strict=True)
    },
}


@register
class Image(Source, tag="image"):
    """A picture's values where the UVs say, between its pixels; outside 0..1 it repeats."""

    group: ClassVar[str] = "pattern"
    label: ClassVar[str] = "Image"
    text: ClassVar[str] = "A picture through the shape's UVs: PNG, JPEG or EXR; #### in its name counts the frames."
    words: ClassVar[str] = (
        "texture, map, bitmap, photo, sequence, picture, uv map, luminance, exr, png, video, gradient map, ramp texture"
    )

    file: Annotated[
        str,
        setting("File", "The picture; #### in its name stands for the frame's number.", editor="picture"),
        Meta(max_length=4000),
    ] = ""
    channel: Annotated[
        Literal["brightness", "red", "green", "blue", "alpha"],
        setting("Channel", "The channel of the picture that is read."),
    ] = "brightness"
    values: Annotated[
        Literal["as stored", "as light"],
        setting(
            "Values",
            "As they are in the file, which suits maps, or as light: then half as bright to the eye is a fifth.",
        ),
    ] = "as stored"
    repeat: Annotated[
        Number,
        setting(
            "Repeat",
            "How often the picture repeats across the UVs: more makes it smaller.",
            unit="times",
            low=1e-3,
            high=1e3,
        ),
    ] = 1.0

    def reads(self) -> tuple[str, ...]:
        return "attributes", "topology"

    def clock(self, seconds: float, frame: float) -> float:
        del seconds
        return frame if "#" in self.file else 0.0

    def measure(self, elements: Elements, context: Context) -> Floats:
        read = pictures.light if self.values == "as light" else pictures.pixels
        pixels, weights = read(pictures.numbered(self.file, context.clock)), _WEIGHTS[self.channel]
        values = elements.through_uvs(lambda uv: sampled(pixels, uv, plain(self.repeat), weights))
        if values is None:
            raise CannotEvaluateError(
                "the shape has no UVs to lay the picture on: import one that has, or use a primitive"
            )
        return values
