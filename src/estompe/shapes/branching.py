"""What branches over a surface and through space share: where they begin, how many twigs they have, and how those join."""

from collections.abc import Callable, Mapping
from typing import Annotated, ClassVar

import numpy as np
from numpy.typing import NDArray

from estompe.document.scene import Identifier
from estompe.geometry import Domain, Geometry
from estompe.geometry.branches.tree import Tree
from estompe.geometry.samples import samples_of
from estompe.geometry.transforms import Matrix, inverse
from estompe.geometry.volumes.solid import rounded
from estompe.kernels.branches.joining import Habit
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import ShapeSource
from estompe.kinds.settings import setting, whole

_MOST_ROOTS = 1000
_STEPS_ALONG = 160.0
"""Steps along the longest side of what branches grow on, where the step is chosen by itself."""
_UNBOUNDED = 1e12
_SAME = 1e-5
"""Of the longest side: roots that lie nearer than this are at one place."""
_MANY = 0.02
"""The share of places that were not come to from which that is told."""


class BranchesSource(ShapeSource, kw_only=True):
    """Trees that reach for places in an order of which any beginning is even: the first few make limbs, later ones ever finer
    twigs. What a place adds depends on earlier ones alone, so more twigs leave those that are there as they are, to the bit.

    They are solved once, at rest. Each branch is a piece, whose middle is its root.
    """

    group: ClassVar[str] = "grow"
    makes_branches: ClassVar[bool] = True
    first_effects: ClassVar[Mapping[str, Mapping[str, float]]] = {"sprout": {"width": 0.006, "taper": 0.1}}

    origin: Annotated[
        Identifier | None,
        setting(
            "From",
            "The control that they grow from; of a path, each of its points. Without any, from the lowest point.",
            refers="control",
        ),
    ] = None
    origins: Annotated[
        Identifier | None,
        setting(
            "From elements of",
            "A shape whose pieces or points they grow from: Hide it by a falloff or paint, and they grow from what is left.",
            refers="shape",
        ),
    ] = None
    twigs: Annotated[
        int, whole("Twigs", "The number of places that they reach for: more adds finer ones.", low=1, high=200_000)
    ] = 2000
    homeward: Annotated[
        float,
        setting(
            "Homeward",
            "How straight their ways are: 0 wanders as roots do, 1 is straight as a broom. Changes whole limbs.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.01,
        ),
    ] = 0.25
    sweep: Annotated[
        float,
        setting(
            "Sweep",
            "How twigs leave: 0 stands off from the branch, 1 goes along with it at first. Changes whole limbs.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.01,
        ),
    ] = 0.6
    gap: Annotated[
        float,
        setting(
            "Gap",
            "Nearer to a branch than this no twig begins: more leaves them sparser.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.001,
        ),
    ] = 0.0
    leap: Annotated[
        float,
        setting(
            "Leap",
            "The farthest that a twig springs from a branch; 0 is any distance. Changes whole limbs.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.01,
            folded=True,
        ),
    ] = 0.0
    step: Annotated[
        float,
        setting(
            "Step",
            "The distance between two points of a branch: less bends more smoothly; 0 chooses one by the shape's size.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.001,
            folded=True,
        ),
    ] = 0.0
    seed: Annotated[
        int, whole("Seed", "The start of the random numbers: another seed gives other places.", low=0, high=2**31 - 1)
    ] = 1

    def habit(self, mesh: Geometry, scale: float) -> Habit:
        """How they join, in the units of what they grow on at rest. scale: scene units of one of those."""
        step = self.step / scale if self.step else rounded(_side(mesh) / _STEPS_ALONG)
        leap = self.leap / scale if self.leap else _UNBOUNDED
        return Habit(step, self.homeward, self.sweep, self.gap / scale, leap)

    def roots(self, mesh: Geometry, matrix: Matrix, context: Context) -> NDArray[np.float64]:
        """Where they begin, float64 (r, 3), in the space at rest of what they grow on. Raises CannotEvaluateError.

        matrix: that space to world.
        """
        if self.origin is None and self.origins is None:
            return mesh.rest[[int(np.argmin(mesh.rest[:, 1]))]].astype(np.float64)
        parts = [np.zeros((0, 3), np.float32)]
        if self.origin is not None:
            control = context.control(self.origin)
            own = control.points if control.form == "path" and len(control.points) else np.zeros((1, 3), np.float32)
            parts.append(transformed(np.ascontiguousarray(own, np.float32), control.matrix))
        if self.origins is not None:
            parts.append(_element_places(context.shape(self.origins)))
        world = np.concatenate(parts)
        if not len(world):
            raise CannotEvaluateError(
                "the shape whose elements they grow from has none left: show some, or choose a control"
            )
        if len(world) > _MOST_ROOTS:
            raise CannotEvaluateError(
                f"they would grow from {len(world):,} places, more than {_MOST_ROOTS:,}: choose a shape with fewer elements"
            )
        places = np.asarray(transformed(np.ascontiguousarray(world), inverse(matrix)), np.float64)
        grain = _SAME * _side(mesh)
        # What moves along with the shape comes out a little different on each frame, and is to solve the same tree.
        return np.asarray(np.round(places / grain) * grain)

    def solve(self, mesh: Geometry, roots: Matrix, scale: float, go_on: Callable[[], None]) -> Tree:
        """Grow the tree on a mesh at rest.

        roots: float64 (r, 3), in the mesh's space at rest; scale: scene units of one of that space; go_on: raises when the tree
        is no longer wanted.
        """
        raise NotImplementedError

    def solved(self, mesh: Geometry, matrix: Matrix, context: Context) -> Tree:
        """The tree on a mesh, kept with it at rest. matrix: the mesh's space to world. Raises CannotEvaluateError."""
        if not mesh.topology.faces:
            raise CannotEvaluateError("the shape they grow on has no faces: choose another")
        roots, scale = self.roots(mesh, matrix, context), _scale_of(matrix)
        own = self.twigs, self.homeward, self.sweep, self.gap, self.leap, self.step, self.seed
        key = ("branches", mesh.topology, *own, type(self), scale, roots.tobytes())
        return mesh.at_rest.derived(key, lambda: self.solve(mesh, roots, scale, context.go_on))


def _side(mesh: Geometry) -> float:
    """The longest side at rest."""
    return max(high - low for low, high in (mesh.at_rest.extent(axis) for axis in range(3)))


def _scale_of(matrix: Matrix) -> float:
    """How many scene units one unit of a space is, on average."""
    return float(max(abs(np.linalg.det(matrix[:, :3])), 1e-30) ** (1.0 / 3.0))


def branches_at(tree: Tree, positions: Floats, twigs: int) -> Geometry:
    """The lines of a solved tree at places. positions: float32 (k, 3), world space."""
    attributes = {
        (Domain.POINT, "order"): tree.order,
        (Domain.POINT, "generation"): tree.generation,
    }
    notes: tuple[str, ...] = ()
    if tree.left > _MANY * twigs:
        notes = (f"{tree.left:,} of {twigs:,} places were not come to: allow a longer leap, or a shorter step",)
    return Geometry(positions, tree.topology, attributes, tree.rest, notes)


def _element_places(geometry: Geometry) -> Floats:
    domain = Domain.PIECE if geometry.is_parted else Domain.POINT
    samples = samples_of(geometry, domain)
    shown = geometry.piece_values().get("shown")
    return samples.positions if shown is None else samples.positions[np.asarray(shown, bool)]
