"""Hide: faces vanish where there is strength."""

from typing import Annotated, ClassVar

from msgspec import Struct

from estompe.document.kinds import At, EffectSettings, register
from estompe.document.numbers import Number, plain
from estompe.document.settings import setting
from estompe.geometry import Geometry
from estompe.geometry.faces import kept, on_faces
from estompe.kernels.types import Floats


@register
class Hide(
    Struct, EffectSettings, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="hide", tag_field="kind"
):
    """Faces whose mean strength lies above the threshold are taken away; points keep their numbers."""

    alters: ClassVar[tuple[str, ...]] = ("normals", "attributes", "topology")
    label: ClassVar[str] = "Hide"
    text: ClassVar[str] = "Takes faces away where the strength is over a threshold."

    threshold: Annotated[
        Number,
        setting("Threshold", "The strength above which a face is gone.", unit="share", low=0.0, high=1.0, step=0.01),
    ] = 0.5

    def apply(self, geometry: Geometry, strength: Floats, at: At) -> Geometry:
        del at
        if not geometry.topology.faces:
            return geometry
        return kept(geometry, on_faces(geometry, strength) <= plain(self.threshold))
