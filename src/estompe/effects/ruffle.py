"""Ruffle: a thin sheet grows in area where a falloff is strong, and folds without passing through itself."""

import math
from typing import Annotated, ClassVar

import numpy as np
from numpy.typing import NDArray

from estompe.document.scene import Identifier
from estompe.effects.meeting import BodyRadius, Moment, Obstacles, bodies_met, pushed_out
from estompe.geometry import Domain, Geometry
from estompe.geometry.ruffle.sheet import HELD, First, Growth, Met, Sheet, advanced, begun, held_points, thickness_of
from estompe.geometry.ruffle.shown import as_mesh
from estompe.geometry.transforms import Matrix, inverse
from estompe.geometry.volumes.solid import frame_of
from estompe.kernels.surface import tree_of
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats, Indices
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import EVERYTHING
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.remembering import LooksPerFrame, Remembered, RememberingEffect, Seen, Since
from estompe.kinds.settings import setting, whole

GROWTH = (Domain.POINT, "growth")


class Ruffled(Remembered, frozen=True, eq=False):
    """A sheet as it has grown so far, in the shape's own frame, and how near it comes to itself, scene units."""

    places: NDArray[np.float64]
    velocities: NDArray[np.float64]
    triangles: Indices
    rests: NDArray[np.float64]
    fixed: NDArray[np.bool_]
    owner: Indices
    ids: NDArray[np.int64]
    triangle: Indices
    shares: Floats
    growth: NDArray[np.float64]
    thickness: float

    def fits(self, count: int) -> bool:
        points, faces = len(self.places), len(self.triangles)
        forms = (
            (self.places, np.float64, (points, 3)),
            (self.velocities, np.float64, (points, 3)),
            (self.triangles, np.int32, (faces, 3)),
            (self.rests, np.float64, (faces, 3)),
            (self.fixed, np.bool_, (faces, 3)),
            (self.owner, np.int32, (faces,)),
            (self.ids, np.int64, (points,)),
            (self.triangle, np.int32, (points,)),
            (self.shares, np.float32, (points, 3)),
            (self.growth, np.float64, (points,)),
        )
        if not all(array.dtype == kind and array.shape == shape for array, kind, shape in forms):
            return False
        if points < count or not faces:
            return False
        named = self.triangles.min() >= 0 and self.triangles.max() < points
        return bool(named and self.owner.min() >= 0 and self.triangle.min() >= 0 and self.thickness > 0.0)

    @classmethod
    def of(cls, sheet: Sheet, thickness: float) -> "Ruffled":
        """The state that holds a sheet."""
        return cls(*sheet, thickness)

    @property
    def sheet(self) -> Sheet:
        """As it is advanced."""
        return Sheet(*(getattr(self, name) for name in Sheet._fields))


@register
class Ruffle(RememberingEffect, tag="ruffle", kw_only=True):
    """Lengths grow by a share a second, long edges are halved, and the sheet settles to its lengths in small steps.

    Points of strength 0 stay attached and keep every bit until they first grow. The sheet must keep its points before this, and
    what moves it faster than it settles leaves it behind: put it before what deforms the shape. Points have the attribute
    `growth`, how many times as long lengths have become.
    """

    group: ClassVar[str] = "grow"
    alters: ClassVar[tuple[str, ...]] = EVERYTHING
    recolors: ClassVar[bool | None] = False
    state: ClassVar[type[Remembered]] = Ruffled
    label: ClassVar[str] = "Ruffle"
    text: ClassVar[str] = "Lets a thin sheet or its edge grow in area where a falloff is strong, so that it must fold."
    words: ClassVar[str] = (
        "frill, ruffles, lettuce, kelp, leaf edge, differential growth, folds, wrinkle, buckle, curl, petals, coral, fungus, "
        "grow surface, pleats"
    )

    speed: Annotated[
        Number,
        setting(
            "Speed",
            "How much longer lengths become in a second at full strength: more folds sooner.",
            unit="fraction",
            low=0.0,
            high=20.0,
            step=0.05,
        ),
    ] = 0.5
    most: Annotated[
        Number,
        setting(
            "Up to",
            "How many times as long lengths become at most: areas grow by its square, points and time even more.",
            unit="times",
            low=1.0,
            high=20.0,
            step=0.1,
        ),
    ] = 2.0
    thickness: Annotated[
        float,
        setting(
            "Thickness",
            "How near the sheet comes to itself, and how fine it is; 0 takes the length of its edges.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.001,
        ),
    ] = 0.0
    stiffness: Annotated[
        Number,
        setting(
            "Bend stiffness",
            "How broad folds are: 0 is crisp, 1 is broad.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.01,
        ),
    ] = 0.05
    control: Annotated[
        Identifier | None, setting("Collide with control", "A control that the sheet collides with.", refers="control")
    ] = None
    radius: BodyRadius = 0.3
    shape: Annotated[
        Identifier | None, setting("Collide with shape", "A closed shape that the sheet collides with.", refers="shape")
    ] = None
    seed: Annotated[
        int,
        whole(
            "Seed",
            "The start of the random numbers: another seed folds otherwise.",
            low=0,
            high=2**31 - 1,
            folded=True,
        ),
    ] = 1
    looks_per_frame: LooksPerFrame = 1

    @classmethod
    def summary(cls, after: Geometry) -> str:
        grown = after.attribute(*GROWTH)
        if grown is None or not (grown > 1.0).any():
            return "nothing has grown yet"
        return f"{len(grown):,} points; lengths up to {float(grown.max(initial=1.0)):.2f} times as long"

    def start(self, now: Seen, frame: float) -> Ruffled:
        del frame
        geometry = now.geometry
        if not geometry.topology.faces:
            raise CannotEvaluateError("it has no faces that could grow: choose a mesh")
        own = geometry.moved(transformed(geometry.points, inverse(_frame(now.context))))
        return Ruffled.of(begun(own), self.thickness or thickness_of(own))

    def step(self, state: Ruffled, now: Seen, since: Since) -> Ruffled:
        first = _first(now.geometry)
        _check(state, now.geometry, first)
        rate = math.log1p(plain(self.speed)) * since.seconds
        if rate <= 0.0 or not (now.strength > HELD).any():
            return state
        thickness = self.thickness or state.thickness
        frame = _frame(now.context)
        sheet = _attached(state.sheet, first, now.strength, transformed(now.geometry.points, inverse(frame)))
        growth = Growth(rate, math.log(plain(self.most)), thickness, plain(self.stiffness), self.seed)
        met = self._met(now, since, frame, thickness)
        sheet = advanced(sheet, first, now.strength, growth, met, since.go_on)
        if not np.isfinite(sheet.places).all():
            raise CannotEvaluateError("it flew apart: use a lower speed, or more thickness")
        return Ruffled.of(sheet, thickness)

    def shown(self, state: Ruffled, now: Seen) -> Geometry:
        if not state.growth.any():
            return now.geometry.with_attribute(*GROWTH, np.ones(len(now.geometry.points), np.float32))
        first = _first(now.geometry)
        _check(state, now.geometry, first)
        sheet = state.sheet
        points = transformed(sheet.places.astype(np.float32), _frame(now.context)).copy()
        held = held_points(sheet, first, now.strength)
        points[held] = first.on(now.geometry.points, sheet)[held]
        growth = np.exp(sheet.growth).astype(np.float32)
        return as_mesh(sheet, first, now.geometry, points).with_attribute(*GROWTH, growth)

    def _met(self, now: Seen, since: Since, frame: Matrix, thickness: float) -> Met:
        """What takes the sheet out of what is in its way."""
        if self.control is None and self.shape is None:
            return lambda places, velocities, _part: (places, velocities)
        before = since.seen().context
        obstacles = Obstacles(self.control, plain(self.radius), self.shape, thickness)
        thick = np.float32(0.5 * thickness)

        def met(places: Matrix, velocities: Matrix, part: float) -> tuple[Matrix, Matrix]:
            world = transformed(places.astype(np.float32), frame)
            for body in bodies_met(obstacles, world, Moment(before, now.context, part, since.seconds)):
                inside = np.flatnonzero(body.depth > -thick)
                if not len(inside):
                    continue
                still = np.zeros((len(inside), 3), np.float32)
                out, _ = pushed_out(world[inside], world[inside], still, body.at(inside), thick, 0.0, since.seconds)
                world[inside] = out
                places, velocities = places.copy(), velocities.copy()
                places[inside] = transformed(np.ascontiguousarray(out), inverse(frame))
                velocities[inside] = 0.0
            return places, velocities

        return met


def _frame(context: Context) -> Matrix:
    """Where the sheet grows: it goes along with the shape's position and rotation."""
    return frame_of(context.shape_matrix)


def _first(geometry: Geometry) -> First:
    """The mesh at rest, kept with it."""
    topology = geometry.topology

    def make() -> First:
        triangles = topology.triangles
        tree = tree_of(geometry.rest, triangles, geometry.at_rest.triangle_order(topology))
        return First(geometry.rest.astype(np.float64), triangles, tree)

    return geometry.at_rest.derived(("first of a ruffle", topology), make)


def _check(state: Ruffled, geometry: Geometry, first: First) -> None:
    same = int(state.owner.max(initial=0)) < len(first.triangles) and int(state.triangle.max(initial=0)) < len(
        first.triangles
    )
    if not same or len(state.places) < len(geometry.points):
        raise CannotEvaluateError("what it remembers is of another mesh: put it before what changes the faces")


def _attached(sheet: Sheet, first: First, strength: Floats, points: Floats) -> Sheet:
    """The sheet with held points where the mesh is now."""
    held = held_points(sheet, first, strength)
    places, velocities = sheet.places.copy(), sheet.velocities.copy()
    places[held], velocities[held] = first.on(points, sheet)[held], 0.0
    return sheet._replace(places=places, velocities=velocities)
