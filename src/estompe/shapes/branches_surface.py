"""Branches over a surface."""

from collections.abc import Callable
from typing import Annotated, ClassVar

import numpy as np

from estompe.document.scene import Identifier
from estompe.geometry import Geometry
from estompe.geometry.branches.places import surface_places
from estompe.geometry.branches.tree import Tree, over_surface
from estompe.kernels.scatter import followed
from estompe.kernels.surface import feet, nearest_on_surface, tree_of
from estompe.kernels.types import Matrix
from estompe.kinds.context import Context
from estompe.kinds.registry import register
from estompe.kinds.settings import setting
from estompe.shapes.branching import BranchesSource, branches_at


@register
class BranchesOverSurface(BranchesSource, tag="branches-surface", kw_only=True):
    """Branches that walk over a shape's faces from where it is nearest to their roots; they ride on it as it deforms."""

    label: ClassVar[str] = "Branches over a surface"
    text: ClassVar[str] = "Veins, cracks, frost or ivy that branch over another shape; Sprout makes them grow."
    words: ClassVar[str] = (
        "veins, vein, crack, cracks, frost, ivy, roots, vines, vine, lightning, river, tree, branching, growth, dendrite, "
        "fractal, space colonization, network, capillaries, coral, fern"
    )

    surface: Annotated[Identifier, setting("Over", "The shape that they grow over.", refers="shape")]

    def assemble(self, context: Context) -> Geometry:
        mesh, matrix = context.shape(self.surface), context.matrix_of(self.surface)
        tree = self.solved(mesh, matrix, context)
        positions, _, _ = followed(mesh.points, mesh.normals, mesh.topology.triangles, tree.triangle, tree.shares)
        return branches_at(tree, positions, self.twigs)

    def solve(self, mesh: Geometry, roots: Matrix, scale: float, go_on: Callable[[], None]) -> Tree:
        triangles = mesh.topology.triangles
        near = roots.astype(np.float32)
        found = nearest_on_surface(near, tree_of(mesh.rest, triangles, mesh.at_rest.triangle_order(mesh.topology)))
        begun = feet(near, mesh.rest, triangles, found).astype(np.float64)
        ranked = surface_places(mesh, self.twigs, self.seed)
        return over_surface(mesh, begun, found.triangle, ranked, self.habit(mesh, scale), go_on)
