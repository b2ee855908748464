"""Copies on the points, faces or pieces of another shape."""

from typing import Annotated, ClassVar, Literal

from estompe.document.scene import Identifier
from estompe.geometry import DOMAINS, Domain
from estompe.geometry.carrying import axes_along
from estompe.geometry.rest import Rest
from estompe.geometry.samples import samples_of
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.numbers import Triple, plain_triple
from estompe.kinds.registry import register
from estompe.kinds.settings import setting
from estompe.shapes.copying import CopiesSource, Laid, check_copies


@register
class CopiesOnElements(CopiesSource, tag="copies-on", kw_only=True):
    """One copy on each point, face or piece of another shape, as that is after its effects; they ride on it."""

    label: ClassVar[str] = "Copies on a shape's parts"
    text: ClassVar[str] = "A copy of a shape on every point, face or piece of another one; they go where it goes."
    words: ClassVar[str] = (
        "points on, copies on faces, duplicate on mesh, attach, scatter on vertices, copies, scales, per face, clone"
    )

    surface: Annotated[Identifier, setting("Surface", "The shape that copies stand on.", refers="shape")]
    elements: Annotated[
        Literal["points", "faces", "pieces"], setting("Elements", "The elements that get a copy each.")
    ] = "points"
    aligned: Annotated[bool, setting("Align to normal", "Whether the Y axis of copies follows the normal.")] = True
    up: Annotated[
        Triple,
        setting(
            "Up",
            "The direction that the Z axis of copies leans towards, X Y Z.",
            folded=True,
            when=("aligned", (True,)),
        ),
    ] = (
        0.0,
        1.0,
        0.0,
    )

    def lay(self, context: Context) -> Laid:
        mesh = context.shape(self.surface)
        domain = DOMAINS[self.elements]
        elements = samples_of(mesh, domain)
        if not len(elements):
            raise CannotEvaluateError(f"the shape has no {self.elements} to stand on: choose another")
        check_copies(len(elements), "choose a coarser shape")
        axes = axes_along(elements.normals, plain_triple(self.up)) if self.aligned else None
        key = "copies on", domain, mesh.topology if domain is not Domain.PIECE else None
        rest = (
            mesh.at_rest.derived(key, lambda: Rest(elements.rest))
            if domain is not Domain.PIECE
            else Rest(elements.rest)
        )
        return Laid(elements.ids, elements.positions, axes, rest=rest)
