"""A sequence of mesh files, name.####.obj or .ply, as one animated mesh. Time codes are the numbers in the files' names."""

import re
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.files.progress import ExchangeError
from estompe.geometry import Geometry
from estompe.importing.mesh import read_mesh
from estompe.importing.pictures import numbered
from estompe.importing.stage import About, Arrays, Entry, Lens, Sampled, Space, register_stage

_PRIM = "/mesh"
_MOST_FILES = 100_000


class SequenceStage:
    """Files that are alike but for a number; between two frames points are blended where there are as many."""

    def __init__(self, path: Path) -> None:
        self._pattern = path
        stem, ending = path.name.rsplit(".", 1)
        match = re.search(r"#+", stem) or re.search(r"\d+(?=\D*$)", stem)
        if match is None:
            raise ExchangeError(f"write the name of a sequence with # for its numbers, such as {stem}.####.{ending}")
        begin, end = stem[: match.start()], stem[match.end() :]
        name = re.compile(rf"{re.escape(begin)}(-?\d+){re.escape(end)}\.{re.escape(ending)}")
        self._files: dict[int, Path] = {}
        if path.parent.is_dir():
            for file in path.parent.iterdir():
                found = name.fullmatch(file.name)
                if found and len(self._files) < _MOST_FILES:
                    self._files[int(found[1])] = file
        if not self._files:
            raise ExchangeError(f"there is no file such as {numbered(path.name, 1)}")
        self._frames = np.array(sorted(self._files))
        self._read: dict[int, Geometry] = {}
        self._steady: bool | None = None

    def about(self) -> About:
        first = self._mesh(int(self._frames[0]))
        moves = len(self._frames) > 1
        gaps = int(self._frames[-1] - self._frames[0]) + 1 - len(self._frames)
        notes = (f"{gaps} of its frames are missing; what is around them is blended",) if gaps else ()
        varies = ("points",) if self._is_steady() else ("points", "topology", "attributes")
        entry = Entry(_PRIM, "mesh", len(first.points), moves, "", varies if moves else (), self._name())
        files = tuple(str(self._files[int(number)]) for number in self._frames)
        return About((entry,), float(self._frames[0]), float(self._frames[-1]), 0.0, "Y", None, None, files, notes)

    def _name(self) -> str:
        return re.sub(r"[.#_\-]*[#\d]*$", "", self._pattern.name.rsplit(".", 1)[0]) or "Sequence"

    def _is_steady(self) -> bool:
        """Whether the first and the last file have the same faces; the ones between are then taken to have them, too."""
        if self._steady is None:
            first, last = self._mesh(int(self._frames[0])), self._mesh(int(self._frames[-1]))
            self._steady = _same_faces(first, last)
        return self._steady

    def _mesh(self, number: int) -> Geometry:
        if number not in self._read:
            while len(self._read) > 4:
                self._read.pop(next(iter(self._read)))
            try:
                self._read[number] = read_mesh(self._files[number])
            except ExchangeError as error:
                raise ExchangeError(f"{error} (frame {number} of a sequence)") from None
        return self._read[number]

    def sampled(self, path: str, time: float, space: Space) -> Sampled:
        if path != _PRIM:
            raise ExchangeError(f"there is no {path} in a sequence, only {_PRIM}")
        after = int(np.searchsorted(self._frames, time, side="left"))
        after = min(after, len(self._frames) - 1)
        mesh = self._mesh(int(self._frames[after]))
        points: NDArray[Any] = mesh.points
        if self._frames[after] > time and after > 0:
            before = self._mesh(int(self._frames[after - 1]))
            share = (time - float(self._frames[after - 1])) / float(self._frames[after] - self._frames[after - 1])
            if _same_faces(before, mesh):
                points = before.points * np.float32(1 - share) + mesh.points * np.float32(share)
            else:
                mesh, points = before, before.points
        if self._is_steady() and not _same_faces(self._mesh(int(self._frames[0])), mesh):
            raise ExchangeError("it has other faces than the first of the sequence")
        faces: Arrays = {"corners": mesh.topology.corners, "sizes": np.diff(mesh.topology.offsets)}
        for (domain, name), values in mesh.attributes.items():
            faces[f"{domain.value} {name}"] = values
        moving: Arrays = {"points": space.points(points)}
        if len(self._frames) == 1:
            return Sampled({**faces, **moving}, {})
        return Sampled(faces, moving) if self._is_steady() else Sampled({}, {**faces, **moving})

    def matrix(self, path: str, time: float) -> tuple[NDArray[np.float64], bool]:
        del path, time
        return np.eye(4), False

    def lens(self, path: str, time: float) -> Lens:
        del path, time
        raise ExchangeError("there are no cameras in a sequence of meshes")


def _same_faces(a: Geometry, b: Geometry) -> bool:
    return np.array_equal(a.topology.corners, b.topology.corners) and np.array_equal(
        a.topology.offsets, b.topology.offsets
    )


register_stage((".obj", ".ply"), SequenceStage)
