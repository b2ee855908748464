"""What nodes hand on: a shape at some point of its chain, and values with the token that stands for them."""

from collections.abc import Iterable, Mapping
from itertools import count

from msgspec import Struct, field

from estompe.document.scene import Color
from estompe.evaluation.running.node import Node
from estompe.evaluation.running.token import Token
from estompe.geometry import Domain, Geometry
from estompe.geometry.transforms import Matrix
from estompe.kernels.types import Floats

Values = Node[Floats]
"""An array that may still have to be computed, with the token that stands for it."""


class State(Struct, frozen=True):
    """A shape at some point of its chain, whose mesh may still have to be computed, with the tokens of what falloffs read."""

    node: Node[Geometry]
    tokens: Mapping[str, Token]
    matrix: Matrix
    color: Color
    at: tuple[str, int] = ("", 0)
    """The shape's id, and how many of its enabled effects came before: it says the same on any frame."""
    domain: Domain = Domain.POINT
    """Which elements strengths are asked for."""
    asked_by: str = ""
    """The effect whose places these are, "" for the shape itself."""
    number: int = field(default_factory=count().__next__)
    """Tells states of one process apart."""

    @property
    def geometry(self) -> Geometry:
        """The mesh, once its node has been run."""
        return self.node.value

    def placed(self, node: Node[Geometry]) -> "State":
        """The state where its shape stands."""
        return State(node, self._altered(node, ("points", "normals")), self.matrix, self.color, self.at)

    def after(self, node: Node[Geometry], altered: Iterable[str]) -> "State":
        """The state an effect leaves behind; what it does not alter keeps its token."""
        return State(node, self._altered(node, altered), self.matrix, self.color, self._next)

    def between(self, node: Node[Geometry], altered: Iterable[str]) -> "State":
        """The state between two goes of one effect."""
        return State(node, self._altered(node, altered), self.matrix, self.color, self.at, self.domain)

    def passed_on(self) -> "State":
        """The state behind an effect that does nothing."""
        return State(self.node, self.tokens, self.matrix, self.color, self._next)

    def on(self, domain: Domain) -> "State":
        """The same state, with strengths asked for other elements of it."""
        return State(self.node, self.tokens, self.matrix, self.color, self.at, domain, self.asked_by)

    def asked(self, places: Node[Geometry], effect: str) -> "State":
        """What an effect asks for strengths on, in place of the shape."""
        tokens = dict.fromkeys(self.tokens, places.token)
        return State(places, tokens, self.matrix, self.color, self.at, asked_by=effect)

    @property
    def _next(self) -> tuple[str, int]:
        return self.at[0], self.at[1] + 1

    def _altered(self, node: Node[Geometry], altered: Iterable[str]) -> dict[str, Token]:
        return {**self.tokens, **dict.fromkeys(altered, node.token)}
