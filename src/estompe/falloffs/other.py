"""Another falloff's strength as a source."""

from typing import Annotated, ClassVar

from estompe.document.scene import Identifier
from estompe.geometry.elements import Elements
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Source
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class Other(Source, tag="falloff"):
    """The strength of another falloff on the same points; it follows whatever that one does."""

    group: ClassVar[str] = "scene"
    limits: ClassVar[tuple[float, float] | None] = (0.0, 1.0)
    label: ClassVar[str] = "Another falloff"
    text: ClassVar[str] = "The strength of another falloff. It stays linked: change that one and this follows."
    words: ClassVar[str] = (
        "link, reuse, instance, reference, copy falloff, combine, share, nested, mix falloffs, weight"
    )

    falloff: Annotated[Identifier, setting("Falloff", "The falloff whose strength is used.", refers="falloff")]

    def measure(self, elements: Elements, context: Context) -> Floats:
        del elements
        return context.strength(self.falloff)
