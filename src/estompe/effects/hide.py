"""Hide: faces vanish where there is strength."""

from typing import Annotated, ClassVar

from estompe.document.kinds import Context, Effect, register
from estompe.document.numbers import Number, plain
from estompe.document.settings import setting
from estompe.geometry import Geometry
from estompe.geometry.faces import kept, on_faces
from estompe.kernels.types import Floats


@register
class Hide(Effect, tag="hide"):
    """Faces whose mean strength lies above the threshold are taken away; points keep their numbers."""

    alters: ClassVar[tuple[str, ...]] = ("normals", "attributes", "topology")
    group: ClassVar[str] = "break"
    label: ClassVar[str] = "Hide"
    text: ClassVar[str] = "Takes faces away where the strength is over a threshold."

    threshold: Annotated[
        Number,
        setting("Threshold", "The strength above which a face is gone.", unit="fraction", low=0.0, high=1.0, step=0.01),
    ] = 0.5

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        del context
        if not geometry.topology.faces:
            return geometry
        return kept(geometry, on_faces(geometry, strength) <= plain(self.threshold))
