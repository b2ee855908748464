"""Pictures that a scene refers to by file: read once for each state of the file, with bounds."""

import stat
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from estompe.files.places import missing_variables, place_of
from estompe.files.regular import check_answers
from estompe.geometry.colors import as_linear
from estompe.kinds.context import CannotEvaluateError

MOST_PIXELS = 8192 * 8192
_MOST_BYTES = 2 * 2**30


def numbered(file: str, frame: float) -> str:
    """A file's name with its run of # replaced by the frame's number."""
    first = file.find("#")
    if first < 0:
        return file
    last = first
    while last < len(file) and file[last] == "#":
        last += 1
    return f"{file[:first]}{round(frame):0{last - first}d}{file[last:]}"


def stamp(name: str) -> tuple[str, int, int]:
    """What tells one state of a picture's file from another. Raises CannotEvaluateError where there is no regular file."""
    if not name:
        raise CannotEvaluateError("no picture is chosen yet: choose a file")
    name = place_of(name)
    try:
        about = Path(name).stat()
    except (OSError, ValueError):
        missing = missing_variables(name)
        words = f"${missing[0]} is not set" if missing else "choose another file"
        raise CannotEvaluateError(f"the picture {name} is not there: {words}") from None
    if not stat.S_ISREG(about.st_mode):
        raise CannotEvaluateError(f"the picture {name} is no file: choose another")
    if about.st_size > _MOST_BYTES:
        raise CannotEvaluateError(f"the picture {name} is larger than {_MOST_BYTES // 2**30} GB: choose another")
    return name, about.st_mtime_ns, about.st_size


def pixels(name: str) -> NDArray[np.float32]:
    """A picture as float32 (height, width, 4), the upper row first; 0..1 for PNG and JPEG.

    Raises CannotEvaluateError for one that cannot be read or has more than `MOST_PIXELS` pixels.
    """
    return _pixels(*stamp(name))


def light(name: str) -> NDArray[np.float32]:
    """A picture in linear light, as `pixels` gives it: PNG and JPEG hold display values, EXR holds light."""
    return pixels(name) if Path(name).suffix.lower() == ".exr" else _light(*stamp(name))


@lru_cache(4)
def _light(name: str, modified: int, size: int) -> NDArray[np.float32]:
    return as_linear(_pixels(name, modified, size))


@lru_cache(8)
def _pixels(name: str, _modified: int, _size: int) -> NDArray[np.float32]:
    try:
        check_answers(name)
        made = _read_exr(name) if Path(name).suffix.lower() == ".exr" else _read_bitmap(name)
    except Exception as error:  # the libraries' decoders raise almost anything for damaged files
        raise CannotEvaluateError(f"the picture {name} cannot be read ({error}): choose another file") from None
    made.setflags(write=False)
    return made


def _read_bitmap(name: str) -> NDArray[np.float32]:
    from PIL import Image

    Image.MAX_IMAGE_PIXELS = MOST_PIXELS
    with Image.open(name) as image:
        _check_size(*image.size)
        return np.asarray(image.convert("RGBA"), np.float32) / np.float32(255.0)


def _read_exr(name: str) -> NDArray[np.float32]:
    import OpenEXR

    with OpenEXR.File(name, separate_channels=True, header_only=True) as file:
        low, high = (np.asarray(corner, np.int64) for corner in file.header()["dataWindow"])
        _check_size(*(high - low + 1).tolist())
    with OpenEXR.File(name, separate_channels=True) as file:
        channels = {key: np.asarray(item.pixels, np.float32) for key, item in file.channels().items()}
    if not channels:
        raise ValueError("it has no channels")
    any_one = next(iter(channels.values()))
    luminance = channels.get("Y", any_one)
    rgba = [channels.get(name, luminance) for name in "RGB"] + [channels.get("A", np.ones_like(any_one))]
    whole = np.stack(rgba, axis=-1)
    # What is no number would spread through everything that follows.
    return np.nan_to_num(whole, copy=False, nan=0.0, posinf=0.0, neginf=0.0)


def _check_size(width: int, height: int) -> None:
    if width < 1 or height < 1 or width * height > MOST_PIXELS:
        raise ValueError(f"it has {width} x {height} pixels; at most {MOST_PIXELS:,} are read")
