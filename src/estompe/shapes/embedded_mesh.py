"""An animated mesh that was taken into the scene: its points on each frame are stored beside it."""

from typing import Annotated, Any, ClassVar

from numpy.typing import NDArray

from estompe.document.scene import AssetName
from estompe.geometry import Domain, Geometry, GeometryError, Topology
from estompe.geometry.derived import Derived
from estompe.geometry.rest import Rest
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import ShapeSource
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole
from estompe.shapes.imported import StoredAttribute
from estompe.shapes.stored_frames import blended


@register
class EmbeddedMesh(ShapeSource, tag="embedded-mesh"):
    """Points of consecutive frames over faces that stay; in between they are blended, outside they are held."""

    label: ClassVar[str] = "Embedded mesh"
    text: ClassVar[str] = "An animated mesh whose frames are stored with the scene."
    words: ClassVar[str] = "animated mesh, stored frames, point cache, baked, cache, sequence, recorded, geometry cache"
    group: ClassVar[str] = "from files"
    animated: ClassVar[bool] = True

    points: Annotated[AssetName, setting("Points", "Where the points are, frame by frame.", editor="hidden")]
    rest: Annotated[AssetName, setting("Rest", "Where the points are at rest.", editor="hidden")]
    corners: Annotated[AssetName, setting("Corners", "Which point each corner is.", editor="hidden")]
    offsets: Annotated[AssetName, setting("Offsets", "Where each face's corners begin.", editor="hidden")]
    first: Annotated[int, whole("First frame", "The frame of the first stored points.", low=-(10**6), high=10**6)] = 1
    attributes: Annotated[
        tuple[StoredAttribute, ...], setting("Attributes", "What else is stored with it.", editor="hidden")
    ] = ()
    file: Annotated[str, setting("From", "The file it was taken from.", editor="hidden")] = ""

    def clock(self, _seconds: float, frame: float) -> float:
        return frame

    def moving(self, context: Context) -> tuple[str, ...]:
        del context
        return "points", "normals"

    def assemble(self, context: Context) -> Geometry:
        stored, rest = context.array(self.points), context.array(self.rest)
        if stored.ndim != 3 or stored.shape[1:] != rest.shape or not len(stored):
            raise CannotEvaluateError("its stored frames do not fit together: import it again")
        try:
            topology, at_rest, attributes = _still(self, context, rest)
        except GeometryError as error:
            raise CannotEvaluateError(f"its mesh cannot be used: {error}") from None
        return Geometry(blended(stored, context.clock - self.first), topology, attributes, at_rest)


_STILL = Derived(64)


def _still(
    source: EmbeddedMesh, context: Context, rest: NDArray[Any]
) -> tuple[Topology, Rest, dict[Any, NDArray[Any]]]:
    """What is the same on all frames, found once. Raises GeometryError."""
    key = source.points, source.rest, source.corners, source.offsets, source.attributes

    def make() -> tuple[Topology, Rest, dict[Any, NDArray[Any]]]:
        attributes = {
            (Domain(item.domain), item.name): item.read(context.array(item.asset)) for item in source.attributes
        }
        made = Geometry.from_faces(rest, context.array(source.corners), context.array(source.offsets), attributes)
        return made.topology, made.at_rest, dict(made.attributes)

    return _STILL.get(key, make)
