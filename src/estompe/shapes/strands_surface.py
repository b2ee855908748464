"""Strands grown from a surface."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.document.scene import Identifier
from estompe.kernels.scatter import followed
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.numbers import Number, Triple, plain, plain_triple
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole
from estompe.shapes.copies_scatter import Scattered, scattered
from estompe.shapes.stringing import Spines, StrandsSource


@register
class StrandsFrom(StrandsSource, tag="strands-from", kw_only=True):
    """Lines that stand on a surface along its normals; Scale, each by itself, makes them as long as a falloff says."""

    label: ClassVar[str] = "Strands from a surface"
    text: ClassVar[str] = "Living lines grown from a shape, such as hairs, grasses or feelers; they ride on it."
    words: ClassVar[str] = (
        "hair, fur, grass, strands, feelers, whiskers, bristles, tentacles, curves, groom, feather, petals, needles"
    )

    surface: Annotated[Identifier, setting("Surface", "The shape that strands grow from.", refers="shape")]
    roots: Annotated[int, whole("Roots", "The number of places that strands grow from.", low=1, high=50_000)] = 300
    length: Annotated[
        Number, setting("Length", "The length of each strand.", unit="length", low=0.0, high=1e5, step=0.01)
    ] = 0.3
    lean: Annotated[Triple, setting("Lean", "A direction that is added to the normals, X Y Z.", step=0.05)] = (
        0.0,
        0.0,
        0.0,
    )

    def spines(self, context: Context) -> Spines:
        mesh = context.shape(self.surface)
        topology = mesh.topology
        if not topology.faces:
            raise CannotEvaluateError("the shape they grow from has no faces: choose another")
        key = "strands", topology, self.roots, self.seed
        found: Scattered = mesh.at_rest.derived(key, lambda: scattered(mesh, self.roots, 0.0, self.seed))
        places, normals, alongs = followed(mesh.points, mesh.normals, topology.triangles, found.owner, found.shares)
        ways = normals + np.asarray(plain_triple(self.lean), np.float32)
        ways /= np.maximum(np.linalg.norm(ways, axis=1, keepdims=True), 1e-12)
        share = np.linspace(0.0, plain(self.length), self.points, dtype=np.float32)[None, :, None]
        return Spines(np.asarray(places[:, None] + ways[:, None] * share, np.float32), found.ids, alongs)
