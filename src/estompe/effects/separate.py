"""Separate: a mesh comes apart into faces, or into the parts that hang together, so that each can move by itself."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from estompe.geometry import Domain, Geometry, frozen
from estompe.geometry.carrying import axes_along
from estompe.geometry.pieces import Pieces, even_ranks
from estompe.geometry.rest import Rest
from estompe.geometry.shading import AUTHORED
from estompe.geometry.topology import Topology, connected_parts
from estompe.kernels.types import Floats, Indices
from estompe.kinds.context import Context
from estompe.kinds.kind import Effect
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class Separate(Effect, tag="separate"):
    """Each face, or each connected part, becomes a piece; where nothing moves the surface looks as before."""

    group: ClassVar[str] = "break"
    makes_pieces: ClassVar[bool] = True
    alters: ClassVar[tuple[str, ...]] = ("points", "normals", "rest", "attributes", "topology")
    recolors: ClassVar[bool | None] = False
    fed_at_first: ClassVar[bool] = False
    label: ClassVar[str] = "Separate"
    text: ClassVar[str] = (
        "Parts a mesh into its faces or connected parts, so that later effects can move each as a piece."
    )
    words: ClassVar[str] = (
        "split, facet, detach, faces apart, islands, unweld, loosen, parts, explode, connectivity, break up"
    )

    into: Annotated[
        Literal["faces", "parts"], setting("Pieces", "What becomes a piece: every face, or every connected part.")
    ] = "faces"

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        del context
        if not geometry.topology.faces or not strength.any():
            return geometry
        key = "separate", self.into
        if self.into == "parts":
            topology = geometry.topology.derived(key, lambda: _into_parts(geometry.topology))
            axes = np.tile(np.eye(3, dtype=np.float32).reshape(1, 9), (len(topology.pieces), 1))
            parts = Geometry(geometry.points, topology, geometry.attributes, geometry.at_rest, axes=axes)
            # The faces are the same ones, and so is what was found of them.
            return parts.moved(geometry.points, geometry.normals)
        topology = geometry.topology.derived(key, lambda: _into_faces(geometry.topology))
        old = geometry.topology.corners
        made = Geometry(
            geometry.points[old],
            topology,
            {
                _domain(key): _on_corners(key[0], values, geometry)
                for key, values in geometry.attributes.items()
                if key != (Domain.CORNER, AUTHORED)
            },
            geometry.at_rest.derived(("separate", geometry.topology), lambda: Rest(frozen(geometry.rest[old]))),
            axes=axes_along(geometry.topology.face_normals(geometry.points)),
        )
        # Edges are not seen before something moves: every corner keeps the normal it was shown with.
        return made.moved(made.points, geometry.corner_normals)


def _domain(key: tuple[Domain, str]) -> tuple[Domain, str]:
    return (Domain.POINT, key[1]) if key[0] is Domain.CORNER else key


def _on_corners(domain: Domain, values: NDArray[np.generic], geometry: Geometry) -> NDArray[np.generic]:
    return frozen(values[geometry.topology.corners]) if domain is Domain.POINT else values


def _into_faces(topology: Topology) -> Topology:
    corners: Indices = np.arange(len(topology.corners), dtype=np.int32)
    ids = np.arange(topology.faces)
    pairs = topology.face_pairs
    pieces = Pieces(topology.corner_faces, ids, even_ranks(ids), "face", pairs=pairs)
    return Topology(frozen(corners), topology.offsets, len(corners), pieces)


def _into_parts(topology: Topology) -> Topology:
    of = connected_parts(topology)
    # A part has the id of its first point, so that ids stay when other parts come or go.
    _, first = np.unique(of, return_index=True)
    order = np.argsort(first, kind="stable")
    number = np.empty(len(order), np.int32)
    number[order] = np.arange(len(order), dtype=np.int32)
    ids = first[order].astype(np.int64)
    pieces = Pieces(frozen(number[of]), ids, even_ranks(ids), "part")
    return Topology(topology.corners, topology.offsets, topology.points, pieces, numbering=topology.numbering)
