"""A closed mesh as a volume of voxels, and the surface of a volume as a mesh: the volume is only remembered beside the mesh."""

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from estompe.geometry.geometry import Domain, Geometry, GeometryError
from estompe.geometry.rest import Rest
from estompe.geometry.shading import AUTHORED
from estompe.geometry.topology import connected_parts
from estompe.geometry.transforms import Matrix, inverse
from estompe.geometry.volumes.closed_quads import ClosedQuads
from estompe.kernels.surface import Nearest, nearest_on_surface
from estompe.kernels.transfer import corners_of_quads, mixed_on_triangles
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats, Indices, frozen
from estompe.kernels.volumes.band import redistanced
from estompe.kernels.volumes.bricks import CELLS, EDGE, Bricks, Lattice, lattice_around, on_lattice, placed_lattice
from estompe.kernels.volumes.isosurface import surface
from estompe.kernels.volumes.voxelize import binned, unsigned, voxelized

BAND = 4.0
"""Half the width of the band in which distances are kept, voxels."""
MOST_VOXELS = 40_000_000
MOST_BRICKS_IN_BOX = 16_000_000
NEW = "new surface"
"""The group of points that lie off the surface that a volume was made from."""
_FINEST, _COARSEST = 1e-5, 1e5


class Solid(Struct, frozen=True, eq=False):
    """A volume: signed distances near its surface, where its lattice stands, and the mesh whose attributes it carries.

    frame: float64 (3, 4), the lattice's space to world, a rotation and a position; begun: in world space; thin: half the
    thickness that an open surface was given, scene units, 0 for a closed mesh; cells: int32 (n,), the cells that the points
    of the surface taken from it lie in, as `estompe.kernels.volumes.isosurface.Surface` has them.
    """

    bricks: Bricks
    frame: Matrix
    begun: Geometry
    thin: float = 0.0
    cells: Indices | None = None

    @property
    def size(self) -> float:
        """Of a voxel, scene units."""
        return self.bricks.lattice.size

    def with_bricks(self, bricks: Bricks) -> "Solid":
        """Another volume that carries the attributes of the same mesh."""
        return Solid(bricks, self.frame, self.begun, self.thin)

    def voxels_of(self, places: Floats) -> Floats:
        """World places in voxels from the lattice's first, float32 (n, 3)."""
        return in_voxels(transformed(places, inverse(self.frame)), self.bricks.lattice)

    def world_of(self, voxels: Floats) -> Floats:
        """Places in voxels from the lattice's first in world space, float32 (n, 3)."""
        return transformed(voxels, voxel_matrix(self.bricks.lattice, self.frame))


def in_voxels(places: Floats, lattice: Lattice) -> Floats:
    """Places in the lattice's space as voxels from its first."""
    return np.asarray((places - lattice.origin) / lattice.size, np.float32)


def voxel_matrix(lattice: Lattice, frame: Matrix) -> Matrix:
    """Voxels from the lattice's first to world, float64 (3, 4)."""
    matrix = np.empty((3, 4))
    matrix[:, :3] = frame[:, :3] * lattice.size
    matrix[:, 3] = frame[:, :3] @ lattice.origin + frame[:, 3]
    return matrix


def frame_of(matrix: Matrix) -> Matrix:
    """Position and rotation of a shape without its scale, float64 (3, 4): where its lattice stands, so that it goes along."""
    axes, _ = np.linalg.qr(matrix[:, :3])
    # The sign of each axis as it was, and never mirrored.
    axes *= np.where(np.einsum("ij,ij->j", axes, matrix[:, :3]) < 0.0, -1.0, 1.0)
    if np.linalg.det(axes) < 0.0:
        axes[:, 2] *= -1.0
    return np.concatenate([axes, matrix[:, 3:]], axis=1)


# How fine


def longest_side(mesh: Geometry, matrix: Matrix) -> float:
    """The longest side of a shape at rest, scene units: it does not change while the shape moves or deforms."""
    scale = np.linalg.norm(matrix[:, :3], axis=0)
    ends = [mesh.at_rest.extent(axis) for axis in range(3)]
    return float(max((high - low) * size for (low, high), size in zip(ends, scale, strict=True)))


def rounded(size: float) -> float:
    """A length to two digits, so that it stays the same while a bound changes a little."""
    if size <= 0.0:
        return 0.01
    unit = 10.0 ** (math.floor(math.log10(size)) - 1)
    return round(size / unit) * unit


def automatic_size(side: float, detail: float | None) -> float:
    """The size of voxels for a shape's longest side and the finest detail of what drives it, scene units."""
    plain = side / 128.0
    if detail is None:
        return rounded(plain)
    return rounded(min(plain, max(detail / 3.0, side / 224.0)))


# From meshes to volumes


def solid_of(
    mesh: Geometry, frame: Matrix, size: float, room: float = 0.0, half: float = 0.0, band: float = BAND
) -> Solid:
    """A mesh as a volume; what it was taken from if that fits, else voxelized, and kept with the mesh.

    Parameters
    ----------
    mesh : Geometry
        In world space.
    frame : float64 (3, 4)
        Where the lattice stands.
    size : float
        Of a voxel, scene units.
    room : float
        How far a front may go later on, scene units: the lattice holds that, too.
    half : float
        Half the thickness given to a mesh that is open, scene units; 0 where that is not wanted.
    band : float
        How far from the surface distances are kept at least, voxels.

    Returns
    -------
    Solid
        Distances within the band.

    Raises
    ------
    GeometryError
        For a mesh that encloses nothing, or voxels that would be too many, with what to do.
    """
    known: Solid | None = mesh.solid
    if known is not None and known.size == size and known.bricks.most >= band and np.array_equal(known.frame, frame):
        return _with_room(known, room)
    key = "solid", frame.tobytes(), size, half, band
    bricks, thin = mesh.derived(key, lambda: _voxelized(mesh, frame, size, half, band))
    return _with_room(Solid(bricks, frame, mesh, thin), room)


def check_size(size: float) -> None:
    """Raise GeometryError for a size of voxels that cannot be."""
    if not _FINEST <= size <= _COARSEST:
        raise GeometryError(f"voxels of {size:g} m cannot be: use something between {_FINEST:g} and {_COARSEST:g} m")


def open_words(mesh: Geometry) -> str:
    """What is wrong with a mesh that encloses nothing."""
    edges = len(mesh.topology.open_edges)
    return f"{edges:,} open edges" if edges else "edges that more than two faces share"


def _voxelized(mesh: Geometry, frame: Matrix, size: float, half: float, band: float) -> tuple[Bricks, float]:
    check_size(size)
    topology = mesh.topology
    if not topology.faces:
        raise GeometryError("the mesh has no faces, so there is nothing to make a volume of")
    thin = 0.0 if topology.closed else half
    if not topology.closed and not half:
        words = open_words(mesh)
        raise GeometryError(
            f"the mesh has {words}, so it has no inside: close its holes, or make it thick with Thicken first"
        )
    points = transformed(mesh.points, inverse(frame))
    if float(np.ptp(points, axis=0).max()) < 2.0 * size:
        raise GeometryError("the mesh is thinner than a voxel everywhere: use smaller voxels")
    most = band + thin / size
    lattice = lattice_around(points.min(axis=0), points.max(axis=0), size, most + EDGE)
    triangles = topology.triangles
    check_box(lattice)
    bins = binned(points, triangles, lattice, most)
    check_voxels(lattice, bins.voxels)
    if thin:
        table, where, squared = unsigned(bins)
        values = np.minimum(np.sqrt(squared), np.float32(most)) - np.float32(thin / size)
        bricks = Bricks(lattice, table, where, np.clip(values, -band, band).astype(np.float32), band)
        return bricks, thin
    made = voxelized(points, triangles, bins)
    if made.winding == 99:
        raise GeometryError(
            "the faces do not agree about what is inside: make them face the same way where the mesh was made"
        )
    _check_thick(made.bricks)
    # Where parts run through each other the inside knows of walls that are none.
    bricks = made.bricks if made.winding <= 1 else redistanced(made.bricks)
    return bricks, 0.0


def _check_thick(bricks: Bricks) -> None:
    if not (bricks.values < 0.0).any():
        raise GeometryError("the mesh is thinner than a voxel everywhere: use smaller voxels")


def check_box(lattice: Lattice) -> None:
    """Raise GeometryError where the box of a lattice is too large for how fine it is."""
    box = math.prod(lattice.shape)
    if box > MOST_BRICKS_IN_BOX:
        # The box takes the cube of how fine it is.
        raise _too_many(lattice, box * CELLS, (box / MOST_BRICKS_IN_BOX) ** (1 / 3))


def check_voxels(lattice: Lattice, voxels: int) -> None:
    """Raise GeometryError where more voxels would be stored than are sensible."""
    if voxels > MOST_VOXELS:
        # The surface takes the square of how fine it is.
        raise _too_many(lattice, voxels, math.sqrt(voxels / MOST_VOXELS))


def _too_many(lattice: Lattice, voxels: int, times: float) -> GeometryError:
    """What is wrong with so many voxels. times: how much larger they would have to be at least."""
    return GeometryError(
        f"voxels of {lattice.size:.3g} m would be {voxels / 1e6:,.0f} million, more than {MOST_VOXELS / 1e6:.0f} million: "
        f"use voxels of {rounded(lattice.size * times * 1.1):.3g} m or more"
    )


def _with_room(solid: Solid, room: float) -> Solid:
    """The same volume on a lattice with more space around it."""
    lattice, where = solid.bricks.lattice, solid.bricks.where
    if room <= 0.0 or not len(where):
        return solid
    free = min(int(where.min()), int((np.array(lattice.shape) - 1 - where.max(axis=0)).min()))
    more = math.ceil(room / (solid.size * EDGE)) + 1 - free
    if more <= 0:
        return solid
    nz, ny, nx = (int(count) + 2 * more for count in lattice.shape)
    wider = placed_lattice(lattice.first - more, lattice.size, (nz, ny, nx))
    check_box(wider)
    check_voxels(wider, solid.bricks.values.size)
    return solid.with_bricks(on_lattice(solid.bricks, wider))


# From volumes to meshes


THICKNESS = (Domain.POINT, "thickness")
"""How far points lie off the surface that a volume was made from, scene units."""
_MOST_PARTS = 400
_THIN = (Domain.WHOLE, "thin part")
_VOXEL, _VOXELS = (Domain.WHOLE, "voxel"), (Domain.WHOLE, "voxels")


def surface_of(
    solid: Solid, feet: Callable[[Floats], Floats] | None = None, thickness: bool = False, parts: bool = True
) -> Geometry:
    """The surface of a volume as quads, with normals, and with the attributes of the mesh it was begun from.

    solid: the volume; feet: given points in voxels from the lattice's first, where the attributes of each come from, float32
    (n, 3), world space, where that is not the nearest place; thickness: whether to tell that, too; parts: whether to tell of
    parts that are thinner than a voxel. The mesh remembers the volume. A point attribute "id" stays with the place on the
    lattice.
    """
    made = surface(solid.bricks)
    points = solid.world_of(made.places)
    normals = np.asarray(made.normals @ solid.frame[:, :3].T, np.float32)
    topology = ClosedQuads(made.quads.reshape(-1), len(points))
    begun = solid.begun
    costs = {_VOXEL: frozen(np.array([solid.size])), _VOXELS: frozen(np.array([float(solid.bricks.values.size)]))}
    if not len(points):
        return Geometry(points, topology, costs, Rest(points))
    # Nearer than the band where it is the surface's own; wherever it is where it has grown away.
    places = points if feet is None else feet(made.places)
    found = nearest_on_surface(places, begun.tree, in_rows=True)
    attributes = carried_attributes(begun, points, topology, found)
    attributes[Domain.POINT, "id"] = frozen(_ids(solid.bricks, made.cells))
    off = _off(begun, points, found, feet is not None)
    attributes[Domain.POINT, NEW] = frozen(off > 0.5 * solid.size + solid.thin)
    attributes.update(costs)
    if parts and not solid.thin:
        part, thick = begun.derived("thinnest part", lambda: _Thinnest(begun)).told
        if thick < solid.size:
            attributes[_THIN] = frozen(np.array([[float(part), thick]]))
    if thickness:
        attributes[THICKNESS] = frozen(off)
    rest = mixed_places(begun.rest, begun.topology.triangles, found)
    geometry = Geometry(
        points,
        topology,
        dict(sorted(attributes.items())),
        Rest(frozen(rest), begun.at_rest.extent, points),
        begun.notes,
    )
    geometry.__dict__["normals"] = frozen(normals)
    geometry.solid = Solid(solid.bricks, solid.frame, begun, solid.thin, made.cells)
    return geometry


def _off(begun: Geometry, points: Floats, found: Nearest, by_feet: bool) -> Floats:
    if not by_feet:
        return found.distance
    places = mixed_places(begun.points, begun.topology.triangles, found)
    return np.asarray(np.linalg.norm(points - places, axis=1), np.float32)


def voxel_ids(lattice: Lattice, where: Indices) -> NDArray[np.int64]:
    """A number for every voxel of some bricks, int64 (bricks * 512,). where: int32 (bricks, 3), z y x of each."""
    return _numbers(lattice, np.repeat(where, CELLS, axis=0), np.tile(np.arange(CELLS), len(where)))


def _ids(bricks: Bricks, cells: Indices) -> NDArray[np.int64]:
    """A number for the cell of each vertex, the same wherever the lattice's box begins."""
    return _numbers(bricks.lattice, bricks.where[cells >> 9], cells & 511)


def _numbers(lattice: Lattice, where: Indices, within: NDArray[np.int64] | Indices) -> NDArray[np.int64]:
    corner = (where.astype(np.int64) + lattice.first) * EDGE + (1 << 20)
    z, y, x = corner[:, 0] + (within >> 6), corner[:, 1] + (within >> 3 & 7), corner[:, 2] + (within & 7)
    return np.asarray((z << 42) | (y << 21) | x)


class _Thinnest:
    """The thinnest of a mesh's connected parts: its number, and how thick it is, by its own axes, scene units."""

    def __init__(self, mesh: Geometry) -> None:
        of = mesh.topology.derived("connected parts", lambda: connected_parts(mesh.topology))
        found = [(_thickness(mesh.points[of == part]), part + 1) for part in range(min(int(of.max()) + 1, _MOST_PARTS))]
        thick, number = min(found)
        self.told = number, thick


def _thickness(points: Floats) -> float:
    """How far points reach along the axis along which they reach least; infinite for too few."""
    if len(points) < 4:
        return math.inf
    centred = points.astype(np.float64) - points.mean(axis=0)
    _, axes = np.linalg.eigh(centred.T @ centred)
    return float(np.ptp(centred @ axes, axis=0).min())


def thin_part_told(mesh: Geometry) -> tuple[int, float] | None:
    """The number of a part that is thinner than a voxel, and its thickness, scene units; None where all show."""
    told = mesh.attribute(*_THIN)
    return None if told is None else (int(told[0, 0]), float(told[0, 1]))


def voxels_told(mesh: Geometry) -> tuple[float, float] | None:
    """The size of the voxels a mesh was last taken from, scene units, and how many they were."""
    size, count = mesh.attribute(*_VOXEL), mesh.attribute(*_VOXELS)
    return None if size is None or count is None else (float(size[0]), float(count[0]))


def mixed_places(values: Floats, triangles: Indices, found: Nearest) -> Floats:
    """Values of points at places on triangles, float32 (n, k). values: float32 (m, k)."""
    return mixed_on_triangles(values, triangles, found.triangle, found.weights)


def carried_attributes(
    begun: Geometry, points: Floats, topology: ClosedQuads, found: Nearest
) -> dict[tuple[Domain, str], NDArray[Any]]:
    """The attributes of a mesh on the points and faces of another, from the places found for its points.

    Point attributes are mixed, groups and whole numbers those of the nearest corner. A face takes those of the face under
    its first corner; corners are all taken from that one, so that seams do not smear.
    """
    made: dict[tuple[Domain, str], NDArray[Any]] = {}
    triangles = begun.topology.triangles
    leading = found.triangle[topology.corners[::4]]
    for (domain, name), values in begun.attributes.items():
        if domain is Domain.POINT:
            made[domain, name] = frozen(point_values(values, triangles, found))
        elif domain is Domain.FACE:
            made[domain, name] = frozen(values[begun.topology.triangle_faces[leading]])
        elif domain is Domain.CORNER:
            made[domain, name] = frozen(_on_corners(begun, values, points, topology, leading))
        elif domain is Domain.WHOLE:
            made[domain, name] = values
    return {key: values for key, values in made.items() if key[1] not in _NOT_CARRIED}


_NOT_CARRIED = ("id", NEW, "contact", AUTHORED)


def point_values(values: NDArray[Any], triangles: Indices, found: Nearest) -> NDArray[Any]:
    """Values of points at places on triangles: numbers mixed, flags and whole numbers those of the nearest corner."""
    if values.dtype.kind == "f":
        flat = np.ascontiguousarray(values.reshape(len(values), -1), np.float32)
        return mixed_places(flat, triangles, found).reshape(-1, *values.shape[1:]).astype(values.dtype)
    weights = np.concatenate([1.0 - found.weights.sum(axis=1, keepdims=True), found.weights], axis=1)
    nearest = triangles[found.triangle, np.argmax(weights, axis=1)]
    return np.asarray(values[nearest])


def _on_corners(
    begun: Geometry, values: NDArray[Any], points: Floats, topology: ClosedQuads, leading: Indices
) -> NDArray[Any]:
    """Values of corners, each quad's from one triangle: its own plane is gone on with where a corner lies beside it."""
    own = begun.topology
    if values.dtype.kind != "f":
        return np.asarray(values[own.triangle_corners[np.repeat(leading, 4)][:, 0]])
    flat = np.ascontiguousarray(values.reshape(len(values), -1), np.float32)
    mixed = corners_of_quads(flat, begun.points, own.triangles, own.triangle_corners, leading, points, topology.corners)
    return mixed.reshape(-1, *values.shape[1:]).astype(values.dtype, copy=False)
