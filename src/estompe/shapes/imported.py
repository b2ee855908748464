"""A mesh that was imported from a file; its arrays are stored beside the scene."""

from collections.abc import Callable, Mapping
from typing import Annotated, Any, ClassVar, Literal

from numpy.typing import NDArray

from estompe.document.project import asset_name
from estompe.document.scene import AssetName, Name
from estompe.geometry import Domain, Geometry, GeometryError, frozen
from estompe.geometry.attributes import finite
from estompe.geometry.colors import as_linear
from estompe.kinds.context import CannotEvaluateError
from estompe.kinds.kind import ShapeSource
from estompe.kinds.part import Part
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


class StoredAttribute(Part):
    """A named array of an imported mesh. values: "display" where it holds colours that a scene of version 9 kept."""

    name: Name
    domain: Literal["point", "corner", "face", "whole"]
    asset: AssetName
    values: Literal["as they are", "display"] = "as they are"

    def read(self, array: NDArray[Any]) -> NDArray[Any]:
        """The array with its colours in linear light."""
        return as_linear(array) if self.values == "display" else array


Notes = tuple[str, ...]
_STORED: dict[Domain, Literal["point", "corner", "face", "whole"]] = {
    Domain.POINT: "point",
    Domain.CORNER: "corner",
    Domain.FACE: "face",
    Domain.WHOLE: "whole",
}


@register
class ImportedMesh(ShapeSource, tag="mesh"):
    """A mesh from a file. points, corners, offsets: arrays by content address; file: where it came from."""

    label: ClassVar[str] = "Imported mesh"
    text: ClassVar[str] = "A mesh that was imported from a file."
    words: ClassVar[str] = "import, object, file, obj, polygon, model, geometry, asset, external"
    group: ClassVar[str] = "from files"

    points: Annotated[AssetName, setting("Points", "Where the points are.", editor="hidden")]
    corners: Annotated[AssetName, setting("Corners", "Which point each corner is.", editor="hidden")]
    offsets: Annotated[AssetName, setting("Offsets", "Where each face's corners begin.", editor="hidden")]
    attributes: Annotated[
        tuple[StoredAttribute, ...], setting("Attributes", "What else is stored with it.", editor="hidden")
    ] = ()
    file: Annotated[str, setting("File", "The file it was imported from.", editor="hidden")] = ""

    def build(self, arrays: Mapping[str, NDArray[Any]]) -> Geometry:
        try:
            attributes, notes = self._attributes(arrays)
            made = Geometry.from_faces(arrays[self.points], arrays[self.corners], arrays[self.offsets], attributes)
            return Geometry(made.points, made.topology, made.attributes, made.at_rest, notes) if notes else made
        except KeyError:
            raise CannotEvaluateError("its mesh is not in the file: import it again") from None
        except GeometryError as error:
            raise CannotEvaluateError(f"its mesh cannot be used: {error}") from None

    def _attributes(self, arrays: Mapping[str, NDArray[Any]]) -> tuple[dict[tuple[Domain, str], NDArray[Any]], Notes]:
        """What is stored with it, and what a person should know about that."""
        found: dict[tuple[Domain, str], NDArray[Any]] = {}
        notes = []
        for item in self.attributes:
            found[Domain(item.domain), item.name], note = finite(item.name, item.read(arrays[item.asset]))
            notes += [note] if note else []
        return found, tuple(notes)


def stored_attributes(geometry: Geometry, keep: Callable[[NDArray[Any]], str]) -> tuple[StoredAttribute, ...]:
    """The attributes of a geometry, each kept as an array by its content address."""
    return tuple(
        StoredAttribute(name, _STORED[domain], keep(values))
        for (domain, name), values in geometry.attributes.items()
        if domain in _STORED
    )


def keeping() -> tuple[dict[str, NDArray[Any]], Callable[[NDArray[Any]], str]]:
    """Arrays by content address, none so far, and what takes one in and returns its address."""
    assets: dict[str, NDArray[Any]] = {}

    def keep(array: NDArray[Any]) -> str:
        name = asset_name(array)
        assets[name] = frozen(array)
        return name

    return assets, keep


def stored(geometry: Geometry, file: str = "") -> tuple[ImportedMesh, dict[str, NDArray[Any]]]:
    """A geometry as a shape source, and the arrays it refers to by content address."""
    assets, keep = keeping()
    attributes = stored_attributes(geometry, keep)
    topology = geometry.topology
    mesh = ImportedMesh(keep(geometry.rest), keep(topology.corners), keep(topology.offsets), attributes, file)
    return mesh, assets
