"""Importing a mesh of any known format."""

import stat
from pathlib import Path

from estompe.document.names import printable
from estompe.files.progress import ExchangeError, Progress
from estompe.geometry import Geometry, GeometryError
from estompe.importing.formats import READERS, load_readers

MOST_BYTES = 16 * 2**30


def endings() -> tuple[str, ...]:
    """The file endings that can be imported."""
    load_readers()
    return tuple(READERS)


def read_mesh(path: Path, progress: Progress = lambda _fraction, _text: None, metres_per_unit: float = 1.0) -> Geometry:
    """Read the mesh in a file.

    Parameters
    ----------
    path : Path
        A regular file of a known format, at most `MOST_BYTES` large.
    progress : callable
        Told a fraction 0..1 and what is being done; it may raise to cancel.
    metres_per_unit : float
        Length of a scene unit. Formats that state their unit are converted; others are taken as they are.

    Returns
    -------
    Geometry
        All meshes of the file as one. Its notes say what was left out.

    Raises
    ------
    ExchangeError
        With the file's name and what is wrong with it.
    """
    load_readers()
    reader = READERS.get(path.suffix.lower())
    try:
        about = path.stat()
        if stat.S_ISDIR(about.st_mode):
            raise ExchangeError("is a folder, not a mesh file")
        if not stat.S_ISREG(about.st_mode):
            raise ExchangeError("is no regular file")
        if reader is None:
            raise ExchangeError(f"“{path.suffix}” is not a known ending; known are {' '.join(READERS)}")
        if about.st_size == 0:
            raise ExchangeError("the file is empty")
        if about.st_size > MOST_BYTES:
            raise ExchangeError(f"the file is larger than {MOST_BYTES // 2**30} GB")
        return reader.read(path, progress, metres_per_unit)
    except (ExchangeError, GeometryError) as error:
        raise ExchangeError(printable(f"{path}: {error}")) from None
    except FileNotFoundError as error:
        missing = Path(error.filename or path)
        words = "there is no such file" if missing == path else f"it refers to {missing}, which is not there"
        raise ExchangeError(printable(f"{path}: {words}")) from None
    except OSError as error:
        raise ExchangeError(printable(f"{path}: cannot be read ({error.strerror or error})")) from None
    except MemoryError:
        raise ExchangeError(printable(f"{path}: does not fit in memory")) from None
