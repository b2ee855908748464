"""What stages hand on: a shape at some point of its chain, values with the token that stands for them, and problems."""

from collections.abc import Iterable, Mapping
from typing import NamedTuple

from msgspec import Struct

from estompe.document.edits import Path
from estompe.document.scene import Color
from estompe.evaluate.stage import Stage
from estompe.geometry import Geometry
from estompe.geometry.placement import Matrix
from estompe.geometry.samples import Samples
from estompe.kernels.types import Floats


class Problem(NamedTuple):
    """Something that is wrong with a scene: the path of the part and what a person should know."""

    path: Path
    text: str


class State(Struct, frozen=True):
    """A shape at some point of its chain, whose mesh may still have to be worked out, with the tokens of what falloffs read."""

    stage: Stage[Geometry]
    tokens: Mapping[str, int]
    matrix: Matrix
    color: Color

    @property
    def geometry(self) -> Geometry:
        """The mesh, once its stage has been run."""
        return self.stage.value

    @property
    def samples(self) -> Samples:
        """The points that falloffs measure, once the stage has been run."""
        mesh = self.stage.value
        return Samples(mesh, mesh.points)

    def after(self, stage: Stage[Geometry], altered: Iterable[str]) -> "State":
        """The state a stage leaves behind; what it does not alter keeps its token."""
        return State(stage, {**self.tokens, **dict.fromkeys(altered, stage.token)}, self.matrix, self.color)


Values = Stage[Floats]
"""An array that may still have to be worked out, with the token that stands for it."""
