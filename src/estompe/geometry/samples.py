"""What a falloff is asked about: points today, faces, pieces or copies the same way."""

from msgspec import Struct

from estompe.geometry.geometry import Geometry
from estompe.geometry.rest import Rest
from estompe.kernels.types import Floats


class Samples(Struct, frozen=True):
    """Places that get a strength each, taken from a geometry's points.

    points: float32 (n, 3), world space, scene units; rest, at_rest: the same before placing and effects;
    normals: unit, when asked; geometry: the mesh they belong to, for its attributes and topology.
    """

    geometry: Geometry
    points: Floats

    def __len__(self) -> int:
        return len(self.points)

    @property
    def at_rest(self) -> Rest:
        """The points before placing and effects, and what was found out about them."""
        return self.geometry.at_rest

    @property
    def rest(self) -> Floats:
        """The points before placing and effects, float32 (n, 3)."""
        return self.geometry.rest

    @property
    def normals(self) -> Floats:
        """Unit normals, float32 (n, 3)."""
        return self.geometry.normals
