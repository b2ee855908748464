"""Formats that hold triangles only: STL and glTF."""

from pathlib import Path, PurePosixPath
from typing import Any

import numpy as np
import trimesh

from estompe.exchange.errors import ExchangeError, Tell
from estompe.exchange.parts import Arrays, Part, joined
from estompe.geometry import Domain, Geometry


class _SameFolder(trimesh.resolvers.Resolver):  # type: ignore[misc]
    """Buffers and pictures of a glTF file: only from its own folder."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def get(self, name: str) -> bytes:
        relative = PurePosixPath(name)
        if relative.is_absolute() or ".." in relative.parts:
            raise ValueError(f"it refers to “{name[:80]}”, outside its own folder")
        return (self._folder / relative).read_bytes()

    def keys(self) -> list[str]:
        return [item.name for item in self._folder.iterdir()]

    def write(self, name: str, data: bytes) -> None:
        raise NotImplementedError

    def namespaced(self, namespace: str) -> "_SameFolder":
        return _SameFolder(self._folder / namespace)


def read(path: Path, tell: Tell) -> Geometry:
    """The meshes of an STL, glTF or GLB file as one; each glTF mesh becomes a face group. Raises ExchangeError."""
    tell(0.0, "reading")
    parts = _parts(path, path.suffix.lower()[1:])
    tell(0.9, "checking the mesh")
    return joined([part for part in parts if part is not None])


def _parts(path: Path, kind: str) -> list[Part | None]:
    try:
        with path.open("rb") as stream:
            scene = trimesh.load_scene(stream, file_type=kind, resolver=_SameFolder(path.parent), process=kind == "stl")
        return [_part(scene, node) for node in scene.graph.nodes_geometry]
    except OSError:
        raise
    except Exception as error:  # the library validates little: a damaged file can make it raise anything
        raise ExchangeError(f"damaged or not a {kind.upper()} file ({error})") from None


def _part(scene: Any, node: str) -> Part | None:
    matrix, name = scene.graph[node]
    mesh = scene.geometry[name]
    if not isinstance(mesh, trimesh.Trimesh) or not len(mesh.faces):
        return None
    points = mesh.vertices @ matrix[:3, :3].T + matrix[:3, 3]
    sizes = np.full(len(mesh.faces), 3)
    return Part(str(node), points, mesh.faces.reshape(-1), sizes, _attributes(mesh))


def _attributes(mesh: Any) -> Arrays:
    found: Arrays = {}
    uv = getattr(mesh.visual, "uv", None)
    if uv is not None and len(uv) == len(mesh.vertices):
        found[Domain.POINT, "uv"] = np.asarray(uv, np.float32)
    if getattr(mesh.visual, "kind", None) == "vertex":
        found[Domain.POINT, "color"] = (mesh.visual.vertex_colors[:, :3] / 255.0).astype(np.float32)
    return found
