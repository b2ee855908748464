"""A falloff's layers on some elements, between measuring and the ramp."""

from collections.abc import Hashable

from msgspec import Struct

from estompe.document.scene import Falloff, Layer
from estompe.evaluation.planning.state import State, Values


class Stack(Struct, frozen=True):
    """A falloff's enabled layers on a state: the nodes of what each measures and of its values, and what stands for them."""

    falloff: Falloff
    state: State
    layers: tuple[Layer, ...]
    measured: tuple[Values, ...]
    values: tuple[Values, ...]
    token: Hashable
    is_lost: bool = False
    """Whether what it measured on another frame does not fit the elements here, so that its strength is 0."""
