"""A scene together with the large arrays it refers to."""

import hashlib
import re
from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from estompe.document.scene import Scene
from estompe.document.variants import Variant
from estompe.kinds.unknown_kind import UnknownKind

Assets = Mapping[str, NDArray[Any]]
_ADDRESS = re.compile(r"[0-9a-f]{64}")


class Project:
    """A scene, its named variants, and the content-addressed, read-only arrays stored beside them."""

    def __init__(self, scene: Scene, assets: Assets | None = None, variants: tuple[Variant, ...] = ()) -> None:
        self.scene = scene
        self.assets: Assets = assets if assets is not None else {}
        self.variants = variants

    def with_scene(self, scene: Scene) -> "Project":
        """Another scene over the same arrays."""
        return Project(scene, self.assets, self.variants)


def asset_name(array: NDArray[Any]) -> str:
    """The content address of an array: SHA-256 of its type, shape and bytes."""
    digest = hashlib.sha256(f"{array.dtype.str}{array.shape}".encode())
    digest.update(np.ascontiguousarray(array).data)
    return digest.hexdigest()


def assets_of(scene: Scene, variants: tuple[Variant, ...] = ()) -> set[str]:
    """The content addresses a scene and its variants refer to, wherever they stand."""
    return set(_addresses((scene, variants)))


def _addresses(item: Any) -> Iterator[str]:
    if isinstance(item, str):
        if _ADDRESS.fullmatch(item):
            yield item
    elif isinstance(item, tuple | list):
        for part in item:
            yield from _addresses(part)
    elif isinstance(item, dict):
        yield from _addresses(list(item.values()))
    elif isinstance(item, UnknownKind):
        yield from _addresses(item.raw)
    elif isinstance(item, Struct):
        for name in item.__struct_fields__:
            yield from _addresses(getattr(item, name))
