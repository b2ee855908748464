"""The voxels of a volume as points without faces, so that any falloff can be asked about them."""

from collections.abc import Iterator, Mapping
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.geometry import Domain, Geometry
from estompe.geometry.rest import Rest
from estompe.geometry.topology import Topology
from estompe.geometry.volumes.solid import Solid, mixed_places, point_values, voxel_ids
from estompe.kernels.surface import Nearest, nearest_on_surface
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats, Indices, frozen
from estompe.kernels.volumes.bricks import EDGE, slots_around, voxel_places
from estompe.kernels.volumes.growth import Region

_NO_FACES: Indices = np.zeros(0, np.int32)


class VoxelPlaces(Geometry):
    """Voxels of a region in world space. Normals, rest and attributes are those of the nearest place on the mesh that the volume
    was begun from, and are looked for when somebody asks; neighbours are the six voxels around each.
    """

    def __init__(self, solid: Solid, region: Region) -> None:
        points = transformed(voxel_places(region.lattice, region.where), solid.frame)
        self.region, self._begun = region, solid.begun
        topology = _VoxelTopology(region, len(points))
        super().__init__(points, topology, _Carried(self), _NearestRest(self))
        self.solid = solid

    @cached_property
    def found(self) -> Nearest:
        """The nearest place on the mesh for each voxel."""
        return nearest_on_surface(self.points, self._begun.tree, in_rows=True)

    @cached_property
    def normals(self) -> Floats:
        begun = self._begun
        mixed = mixed_places(begun.normals, begun.topology.triangles, self.found)
        lengths = np.maximum(np.linalg.norm(mixed, axis=1, keepdims=True), np.float32(1e-12))
        return frozen((mixed / lengths).astype(np.float32))

    def nearest_rest(self) -> Floats:
        """The rest of the nearest place, float32 (n, 3)."""
        return frozen(mixed_places(self._begun.rest, self._begun.topology.triangles, self.found))

    def nearest_values(self, name: str) -> NDArray[Any]:
        """A point attribute of the mesh, or its mean on points, at the nearest places."""
        values = self._begun.on_points(name)
        assert values is not None
        return frozen(point_values(values, self._begun.topology.triangles, self.found))

    @cached_property
    def point_ids(self) -> NDArray[np.int64]:  # type: ignore[override]
        return frozen(voxel_ids(self.region.lattice, self.region.where))

    def names(self) -> list[str]:
        """The attributes that there are."""
        kept = (Domain.POINT, Domain.CORNER, Domain.FACE)
        return sorted({name for domain, name in self._begun.attributes if domain in kept})

    def rest_extent(self, axis: int) -> tuple[float, float]:
        """The ends of the mesh at rest along an axis."""
        return self._begun.at_rest.extent(axis)

    def arrays(self) -> Iterator[NDArray[Any]]:
        yield self.points
        yield self.region.table
        yield self.region.where
        yield from self.solid.bricks.arrays()
        for name in ("normals", "_rest"):
            if name in self.__dict__:
                yield self.__dict__[name]


class _NearestRest(Rest):
    """The rest of the nearest places, found when it is asked for."""

    def __init__(self, places: VoxelPlaces) -> None:
        super().__init__(np.zeros((0, 3), np.float32), places.rest_extent)
        self._places = places

    @property
    def positions(self) -> Floats:  # type: ignore[override]
        held = self._places.__dict__
        if "_rest" not in held:
            held["_rest"] = self._places.nearest_rest()
        return held["_rest"]  # type: ignore[no-any-return]

    @positions.setter
    def positions(self, _value: Floats) -> None:
        return


class _Carried(Mapping[tuple[Domain, str], NDArray[Any]]):
    """The attributes of the nearest places, each made when it is asked for."""

    def __init__(self, places: VoxelPlaces) -> None:
        self._places = places
        self._made: dict[str, NDArray[Any]] = {}

    def __getitem__(self, key: tuple[Domain, str]) -> NDArray[Any]:
        domain, name = key
        if domain is not Domain.POINT or name not in self._places.names():
            raise KeyError(key)
        if name not in self._made:
            self._made[name] = self._places.nearest_values(name)
        return self._made[name]

    def __iter__(self) -> Iterator[tuple[Domain, str]]:
        return ((Domain.POINT, name) for name in self._places.names())

    def __len__(self) -> int:
        return len(self._places.names())

    def values(self) -> Any:
        """The arrays that were computed so far: counting memory must not compute the others."""
        return self._made.values()


class _VoxelTopology(Topology):
    """No faces; the edges join voxels that are next to each other."""

    def __init__(self, region: Region, points: int) -> None:
        super().__init__(_NO_FACES, np.zeros(1, np.int32), points)
        self._region = region

    @cached_property
    def _edges(self) -> tuple[Indices, Indices]:  # type: ignore[override]
        around = slots_around(self._region.table, self._region.where)
        number = np.arange(self.points, dtype=np.int32).reshape(-1, EDGE, EDGE, EDGE)
        pairs = []
        for axis in range(3):
            low, high = [slice(None)] * 4, [slice(None)] * 4
            low[3 - axis], high[3 - axis] = slice(0, -1), slice(1, None)
            pairs.append(np.stack([number[tuple(low)].reshape(-1), number[tuple(high)].reshape(-1)], axis=1))
            beyond = around[:, 2 * axis + 1]
            there = np.flatnonzero(beyond >= 0)
            low[3 - axis], high[3 - axis] = slice(-1, None), slice(0, 1)
            ends = number[there][tuple(low)].reshape(-1), number[beyond[there]][tuple(high)].reshape(-1)
            pairs.append(np.stack(ends, axis=1))
        made = np.concatenate(pairs)
        return made, np.full(len(made), 2, np.int32)
