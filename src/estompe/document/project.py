"""A scene together with the big arrays it refers to."""

import hashlib
import re
from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from estompe.document.scene import Mesh, Scene, StoredAttribute
from estompe.geometry import Domain, Geometry, frozen

Blobs = Mapping[str, NDArray[Any]]
_ADDRESS = re.compile(r"[0-9a-f]{64}")


class Project:
    """A scene and the content-addressed, read-only arrays beside it."""

    def __init__(self, scene: Scene, blobs: Blobs | None = None) -> None:
        self.scene = scene
        self.blobs: Blobs = blobs if blobs is not None else {}

    def with_scene(self, scene: Scene) -> "Project":
        """Another scene over the same arrays."""
        return Project(scene, self.blobs)


def blob_name(array: NDArray[Any]) -> str:
    """The content address of an array: SHA-256 of its type, shape and bytes."""
    digest = hashlib.sha256(f"{array.dtype.str}{array.shape}".encode())
    digest.update(np.ascontiguousarray(array).data)
    return digest.hexdigest()


def stored(geometry: Geometry, file: str = "") -> tuple[Mesh, dict[str, NDArray[Any]]]:
    """A geometry as a shape source and the blobs it refers to."""
    blobs: dict[str, NDArray[Any]] = {}

    def keep(array: NDArray[Any]) -> str:
        name = blob_name(array)
        blobs[name] = frozen(array)
        return name

    attributes = tuple(
        StoredAttribute(name, domain.value, keep(values)) for (domain, name), values in geometry.attributes.items()
    )
    topology = geometry.topology
    mesh = Mesh(keep(geometry.rest), keep(topology.corners), keep(topology.offsets), attributes, file)
    return mesh, blobs


def restored(mesh: Mesh, blobs: Blobs) -> Geometry:
    """The geometry of an imported mesh. Raises KeyError for a missing blob and GeometryError for a broken one."""
    attributes = {(Domain(item.domain), item.name): blobs[item.blob] for item in mesh.attributes}
    return Geometry.from_faces(blobs[mesh.points], blobs[mesh.corners], blobs[mesh.offsets], attributes)


def blobs_of(scene: Scene) -> set[str]:
    """The content addresses a scene refers to, wherever they stand."""
    return set(_addresses(scene))


def _addresses(item: Any) -> Iterator[str]:
    if isinstance(item, str):
        if _ADDRESS.fullmatch(item):
            yield item
    elif isinstance(item, tuple):
        for part in item:
            yield from _addresses(part)
    elif isinstance(item, Struct):
        for name in item.__struct_fields__:
            yield from _addresses(getattr(item, name))
