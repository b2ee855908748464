"""Bringing in a mesh of any known format."""

from importlib import import_module
from pathlib import Path

from estompe.exchange.errors import ExchangeError, Tell
from estompe.geometry import Geometry, GeometryError

_MOST_BYTES = 16 * 2**30

# By the module beside this one that reads them; it is imported when first needed, since some are slow to start.
_READERS = {
    ".obj": "obj",
    ".ply": "ply",
    ".stl": "tri",
    ".glb": "tri",
    ".gltf": "tri",
    ".usd": "usd_in",
    ".usda": "usd_in",
    ".usdc": "usd_in",
    ".usdz": "usd_in",
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
        made: Geometry = import_module(f"estompe.exchange.{reader}").read(path, tell)
        return made
    except (ExchangeError, GeometryError) as error:
        raise ExchangeError(f"{path}: {error}") from None
    except FileNotFoundError:
        raise ExchangeError(f"{path}: there is no such file") from None
    except OSError as error:
        raise ExchangeError(f"{path}: cannot be read ({error.strerror or error})") from None
    except MemoryError:
        raise ExchangeError(f"{path}: does not fit in memory") from None
