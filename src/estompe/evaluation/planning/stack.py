"""A falloff's layers on some elements, between measuring and the ramp."""

from collections.abc import Hashable

from msgspec import Struct

from estompe.document.scene import Falloff, Layer
from estompe.evaluation.planning.state import State, Values


class Stack(Struct, frozen=True):
    """A falloff's enabled layers on a state: what each measures, its values through a range of its own, and their key."""

    falloff: Falloff
    state: State
    layers: list[Layer]
    measured: list[Values]
    values: list[Values]
    made_from: Hashable
    is_lost: bool = False
    """Whether what it measured on another frame does not fit the elements here, so that its strength is 0."""
