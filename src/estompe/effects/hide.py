"""Hide: elements vanish by their strength."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from estompe.geometry import Domain, Geometry
from estompe.geometry.faces import kept, on_faces
from estompe.geometry.pieces import even_ranks
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import EVERY_ELEMENT, ActsOn, Effect
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class Hide(Effect, tag="hide"):
    """Faces, pieces or copies are taken away where the strength says; points keep their numbers.

    On points, a face counts by the mean of its corners.
    """

    alters: ClassVar[tuple[str, ...]] = ("normals", "attributes", "topology")
    recolors: ClassVar[bool | None] = False
    acts: ClassVar[tuple[ActsOn, ...]] = EVERY_ELEMENT
    group: ClassVar[str] = "break"
    label: ClassVar[str] = "Hide"
    text: ClassVar[str] = (
        "Takes faces, pieces or copies away where the strength is over or under a threshold, or by share."
    )
    words: ClassVar[str] = (
        "delete, remove, cull, dissolve, clip, reveal, threshold, visibility, erase, disappear, "
        "disintegrate, appear, dissipate, toggle, switch off, trim"
    )

    threshold: Annotated[
        Number,
        setting(
            "Threshold",
            "The strength above or below which elements are hidden.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.01,
            when=("how", ("over", "under")),
        ),
    ] = 0.5
    how: Annotated[
        Literal["over", "under", "share"],
        setting(
            "Hide", "Which elements are hidden: over the threshold, under it, or a share as large as the strength."
        ),
    ] = "over"

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        if context.domain is Domain.PIECE:
            return self._pieces(geometry, strength)
        if not geometry.topology.faces:
            return geometry
        on = strength if context.domain is Domain.FACE else on_faces(geometry, strength)
        return kept(geometry, self._kept(on, even_ranks(np.arange(len(on)))))

    def _kept(self, strength: Floats, rank: Floats) -> NDArray[np.bool_]:
        if self.how == "share":
            return rank >= strength
        threshold = plain(self.threshold)
        return strength <= threshold if self.how == "over" else strength >= threshold

    def _pieces(self, geometry: Geometry, strength: Floats) -> Geometry:
        shown = geometry.showing_pieces(lambda rank: self._kept(strength, rank))
        if shown is not None:
            return shown
        topology = geometry.topology
        if not topology.faces:
            return geometry
        stay = self._kept(strength, geometry.pieces.rank)
        return kept(geometry, stay[topology.face_pieces])
