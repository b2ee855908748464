"""How far a joint is bent, where it acts."""

from typing import Annotated, ClassVar

from estompe.document.scene import Identifier
from estompe.geometry.elements import Elements
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import Effect, Source
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole


@register
class JointBend(Source, tag="bend"):
    """A joint's angle in degrees at the joint itself, dying out along both bones."""

    group: ClassVar[str] = "scene"
    first_range: ClassVar[tuple[float, float] | None] = (90.0, 0.0)
    label: ClassVar[str] = "Joint bend"
    text: ClassVar[str] = "How many degrees a joint is bent, where it acts; nothing while it is straight."
    words: ClassVar[str] = "elbow, joint angle, wrinkle, flex, fold angle, rig, skeleton, bone, pose driver"

    joints: Annotated[Identifier, setting("Joints", "The Joints effect whose chain is read.", refers="effect")]
    joint: Annotated[
        int, whole("Joint", "The number of the joint in the chain, counted from the root.", low=1, high=64)
    ] = 2

    def reads(self) -> tuple[str, ...]:
        return ("rest",)

    def unit(self) -> str:
        return "degrees"

    def measure(self, elements: Elements, context: Context) -> Floats:
        chain: Effect = context.effect(self.joints)
        return chain.bend_at(elements.rest, self.joint - 1)
