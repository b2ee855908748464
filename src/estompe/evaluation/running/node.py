"""Nodes: one step of an evaluation each, as a function and its inputs.

Everything about a node follows from its inputs. The function gets their values and nothing else, and the key is made of their
tokens. So a node cannot depend on what its key does not hold.
"""

from collections.abc import Callable, Hashable, Iterable
from typing import Any, Generic, Protocol, TypeVar

from msgspec import Struct

from estompe.evaluation.running.token import Token


class _Sized(Protocol):
    @property
    def nbytes(self) -> int: ...


Sized = TypeVar("Sized", bound=_Sized)


class Node(Struct, Generic[Sized], weakref=True):
    """A step that is run at most once, and an input of later steps.

    name: of the function; token: stands for the value in the keys of later nodes; function, inputs: what computes the value, None
    once it is there; made: the value, or None before that, so ask for `value`.
    """

    name: str
    token: Token
    function: Callable[..., Sized] | None
    inputs: tuple[Any, ...] | None
    made: Sized | None = None

    @property
    def value(self) -> Sized:
        """The value. Raises RuntimeError while the node has not been run."""
        if self.made is None:
            raise RuntimeError(f"the node “{self.name}” is asked for before it has been run")
        return self.made

    def run(self) -> Sized:
        """Compute the value and return it; the node keeps it, and lets go of its inputs."""
        assert self.function is not None
        assert self.inputs is not None
        self.made = made = self.function(*[item.value if type(item) in INPUTS else item for item in self.inputs])
        self.function = self.inputs = None
        return made


class Keyed(Struct, frozen=True):
    """An input that cannot be part of a key itself. token: stands for the value in keys."""

    value: Any
    token: Hashable = ()


class Several(Struct, frozen=True):
    """Several nodes as one input."""

    nodes: tuple[Node[Any], ...]

    @property
    def token(self) -> Hashable:
        """The tokens of the nodes."""
        return tuple([node.token for node in self.nodes])

    @property
    def value(self) -> list[Any]:
        """The values of the nodes."""
        return [node.value for node in self.nodes]


class Unkeyed(Struct, frozen=True):
    """A node whose value is handed on under another key, which says what of it stays the same."""

    node: Node[Any]

    @property
    def token(self) -> Hashable:
        """Nothing: the other inputs decide."""
        return ()

    @property
    def value(self) -> Any:
        """The value of the node."""
        return self.node.value


INPUTS: set[type] = {Node, Keyed, Several, Unkeyed}
"""Types of inputs with a token and a value; anything else is its own token and value. Planning adds its own types."""


def tokens_of(inputs: Iterable[Any]) -> tuple[Hashable, ...]:
    """The tokens of inputs, as keys hold them."""
    return tuple([item.token if type(item) in INPUTS else item for item in inputs])
