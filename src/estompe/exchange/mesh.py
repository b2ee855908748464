"""Bringing in a mesh of any known format."""

from collections.abc import Callable
from pathlib import Path

from estompe.exchange import obj, ply, tri, usd_in
from estompe.exchange.errors import ExchangeError, Tell
from estompe.geometry import Geometry, GeometryError

_MOST_BYTES = 16 * 2**30

_READERS: dict[str, Callable[[Path, Tell], Geometry]] = {
    ".obj": obj.read,
    ".ply": ply.read,
    ".stl": tri.read,
    ".glb": tri.read,
    ".gltf": tri.read,
    ".usd": usd_in.read,
    ".usda": usd_in.read,
    ".usdc": usd_in.read,
    ".usdz": usd_in.read,
}


def endings() -> tuple[str, ...]:
    """The file endings that can be brought in."""
    return tuple(_READERS)


def read_mesh(path: Path, tell: Tell = lambda _share, _text: None) -> Geometry:
    """The mesh in a file. Raises ExchangeError with the file's name and what is wrong with it."""
    reader = _READERS.get(path.suffix.lower())
    try:
        if path.is_dir():
            raise ExchangeError("is a folder, not a mesh file")
        if reader is None:
            raise ExchangeError(f"“{path.suffix}” is not a known ending; known are {' '.join(_READERS)}")
        size = path.stat().st_size
        if size == 0:
            raise ExchangeError("the file is empty")
        if size > _MOST_BYTES:
            raise ExchangeError(f"the file is larger than {_MOST_BYTES // 2**30} GB")
        return reader(path, tell)
    except (ExchangeError, GeometryError) as error:
        raise ExchangeError(f"{path}: {error}") from None
    except FileNotFoundError:
        raise ExchangeError(f"{path}: there is no such file") from None
    except OSError as error:
        raise ExchangeError(f"{path}: cannot be read ({error.strerror or error})") from None
    except MemoryError:
        raise ExchangeError(f"{path}: does not fit in memory") from None
