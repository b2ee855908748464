"""Pictures as files: PNG, and OpenEXR with layers."""

import json
import re
from fractions import Fraction
from importlib.metadata import version
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image as Bitmap
from PIL.PngImagePlugin import PngInfo

from estompe.files.atomic import written_whole
from estompe.files.progress import ExchangeError
from estompe.output import mattes
from estompe.output.painter import Painted
from estompe.render.final import display_values

ENDINGS = (".png", ".exr")
_REC709 = (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290)
"""The chromaticities of red, green, blue and white of ITU-R BT.709."""
_NO_GROUPS = (0,) * 14
"""Flags of a time code, and its groups for other uses."""
_MOST_CODED = 30
"""Frames a second up to which a time code counts them."""
_CHANNELS = {"depth": ("depth.Z",), "normal": ("normal.X", "normal.Y", "normal.Z"), "motion": ("motion.X", "motion.Y"),
             "id": ("id.shape", "id.element")}  # fmt: skip


def save(painted: Painted, path: Path, full_float: bool = False) -> None:
    """Write a picture by its ending, whole or not at all.

    full_float: colours as 32 bit, else as 16. Raises ExchangeError where it cannot be written.
    """
    try:
        with written_whole(path) as part:
            if path.suffix.lower() == ".exr":
                _save_exr(painted, part, full_float)
            else:
                _save_png(painted, part)
    except OSError as error:
        raise ExchangeError(f"{path}: cannot be written ({error.strerror or error})") from None


def bytes_of(painted: Painted) -> NDArray[np.uint8]:
    """A picture as display values with straight alpha, uint8 (h, w, 4)."""
    return np.round(display_values(painted.color, painted.view) * 255.0).astype(np.uint8)


def _save_png(painted: Painted, part: Path) -> None:
    picture = bytes_of(painted)
    opaque = bool((picture[..., 3] == 255).all())
    about = PngInfo()
    # How values are meant (W3C PNG, 11.3.2.5): sRGB, perceptual intent.
    if not painted.view.name:
        about.add(b"sRGB", b"\x00")
    Bitmap.fromarray(np.ascontiguousarray(picture[..., :3] if opaque else picture)).save(part, "PNG", pnginfo=about)


def exact_rate(rate: float) -> Fraction:
    """A rate as a fraction; those of television, such as 23.976, are thousandths of whole rates."""
    television = Fraction(round(rate * 1.001) * 1000, 1001)
    if abs(float(television) - rate) < 0.005 and abs(rate - round(rate)) > 0.005:
        return television
    return Fraction(rate).limit_denominator(1001)


def _about(painted: Painted) -> dict[str, Any]:
    """The standard attributes of a header: time, camera and colour (OpenEXR, Standard Optional Attributes)."""
    import OpenEXR

    rate = exact_rate(painted.rate)
    about: dict[str, Any] = {
        "framesPerSecond": rate,
        "frame": painted.frame,
        "software": f"Estompe {version('estompe')}",
        "chromaticities": _REC709,
    }
    whole = max(1, round(painted.rate))
    seconds, frames = divmod(max(0, int(painted.frame)), whole)
    if whole <= _MOST_CODED:
        hours, minutes = seconds // 3600 % 24, seconds // 60 % 60
        about["timeCode"] = OpenEXR.TimeCode(hours, minutes, seconds % 60, frames, *_NO_GROUPS)
    if painted.viewpoint is not None:
        height, width = painted.color.shape[:2]
        view = painted.viewpoint.view()
        clip = painted.viewpoint.projection(width / height, painted.viewpoint.distance * 10.0) @ view
        # Its matrices stand before rows of places.
        about["worldToCamera"] = np.ascontiguousarray(view.T, np.float32)
        about["worldToNDC"] = np.ascontiguousarray(clip.T, np.float32)
        if painted.viewpoint.clipping is not None:
            about["near"], about["far"] = (float(end) for end in painted.viewpoint.clipping)
    return about


def _save_exr(painted: Painted, part: Path, full_float: bool) -> None:
    import OpenEXR

    kind = np.float32 if full_float else np.float16
    largest = np.float32(65504.0)
    color = painted.color if full_float else np.clip(painted.color, -largest, largest)
    channels: dict[str, Any] = {
        name: np.ascontiguousarray(color[..., index], kind) for index, name in enumerate("RGBA")
    }
    for layer, values in painted.layers.items():
        names = _CHANNELS.get(layer) or (f"strength.{channel_word(layer)}",)
        planes = values[..., None] if values.ndim == 2 else values
        for index, name in enumerate(names):
            channels[name] = np.ascontiguousarray(planes[..., index])
    for layer, matte in painted.mattes.items():
        channels.update(mattes.channels(matte, mattes.LAYERS[layer]))
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, **_about(painted)}
    for layer, matte in painted.mattes.items():
        header.update(mattes.header(matte, mattes.LAYERS[layer]))
    if "id" in painted.layers:
        header["shapes"] = json.dumps(painted.shapes)
    try:
        OpenEXR.File(header, channels).write(str(part))
    except RuntimeError as error:
        raise OSError(str(error)) from None


def channel_word(layer: str) -> str:
    """The name of a strength layer as a channel can have it."""
    return re.sub(r"\W+", "_", layer.partition(":")[2]) or "unnamed"
