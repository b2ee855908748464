"""Reading a mesh in a process of its own, so that it can be cancelled at any moment and cannot take the window down.

The child prints one JSON line per step and leaves the arrays as plain `.npy` files in a folder of ours. Its memory is bounded, so
that a small file cannot ask for all there is.
"""

import contextlib
import json
import os
import resource
import select
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from estompe.files.progress import ExchangeError, Progress
from estompe.files.regular import UnreadableError, check_answers
from estompe.geometry import Domain, Geometry
from estompe.importing.mesh import read_mesh

# Address space of the child: what the libraries reserve, and a generous multiple of the file.
_LEAST_SPACE, _SPACE_PER_BYTE = 6 * 2**30, 60
_TICK = 0.1


class _Step(msgspec.Struct):
    fraction: float = 0.0
    text: str = "starting"
    error: str = ""
    attributes: list[tuple[str, str]] = []
    notes: list[str] = []


def read_mesh_isolated(path: Path, progress: Progress, metres_per_unit: float = 1.0) -> Geometry:
    """The mesh in a file, read in another process. `progress` may raise to cancel. Raises ExchangeError."""
    try:
        check_answers(path)
    except UnreadableError as error:
        raise ExchangeError(f"{path}: {error}") from None
    with tempfile.TemporaryDirectory(prefix="estompe-") as folder:
        command: list[str | bytes] = [
            sys.executable,
            "-m",
            "estompe.importing.isolated",
            os.fsencode(path),
            folder,
            str(metres_per_unit),
        ]
        with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL) as child:
            try:
                last = _followed(child, progress)
            except BaseException:
                child.kill()
                raise
        if last.error:
            raise ExchangeError(last.error)
        if child.returncode != 0:
            raise ExchangeError(f"{path}: the file is so damaged, or so large, that reading it failed altogether")
        return _collected(Path(folder), last)


def _followed(child: "subprocess.Popen[bytes]", progress: Progress) -> _Step:
    """Hand on the child's progress; asked at least every tenth of a second, so that cancelling never waits for the child."""
    last, pending = _Step(), b""
    assert child.stdout is not None
    pipe = child.stdout.fileno()
    while True:
        readable, _, _ = select.select([pipe], [], [], _TICK)
        if readable:
            chunk = os.read(pipe, 65536)
            if not chunk:
                return last
            *lines, pending = (pending + chunk).split(b"\n")
            for line in lines:
                last = msgspec.json.decode(line, type=_Step)
        if not last.error:
            progress(last.fraction, last.text)


def _collected(folder: Path, last: _Step) -> Geometry:
    def array(name: str) -> NDArray[Any]:
        return np.asarray(np.load(folder / f"{name}.npy", allow_pickle=False))

    named = {(Domain(domain), name): array(f"attribute-{i}") for i, (domain, name) in enumerate(last.attributes)}
    made = Geometry.from_faces(array("points"), array("corners"), array("offsets"), named)
    return Geometry(made.points, made.topology, made.attributes, made.at_rest, tuple(last.notes))


def _leave(geometry: Geometry, folder: Path) -> list[tuple[str, str]]:
    np.save(folder / "points.npy", geometry.points)
    np.save(folder / "corners.npy", geometry.topology.corners)
    np.save(folder / "offsets.npy", geometry.topology.offsets)
    for number, values in enumerate(geometry.attributes.values()):
        np.save(folder / f"attribute-{number}.npy", values)
    return [(domain.value, name) for domain, name in geometry.attributes]


def _bound_memory(path: Path) -> None:
    with contextlib.suppress(OSError, ValueError):
        most = _LEAST_SPACE + _SPACE_PER_BYTE * path.stat().st_size
        resource.setrlimit(resource.RLIMIT_AS, (most, most))


def main(name: str, folder: str, metres_per_unit: float) -> None:
    """What the child process does."""

    def say(**step: object) -> None:
        sys.stdout.write(json.dumps(step) + "\n")
        sys.stdout.flush()

    path = Path(name)
    _bound_memory(path)
    try:
        geometry = read_mesh(path, lambda fraction, text: say(fraction=fraction, text=text), metres_per_unit)
        say(fraction=1.0, text="ready", attributes=_leave(geometry, Path(folder)), notes=list(geometry.notes))
    except ExchangeError as error:
        say(error=str(error))
    except OSError as error:
        say(error=f"{path}: cannot be read ({error.strerror or error})")
    except MemoryError:
        say(error=f"{path}: does not fit in memory")


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2], float(sys.argv[3]))
