"""Branches through the inside of a shape."""

from collections.abc import Callable
from typing import Annotated, ClassVar

import numpy as np

from estompe.document.scene import Identifier
from estompe.geometry import Geometry
from estompe.geometry.branches.body import body_of
from estompe.geometry.branches.places import in_body
from estompe.geometry.branches.tree import Tree, through_body
from estompe.kernels.transform import transformed
from estompe.kernels.types import Matrix
from estompe.kinds.context import Context
from estompe.kinds.registry import register
from estompe.kinds.settings import setting
from estompe.shapes.branching import BranchesSource, branches_at


@register
class BranchesThroughSpace(BranchesSource, tag="branches-space", kw_only=True):
    """Branches that fill a closed shape as it is at rest; they go with its transform, not with what deforms it."""

    label: ClassVar[str] = "Branches through space"
    text: ClassVar[str] = (
        "Trees, corals, roots or lightning that fill the inside of another shape; Sprout makes them grow."
    )
    words: ClassVar[str] = (
        "tree, trees, coral, roots, root, lightning, bush, shrub, crown, branching, growth, dendrite, fractal, "
        "space colonization, veins, neuron, sponge, antlers"
    )

    inside: Annotated[Identifier, setting("Inside", "The closed shape that they fill.", refers="shape")]

    def assemble(self, context: Context) -> Geometry:
        mesh, matrix = context.shape(self.inside), context.matrix_of(self.inside)
        tree = self.solved(mesh, matrix, context)
        return branches_at(tree, transformed(tree.rest.positions, matrix), self.twigs)

    def solve(self, mesh: Geometry, roots: Matrix, scale: float, go_on: Callable[[], None]) -> Tree:
        body = mesh.at_rest.derived(("body", mesh.topology), lambda: body_of(mesh))
        ranked = in_body(body, self.twigs, self.seed)
        begun = roots.copy()
        # A root that lies outside is moved to the nearest place inside.
        for i in np.flatnonzero(body.distances(roots) > -body.margin):
            if len(ranked.ids):
                away = np.linalg.norm(ranked.positions - roots[i], axis=1)
                begun[i] = ranked.positions[int(np.argmin(away))]
        return through_body(body, begun, ranked, self.habit(mesh, scale), go_on)
