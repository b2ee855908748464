"""The volume a closed mesh encloses, and finding how far to go along a direction to reach a given one."""

import numpy as np

from estompe.geometry.geometry import Geometry, GeometryError
from estompe.kernels.types import Floats, Indices
from estompe.kernels.volumes.enclosed import enclosed_volume, volume_along


def volume(points: Floats, triangles: Indices) -> float:
    """The enclosed volume by the divergence theorem, cubic scene units. points: float32 (n, 3); triangles: int32 (t, 3)."""
    return enclosed_volume(np.ascontiguousarray(points, np.float32), triangles)


def check_closed(mesh: Geometry) -> None:
    """Raise GeometryError for a mesh that encloses nothing, with the number of its open edges."""
    if not mesh.topology.closed:
        edges = len(mesh.topology.open_edges)
        raise GeometryError(f"keeping the volume needs a closed mesh: {edges} open edges")


def towards_volume(points: Floats, along: Floats, triangles: Indices, wanted: float) -> float:
    """How far to move points along directions of their own so that the volume becomes the wanted one.

    The volume is a cubic in that length; of its roots the one nearest to zero is taken, or zero where there is none.
    """
    points, along = (np.ascontiguousarray(rows, np.float32) for rows in (points, along))
    none, once, twice, thrice = volume_along(points, along, triangles)
    if not np.isfinite([none, once, twice, thrice]).all():
        return 0.0
    roots = np.roots([thrice, twice, once, none - wanted])
    real = roots[np.abs(roots.imag) < 1e-7].real
    return float(real[np.argmin(np.abs(real))]) if len(real) else 0.0
