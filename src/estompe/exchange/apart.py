"""Reading a mesh in a process of its own, so that it can be cancelled at any moment and cannot take the window down.

The child prints one JSON line per step and leaves the arrays as plain `.npy` files in a folder of ours.
"""

import json
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from estompe.exchange.errors import ExchangeError, Tell
from estompe.exchange.mesh import read_mesh
from estompe.geometry import Domain, Geometry


class _Step(msgspec.Struct):
    share: float = 0.0
    text: str = ""
    error: str = ""
    attributes: list[tuple[str, str]] = []


def read_mesh_apart(path: Path, tell: Tell) -> Geometry:
    """The mesh in a file, read in another process. `tell` may raise to cancel. Raises ExchangeError."""
    with tempfile.TemporaryDirectory(prefix="estompe-") as folder:
        command = [sys.executable, "-m", "estompe.exchange.apart", str(path), folder]
        with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL) as child:
            try:
                last = _followed(child, tell)
            except BaseException:
                child.kill()
                raise
        if last.error:
            raise ExchangeError(last.error)
        if child.returncode != 0:
            raise ExchangeError(f"{path}: the file is so damaged that reading it failed altogether")
        return _collected(Path(folder), last.attributes)


def _followed(child: "subprocess.Popen[bytes]", tell: Tell) -> _Step:
    last = _Step()
    assert child.stdout is not None
    for line in child.stdout:
        last = msgspec.json.decode(line, type=_Step)
        if not last.error:
            tell(last.share, last.text)
    return last


def _collected(folder: Path, attributes: list[tuple[str, str]]) -> Geometry:
    def array(name: str) -> NDArray[Any]:
        return np.asarray(np.load(folder / f"{name}.npy", allow_pickle=False))

    named = {(Domain(domain), name): array(f"attribute-{i}") for i, (domain, name) in enumerate(attributes)}
    return Geometry.from_faces(array("points"), array("corners"), array("offsets"), named)


def _leave(geometry: Geometry, folder: Path) -> list[tuple[str, str]]:
    np.save(folder / "points.npy", geometry.points)
    np.save(folder / "corners.npy", geometry.topology.corners)
    np.save(folder / "offsets.npy", geometry.topology.offsets)
    for number, values in enumerate(geometry.attributes.values()):
        np.save(folder / f"attribute-{number}.npy", values)
    return [(domain.value, name) for domain, name in geometry.attributes]


def main(path: str, folder: str) -> None:
    """What the child process does."""

    def say(**step: object) -> None:
        sys.stdout.write(json.dumps(step) + "\n")
        sys.stdout.flush()

    try:
        geometry = read_mesh(Path(path), lambda share, text: say(share=share, text=text))
        say(share=1.0, text="ready", attributes=_leave(geometry, Path(folder)))
    except ExchangeError as error:
        say(error=str(error))


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2])
