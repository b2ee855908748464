"""Pictures as files: PNG, and OpenEXR with layers."""

import json
import re
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image as Bitmap

from estompe.files.atomic import written_whole
from estompe.files.progress import ExchangeError
from estompe.output.painter import Painted
from estompe.render.final import display_values

ENDINGS = (".png", ".exr")
_CHANNELS = {"depth": ("depth.Z",), "normal": ("normal.X", "normal.Y", "normal.Z"), "motion": ("motion.X", "motion.Y"),
             "id": ("id.shape", "id.element")}  # fmt: skip


def save(painted: Painted, path: Path, about: Mapping[str, Any], full_float: bool = False) -> None:
    """Write a picture by its ending, whole or not at all.

    about: what the header says besides, such as the frame's number. full_float: colours as 32 bit, else as 16. Raises
    ExchangeError where it cannot be written.
    """
    try:
        with written_whole(path) as part:
            if path.suffix.lower() == ".exr":
                _save_exr(painted, part, about, full_float)
            else:
                _save_png(painted, part)
    except OSError as error:
        raise ExchangeError(f"{path}: cannot be written ({error.strerror or error})") from None


def bytes_of(painted: Painted) -> NDArray[np.uint8]:
    """A picture as display values with straight alpha, uint8 (h, w, 4)."""
    return np.round(display_values(painted.color) * 255.0).astype(np.uint8)


def _save_png(painted: Painted, part: Path) -> None:
    picture = bytes_of(painted)
    opaque = bool((picture[..., 3] == 255).all())
    Bitmap.fromarray(np.ascontiguousarray(picture[..., :3] if opaque else picture)).save(part, "PNG")


def _save_exr(painted: Painted, part: Path, about: Mapping[str, Any], full_float: bool) -> None:
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
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, **about}
    if "id" in painted.layers:
        header["shapes"] = json.dumps(painted.shapes)
    try:
        OpenEXR.File(header, channels).write(str(part))
    except RuntimeError as error:
        raise OSError(str(error)) from None


def channel_word(layer: str) -> str:
    """The name of a strength layer as a channel can have it."""
    return re.sub(r"\W+", "_", layer.partition(":")[2]) or "unnamed"
