"""A grown sheet as a mesh, with the attributes of the mesh that it began as."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.geometry import Domain, Geometry
from estompe.geometry.pieces import Pieces
from estompe.geometry.rest import Rest
from estompe.geometry.ruffle.sheet import First, Sheet
from estompe.geometry.shading import AUTHORED
from estompe.geometry.topology import Topology
from estompe.kernels.types import Floats, Matrix, frozen


def as_mesh(sheet: Sheet, first: First, mesh: Geometry, points: Floats) -> Geometry:
    """A sheet as triangles.

    Parameters
    ----------
    sheet : Sheet
        The sheet.
    first : First
        The mesh that it began as, at rest.
    mesh : Geometry
        That mesh as it is now, whose attributes are carried over: numbers of points are mixed, groups are those of the nearest
        corner, corners continue the plane of the first face that they lie on.
    points : float32 (n, 3)
        Where the points of the sheet are, scene units.

    Returns
    -------
    Geometry
        Its points have the sheet's ids.
    """
    count = len(points)
    nearest = first.triangles[sheet.triangle, sheet.shares.argmax(axis=1)]
    pieces = None
    if mesh.topology.parted is not None:
        own = mesh.topology.parted
        pieces = Pieces(frozen(own.of[nearest]), own.ids, own.rank, own.word)
    offsets = np.arange(0, 3 * len(sheet.triangles) + 1, 3, dtype=np.int32)
    topology = Topology(frozen(sheet.triangles.reshape(-1)), frozen(offsets), count, pieces)
    rest = first.rest_of(sheet)
    attributes: dict[tuple[Domain, str], NDArray[Any]] = {}
    for (domain, name), values in mesh.attributes.items():
        if domain is Domain.POINT:
            attributes[domain, name] = frozen(_on_points(values, sheet, first, nearest))
        elif domain is Domain.FACE:
            attributes[domain, name] = frozen(values[mesh.topology.triangle_faces[sheet.owner]])
        elif domain is Domain.CORNER and name != AUTHORED:
            attributes[domain, name] = frozen(_on_corners(values, sheet, first, mesh.topology, rest))
        elif domain in (Domain.WHOLE, Domain.PIECE):
            attributes[domain, name] = values
    attributes[Domain.POINT, "id"] = frozen(sheet.ids)
    return Geometry(
        points, topology, attributes, Rest(frozen(rest.astype(np.float32)), mesh.at_rest.extent), mesh.notes
    )


def _on_points(values: NDArray[Any], sheet: Sheet, first: First, nearest: NDArray[Any]) -> NDArray[Any]:
    if values.dtype.kind != "f":
        return np.asarray(values[nearest])
    flat = np.ascontiguousarray(values.reshape(len(values), -1), np.float32)
    return first.on(flat, sheet).reshape(-1, *values.shape[1:]).astype(values.dtype)


def _on_corners(values: NDArray[Any], sheet: Sheet, first: First, before: Topology, rest: Matrix) -> NDArray[Any]:
    """Values of corners, each triangle's from the plane of the first triangle that it lies on."""
    corners = before.triangle_corners[sheet.owner]
    if values.dtype.kind != "f":
        return np.asarray(values[np.repeat(corners[:, 0], 3)])
    flat = values.reshape(len(values), -1).astype(np.float64)
    shares = _shares(first.points[first.triangles[sheet.owner]], rest[sheet.triangles])
    mixed = np.einsum("tcs,tsk->tck", shares, flat[corners])
    return np.asarray(mixed.reshape(-1, *values.shape[1:]).astype(values.dtype))


def _shares(triangles: Matrix, places: Matrix) -> Matrix:
    """Barycentric coordinates of three places each on a triangle's plane, float64 (t, 3, 3), beyond its sides too."""
    a, b, c = (triangles[:, k] for k in range(3))
    normal = np.cross(b - a, c - a)
    squared = np.maximum(np.einsum("ij,ij->i", normal, normal), 1e-300)
    shares = np.empty((len(triangles), 3, 3))
    for k in range(3):
        place = places[:, k]
        shares[:, k, 0] = np.einsum("ij,ij->i", np.cross(c - b, place - b), normal) / squared
        shares[:, k, 1] = np.einsum("ij,ij->i", np.cross(a - c, place - c), normal) / squared
    shares[:, :, 2] = 1.0 - shares[:, :, 0] - shares[:, :, 1]
    return shares
