"""The inside of a closed mesh at rest as a grid of signed distances, for branches that grow through it."""

from typing import NamedTuple

import numpy as np

from estompe.geometry.geometry import Geometry
from estompe.geometry.volumes.solid import BAND, rounded, solid_of
from estompe.kernels.types import Floats, Matrix

_VOXELS_ALONG = 96.0


class Body(NamedTuple):
    """The inside of a mesh.

    field: float32 (z, y, x), signed distances in voxels, negative inside, clamped near the surface; origin: float64 (3,), of the
    first voxel; voxel: its edge; margin: how far inside places lie; low, high: float64 (3,), the ends of the mesh, scene units.
    """

    field: Floats
    origin: Matrix
    voxel: float
    margin: float
    low: Matrix
    high: Matrix

    def distances(self, places: Matrix) -> Matrix:
        """Signed distances at places, float64 (n,), scene units, clamped near the surface. places: float64 (n, 3)."""
        from scipy.ndimage import map_coordinates

        at = ((places - self.origin) / self.voxel)[:, ::-1].T
        values = map_coordinates(self.field, at, np.float64, order=1, mode="constant", cval=BAND)
        return np.asarray(values) * self.voxel


def body_of(mesh: Geometry) -> Body:
    """The inside of a closed mesh at rest. Raises GeometryError for a mesh that encloses nothing."""
    still = Geometry(mesh.rest, mesh.topology, None, mesh.at_rest)
    low, high = mesh.rest.min(axis=0).astype(np.float64), mesh.rest.max(axis=0).astype(np.float64)
    voxel = rounded(float((high - low).max()) / _VOXELS_ALONG)
    bricks = solid_of(still, np.eye(4)[:3], voxel).bricks
    return Body(np.ascontiguousarray(bricks.dense()), bricks.lattice.origin, voxel, 0.5 * voxel, low, high)
