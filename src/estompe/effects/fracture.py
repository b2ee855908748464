"""Fracture: a closed mesh is cut into cells with caps, so that later effects can move each as a piece."""

from typing import Annotated, ClassVar, Literal

import numpy as np

from estompe.geometry import Geometry
from estompe.geometry.fracture.cells import Cells, cells_of
from estompe.geometry.fracture.cutting import FractureError, cut_into_cells
from estompe.geometry.fracture.seeds import seeds_inside
from estompe.geometry.volumes.closing import closed_flat
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import Effect
from estompe.kinds.numbers import Triple, plain_triple
from estompe.kinds.registry import register
from estompe.kinds.settings import rgb, setting, whole

MOST_CELLS = 5000


@register
class Fracture(Effect, tag="fracture"):
    """Cuts the mesh as it is at rest, once; what is above it in the chain, and the shape's transform, move the cells.

    Its falloffs say where cells are small. They are read on the first frame of the shot, so that nothing jumps.
    """

    group: ClassVar[str] = "break"
    makes_pieces: ClassVar[bool] = True
    at_start: ClassVar[bool] = True
    alters: ClassVar[tuple[str, ...]] = ("points", "normals", "rest", "attributes", "topology")
    recolors: ClassVar[bool | None] = True
    fed_at_first: ClassVar[bool] = False
    label: ClassVar[str] = "Fracture"
    text: ClassVar[str] = (
        "Cuts a closed mesh into cells with caps; a falloff makes them smaller where it is strong at the start."
    )
    words: ClassVar[str] = (
        "break, shatter, crack, voronoi, shards, destroy, smash, pieces, disintegrate, cells, explode, "
        "glass, cut, slice, chop, stone, rock, ice"
    )

    cells: Annotated[
        int, whole("Cells", "The largest number of pieces: more breaks it smaller.", low=2, high=MOST_CELLS)
    ] = 200
    spread: Annotated[
        Literal["even", "random"],
        setting("Distribution", "Whether cells are of about one size or of very different sizes."),
    ] = "even"
    seed: Annotated[
        int, whole("Seed", "The start of the random numbers: another seed gives other cells.", low=0, high=2**31 - 1)
    ] = 1
    inside: Annotated[
        Triple,
        rgb("Inside colour", "The colour of cut faces: red, green and blue."),
    ] = (0.163, 0.0946, 0.0593)
    close: Annotated[
        bool,
        setting("Close flat holes", "Whether flat openings get a lid first, so that the mesh is closed.", folded=True),
    ] = False

    def reads(self) -> tuple[str, ...]:
        return ("color",)

    @classmethod
    def summary(cls, after: Geometry) -> str:
        return f"{len(after.pieces):,} cells, cut once at rest"

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        if not geometry.topology.faces:
            return geometry
        if not strength.any():
            raise CannotEvaluateError(
                "its falloffs are nowhere on the first frame of the shot, so nothing is cut: "
                "move them to the shape there, or feed it by none"
            )
        if self.close:
            geometry = closed_flat(geometry)
        open_edges = len(geometry.topology.open_edges)
        if not geometry.topology.closed:
            what = f"{open_edges:,} open edges" if open_edges else "edges that more than two faces share"
            raise CannotEvaluateError(
                f"the mesh has {what}, so it has no inside to cut: close it, or switch on “Close flat holes”"
            )
        # Where the falloffs are full everywhere, cells are even; the cut depends on nothing else.
        density = None if len(strength) != len(geometry.points) or np.all(strength >= 1.0) else strength
        key = (
            "fracture", geometry.topology, self.cells, self.spread, self.seed,
            None if density is None else density.tobytes(),
        )  # fmt: skip
        cells: Cells = geometry.at_rest.derived(key, lambda: self._cut(geometry, density))
        color = np.asarray(context.shape_color, np.float32)
        return cells.of(geometry, context.shape_matrix, plain_triple(self.inside), color)

    def _cut(self, geometry: Geometry, density: Floats | None) -> Cells:
        seeds, ids, rank = seeds_inside(geometry, self.cells, self.seed, self.spread == "even", density)
        if len(seeds) < 2:
            where = "where the falloff is" if density is not None else "inside it"
            raise CannotEvaluateError(f"no cells fit {where}: use a larger mesh, or a falloff that is somewhere")
        try:
            cut = cut_into_cells(geometry.rest, geometry.topology.triangles, seeds, self.seed)
        except FractureError as error:
            raise CannotEvaluateError(str(error)) from None
        return cells_of(geometry, cut, ids, rank)
