"""Another falloff's strength as a source."""

from typing import Annotated, ClassVar

from msgspec import Struct

from estompe.document.kinds import At, Source, register
from estompe.document.scene import Identifier
from estompe.document.settings import setting
from estompe.geometry.samples import Samples
from estompe.kernels.types import Floats


@register
class Other(Struct, Source, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="falloff", tag_field="kind"):
    """The strength of another falloff on the same points; it follows whatever that one does."""

    label: ClassVar[str] = "Another falloff"
    text: ClassVar[str] = "The strength of another falloff. It stays linked: change that one and this follows."

    falloff: Annotated[Identifier, setting("Falloff", "The falloff to use.", refers="falloff")]

    def measure(self, samples: Samples, at: At) -> Floats:
        del samples
        return at.strength(self.falloff)
