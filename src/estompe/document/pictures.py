"""Pictures that a scene refers to by file: read once for each state of the file."""

from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from estompe.document.kinds import MissingError

_MOST_PIXELS = 16_384 * 16_384
Image.MAX_IMAGE_PIXELS = _MOST_PIXELS


def stamp(name: str) -> tuple[str, int, int]:
    """What tells one state of a picture's file from another. Raises MissingError where there is no file."""
    if not name:
        raise MissingError("no picture is chosen yet: choose a file")
    try:
        about = Path(name).stat()
    except OSError:
        raise MissingError(f"the picture {name} is not there: choose another file") from None
    return name, about.st_mtime_ns, about.st_size


def pixels(name: str) -> NDArray[np.float32]:
    """A picture as float32 (height, width, 4) in 0..1, the upper row first. Raises MissingError for one that cannot be read."""
    return _pixels(*stamp(name))


@lru_cache(16)
def _pixels(name: str, _modified: int, _size: int) -> NDArray[np.float32]:
    try:
        if Path(name).suffix.lower() == ".exr":
            return _read_exr(name)
        with Image.open(name) as image:
            whole = np.asarray(image.convert("RGBA"), np.float32) / np.float32(255.0)
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise MissingError(f"the picture {name} cannot be read ({error}): choose another file") from None
    whole.setflags(write=False)
    return whole


def _read_exr(name: str) -> NDArray[np.float32]:
    import OpenEXR

    with OpenEXR.File(name, separate_channels=True) as file:
        channels = {key: np.asarray(item.pixels, np.float32) for key, item in file.channels().items()}
    if not channels:
        raise ValueError("it has no channels")
    any_one = next(iter(channels.values()))
    luminance = channels.get("Y", any_one)
    whole = np.stack(
        [channels.get(name, luminance) for name in "RGB"] + [channels.get("A", np.ones_like(any_one))], axis=-1
    )
    whole.setflags(write=False)
    return whole
