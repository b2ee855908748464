"""What stages hand on: a shape at some point of its chain, values with the token that stands for them, and problems."""

from collections.abc import Mapping
from typing import NamedTuple

from msgspec import Struct

from estompe.document.edits import Path
from estompe.document.scene import Color
from estompe.evaluate.memo import Made
from estompe.geometry import Geometry
from estompe.geometry.placement import Matrix
from estompe.geometry.samples import Samples
from estompe.kernels.types import Floats


class Problem(NamedTuple):
    """Something that is wrong with a scene: the path of the part and what a person should know."""

    path: Path
    text: str


class State(Struct, frozen=True):
    """A shape at some point of its chain, with the tokens of the arrays that falloffs read."""

    geometry: Geometry
    samples: Samples
    tokens: Mapping[str, int]
    matrix: Matrix
    color: Color

    @property
    def points(self) -> int:
        """The token of the geometry as a whole."""
        return self.tokens["points"]

    def after(self, made: Made[Geometry]) -> "State":
        """The state a stage leaves behind; what it shares with this one keeps its token."""
        before, geometry, token = self.geometry, made.value, made.token
        tokens = {**self.tokens, "points": token, "normals": token}
        if geometry.at_rest is not before.at_rest:
            tokens["rest"] = token
        if geometry.attributes is not before.attributes:
            tokens["attributes"] = token
        if geometry.topology is not before.topology:
            tokens["topology"] = token
        return State(geometry, Samples(geometry), tokens, self.matrix, self.color)

    @property
    def nbytes(self) -> int:
        """Bytes of what is its own."""
        return self.geometry.nbytes


Values = Made[Floats]
"""An array with the token that stands for it."""
