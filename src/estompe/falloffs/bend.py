"""How far a joint is bent, where it acts."""

from typing import Annotated, ClassVar

from msgspec import Meta, Struct

from estompe.document.kinds import At, MissingError, Source, register
from estompe.document.scene import Identifier
from estompe.document.settings import setting
from estompe.geometry.samples import Samples
from estompe.kernels.types import Floats


@register
class JointBend(Struct, Source, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="bend", tag_field="kind"):
    """A joint's angle in degrees at the joint itself, dying out along both bones."""

    label: ClassVar[str] = "Bend of a joint"
    text: ClassVar[str] = "How many degrees a joint is bent, where it acts; nothing while it is straight."

    joints: Annotated[Identifier, setting("Joints", "The Joints effect that holds the chain.", refers="effect")]
    number: Annotated[
        int, setting("Joint", "Which joint of the chain, counted from its root.", low=1, high=64), Meta(ge=1, le=64)
    ] = 2

    def reads(self) -> tuple[str, ...]:
        return ("rest",)

    def unit(self) -> str:
        return "degrees"

    def measure(self, samples: Samples, at: At) -> Floats:
        chain = at.effect(self.joints)
        if not hasattr(chain, "bend_at"):
            raise MissingError("it looks at an effect without joints: choose a Joints effect")
        return chain.bend_at(samples.rest, self.number - 1)  # type: ignore[no-any-return]
