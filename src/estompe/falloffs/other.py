"""Another falloff's strength as a source."""

from typing import Annotated, ClassVar

from estompe.document.context import Context
from estompe.document.kinds import Source
from estompe.document.registry import register
from estompe.document.scene import Identifier
from estompe.document.settings import setting
from estompe.geometry.elements import Elements
from estompe.kernels.types import Floats


@register
class Other(Source, tag="falloff"):
    """The strength of another falloff on the same points; it follows whatever that one does."""

    group: ClassVar[str] = "scene"
    label: ClassVar[str] = "Another falloff"
    text: ClassVar[str] = "The strength of another falloff. It stays linked: change that one and this follows."

    falloff: Annotated[Identifier, setting("Falloff", "The falloff to use.", refers="falloff")]

    def measure(self, elements: Elements, context: Context) -> Floats:
        del elements
        return context.strength(self.falloff)
