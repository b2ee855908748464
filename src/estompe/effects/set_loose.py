"""Set loose: pieces follow the animation until a falloff lets go of them; then they fall, tumble, heap up and come to rest."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from msgspec import Meta
from numpy.typing import NDArray

from estompe.document.scene import Identifier
from estompe.effects.forces import EARTH, BodyRadius, Gravity, GroundHeight
from estompe.falloffs.blowing import air_of
from estompe.falloffs.distance import path_of
from estompe.falloffs.surface import to_nearest
from estompe.geometry import Domain, Geometry
from estompe.geometry.copies import Copies
from estompe.geometry.rigid.bodies import Poses, RigidPieces, copies_as_bodies, pieces_as_bodies
from estompe.geometry.rigid.joints import loads_of
from estompe.geometry.rigid.motion import Laws, Moment, Motion, begun
from estompe.geometry.rigid.obstacles import Obstacle, Surface, control_as_obstacles, level_ground
from estompe.geometry.rigid.stepping import stepped
from estompe.kernels.surface import Nearest
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import ActsOn
from estompe.kinds.numbers import Number, Triple, plain, plain_triple
from estompe.kinds.registry import register
from estompe.kinds.remembering import Remembered, RememberingEffect, Seen, Since
from estompe.kinds.settings import setting, whole

SINCE, AT_REST, LOAD = "loose since", "at rest", "load"
"""Attributes of the pieces: seconds since they were let go, 1 where they have come to rest, and what their joints carry."""
_MOST_PIECES = 20_000


class Loose(Remembered, frozen=True, eq=False):
    """Pieces after a frame: a `Motion`, and how they stood on the first one.

    linear: float64 (3, 3), what sized the shape at rest; copies: float32 (k, 3) or (k, 15), the scales of copies, and positions
    and axes before those where joints hold them; lowest: the height of the lowest point.
    """

    position: Floats
    rotation: Floats
    velocity: Floats
    spin: Floats
    free: NDArray[np.bool_]
    asleep: NDArray[np.bool_]
    still_for: Floats
    since: Floats
    keys: NDArray[np.int64]
    places: Floats
    impulses: Floats
    pulls: Floats
    broken: NDArray[np.bool_]
    linear: NDArray[np.float64]
    copies: Floats
    lowest: float

    def fits(self, count: int) -> bool:
        contacts, joints = len(self.keys), len(self.broken)
        forms = (
            (self.position, np.float32, (count, 3)),
            (self.rotation, np.float32, (count, 4)),
            (self.velocity, np.float32, (count, 3)),
            (self.spin, np.float32, (count, 3)),
            (self.free, np.bool_, (count,)),
            (self.asleep, np.bool_, (count,)),
            (self.still_for, np.float32, (count,)),
            (self.since, np.float32, (count,)),
            (self.keys, np.int64, (contacts,)),
            (self.places, np.float32, (contacts, 4, 3)),
            (self.impulses, np.float32, (contacts, 4, 4)),
            (self.pulls, np.float32, (joints, 6)),
            (self.broken, np.bool_, (joints,)),
            (self.linear, np.float64, (3, 3)),
        )
        if not all(array.dtype == kind and array.shape == shape for array, kind, shape in forms):
            return False
        sizes = ((0, 3), (count, 3), (count, 15))
        known = self.copies.dtype == np.float32 and self.copies.shape in sizes
        ascending = bool((np.diff(self.keys) >= 0).all())
        pieces = not contacts or bool(self.keys.min() >= 0 and (self.keys >> 31).max() < count)
        return known and ascending and pieces and bool(np.isfinite(self.lowest))

    @classmethod
    def of(cls, motion: Motion, linear: NDArray[np.float64], copies: Floats, lowest: float) -> "Loose":
        """The state that holds a motion."""
        return cls(*motion, linear, copies, lowest)

    @property
    def motion(self) -> Motion:
        """As it is stepped."""
        return Motion(*(getattr(self, name) for name in Motion._fields))


@register
class SetLoose(RememberingEffect, tag="set-loose"):
    """Cells, faces, parts and copies move as the shape does while they are held, to the bit, and are stiff bodies afterwards."""

    group: ClassVar[str] = "break"
    alters: ClassVar[tuple[str, ...]] = ("points", "normals", "attributes")
    acts: ClassVar[tuple[ActsOn, ...]] = ("pieces",)
    recolors: ClassVar[bool | None] = False
    label: ClassVar[str] = "Set loose"
    text: ClassVar[str] = (
        "Lets go of pieces or copies where a falloff is strong: they fall, tumble, hit each other and come to rest."
    )
    words: ClassVar[str] = (
        "rigid body, rigid bodies, rbd, physics, dynamics, simulation, gravity, fall, drop, collapse, crumble, heap, pile, "
        "collide, collision, debris, glue, joint, constraint, bounce, topple, tumble"
    )
    state: ClassVar[type[Remembered]] = Loose

    threshold: Annotated[
        Number,
        setting(
            "Lets go at",
            "The strength from which a piece is loose: more holds it longer.",
            unit="fraction",
            low=0.001,
            high=1.0,
            step=0.01,
        ),
    ] = 0.5
    gravity: Gravity = EARTH
    push: Annotated[
        Triple,
        setting(
            "Push",
            "The velocity that a piece gets when it is let go, X Y Z, in scene units a second: more throws it farther.",
            unit="length",
        ),
    ] = (0.0, 0.0, 0.0)
    control: Annotated[
        Identifier | None, setting("Away from", "A control that pieces fly away from when let go.", refers="control")
    ] = None
    away: Annotated[
        Number,
        setting(
            "Speed away",
            "The speed away from that control, in scene units a second: more throws pieces farther.",
            unit="length",
            low=-1e4,
            high=1e4,
            step=0.1,
        ),
    ] = 0.0
    tumble: Annotated[
        Number,
        setting(
            "Tumble",
            "The largest random rotation that a piece begins with, degrees a second: more makes pieces spin faster.",
            unit="degrees",
            low=0.0,
            high=7200.0,
            step=5.0,
        ),
    ] = 0.0
    ground: Annotated[
        Literal["under the shape", "level", "none"],
        setting(
            "Ground",
            "The level ground that pieces fall on: at the lowest point of the shape on the first frame, at a height, or none.",
        ),
    ] = "under the shape"
    height: GroundHeight = 0.0
    controls: Annotated[
        tuple[Identifier, ...],
        setting(
            "Collide with controls",
            "Controls that pieces collide with; all below a plane is solid.",
            refers="control",
            editor="several",
        ),
        Meta(max_length=64),
    ] = ()
    radius: BodyRadius = 1.0
    shapes: Annotated[
        tuple[Identifier, ...],
        setting(
            "Collide with shapes",
            "Closed shapes that pieces collide with.",
            refers="shape",
            editor="several",
        ),
        Meta(max_length=16),
    ] = ()
    friction: Annotated[
        Number,
        setting(
            "Friction", "The friction between surfaces: more keeps pieces from sliding.", low=0.0, high=10.0, step=0.01
        ),
    ] = 0.5
    bounce: Annotated[
        Number,
        setting(
            "Bounce",
            "The share of its speed that a piece leaves the ground with: more bounces higher.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.01,
        ),
    ] = 0.1
    holds: Annotated[
        Number,
        setting(
            "Glue",
            "The length of itself that the joint between two pieces can carry: more holds longer, 0 is no glue.",
            unit="length",
            low=0.0,
            high=1e6,
        ),
    ] = 0.0
    weak: Annotated[
        Identifier | None,
        setting("Weakness", "A falloff that weakens the glue: at full strength to nothing.", refers="falloff"),
    ] = None
    back: Annotated[
        Identifier | None,
        setting(
            "Call back",
            "A falloff that draws loose pieces home: at full strength they are held again.",
            refers="falloff",
        ),
    ] = None
    wind: Annotated[
        Triple,
        setting(
            "Wind",
            "The velocity of the air, X Y Z, in scene units a second: more blows harder where there is drag.",
            unit="length",
            folded=True,
        ),
    ] = (0.0, 0.0, 0.0)
    blown_by: Annotated[
        Identifier | None,
        setting("Blown by", "A wind of the scene that blows pieces where they have drag.", refers="wind", folded=True),
    ] = None
    drag: Annotated[
        Number,
        setting(
            "Drag",
            "How fast the air takes pieces along: more lets wind and air resistance act faster.",
            low=0.0,
            high=100.0,
            step=0.01,
            folded=True,
        ),
    ] = 0.0
    rolling: Annotated[
        Number,
        setting(
            "Rolling resistance",
            "How fast the spin of pieces that touch something fades, a second: more stops them sooner.",
            low=0.0,
            high=100.0,
            step=0.1,
            folded=True,
        ),
    ] = 1.0
    sleeps: Annotated[
        bool, setting("Comes to rest", "Whether pieces that lie still stop until something hits them.", folded=True)
    ] = True
    substeps: Annotated[
        int,
        whole(
            "Substeps",
            "How often a frame contacts are found: more catches fast pieces and obstacles.",
            low=1,
            high=32,
            folded=True,
        ),
    ] = 4
    rounds: Annotated[
        int,
        whole(
            "Steps per substep",
            "The number of simulation steps in each substep: more makes heaps and glue stiffer.",
            low=1,
            high=32,
            folded=True,
        ),
    ] = 4
    seed: Annotated[
        int,
        whole(
            "Seed",
            "The start of the random numbers: another seed tumbles otherwise.",
            low=0,
            high=2**31 - 1,
            folded=True,
        ),
    ] = 1

    @classmethod
    def summary(cls, after: Geometry) -> str:
        since, rest = after.attribute(Domain.PIECE, SINCE), after.attribute(Domain.PIECE, AT_REST)
        if since is None or rest is None:
            return ""
        loose, still = int(np.count_nonzero(since)), int(np.count_nonzero(rest))
        return f"{loose:,} of {len(since):,} loose, {still:,} at rest"

    def start(self, now: Seen, frame: float) -> Loose:
        del frame
        geometry = now.geometry
        count = geometry.count(Domain.PIECE)
        if count > _MOST_PIECES:
            raise CannotEvaluateError(f"there are {count:,} pieces; at most {_MOST_PIECES:,} can be set loose")
        linear, copies = now.context.shape_matrix[:, :3].copy(), np.zeros((0, 3), np.float32)
        if isinstance(geometry, Copies):
            columns = (geometry.positions, geometry.axes, geometry.scales) if self._jointed else (geometry.scales,)
            copies = np.concatenate(columns, axis=1).astype(np.float32)
        pieces = self._pieces(geometry, linear, copies)
        lowest = float(geometry.bounds[0][1])
        motion = begun(pieces, pieces.poses(geometry))
        return Loose.of(motion, linear, copies, lowest)

    def step(self, state: Loose, now: Seen, since: Since) -> Loose:
        pieces = self._pieces(now.geometry, state.linear, state.copies)
        seen = since.seen()
        before, after = (self._moment(pieces, moment, state.lowest) for moment in (seen, now))
        if not (state.free.any() or (np.maximum(before.strength, after.strength) >= plain(self.threshold)).any()):
            return state
        hidden = np.zeros(len(pieces.hull), np.bool_)
        if isinstance(now.geometry, Copies):
            hidden = ~now.geometry.shown
        surfaces = tuple(self._surface(shape, seen.context, now.context) for shape in self.shapes)
        laws = self._laws(now.context)
        after = after._replace(air=self._air(state, now))
        motion = stepped(pieces, hidden, laws, state.motion, (before, after), surfaces, since.seconds, since.go_on)
        if not (np.isfinite(motion.position).all() and np.isfinite(motion.rotation).all()):
            raise CannotEvaluateError("it flew apart: use more substeps, or slower obstacles")
        return Loose.of(motion, state.linear, state.copies, state.lowest)

    def shown(self, state: Loose, now: Seen) -> Geometry:
        geometry, motion = now.geometry, state.motion
        pieces = self._pieces(geometry, state.linear, state.copies)
        if motion.free.any():
            poses = Poses(motion.position.astype(np.float64), motion.rotation.astype(np.float64))
            geometry = pieces.placed(geometry, poses, motion.free)
        loads = loads_of(pieces, motion, self._gravity)
        attributes = ((SINCE, motion.since), (AT_REST, motion.asleep.astype(np.float32)), (LOAD, loads))
        for name, values in attributes:
            geometry = geometry.with_attribute(Domain.PIECE, name, values)
        return geometry

    # Parts of a step

    @property
    def _jointed(self) -> bool:
        return self.holds != 0.0

    @property
    def _gravity(self) -> float:
        return float(np.linalg.norm(plain_triple(self.gravity)))

    def _pieces(self, geometry: Geometry, linear: NDArray[np.float64], copies: Floats) -> RigidPieces:
        """The pieces as bodies, cached with the shape at rest."""
        if isinstance(geometry, Copies):
            key = "rigid copies", geometry.forms, geometry.form.tobytes(), copies.tobytes()
            made: RigidPieces = geometry.rest_positions.derived(key, lambda: _copies(geometry, copies))
            return made
        key_of_mesh = "rigid pieces", geometry.topology, linear.tobytes(), self._jointed
        return geometry.at_rest.derived(key_of_mesh, lambda: pieces_as_bodies(geometry, linear, self._jointed))

    def _moment(self, pieces: RigidPieces, seen: Seen, lowest: float) -> Moment:
        count = len(pieces.hull)
        back, weakness = (
            np.zeros(count) if falloff is None else seen.context.strength(falloff).astype(np.float64)
            for falloff in (self.back, self.weak)
        )
        poses, obstacles = pieces.poses(seen.geometry), self._obstacles(seen.context, lowest)
        return Moment(poses, seen.strength.astype(np.float64), back, weakness, np.zeros((count, 3)), obstacles)

    def _air(self, state: Loose, now: Seen) -> NDArray[np.float64]:
        """The velocity of the air where the pieces have got to, float64 (k, 3)."""
        own = np.asarray(plain_triple(self.wind), np.float64)
        return own + air_of(now.context, self.blown_by, state.position)

    def _obstacles(self, context: Context, lowest: float) -> tuple[Obstacle, ...]:
        height = plain(self.height) if self.ground == "level" else lowest
        obstacles = [] if self.ground == "none" else [level_ground(height)]
        for name in self.controls:
            control = context.control(name)
            points = path_of(control) if control.form == "path" else control.points
            obstacles += control_as_obstacles(control.form, control.matrix, points, plain(self.radius))
        return tuple(obstacles)

    def _surface(self, shape: str, before: Context, now: Context) -> Surface:
        mesh = now.shape(shape)
        if not mesh.topology.faces:
            raise CannotEvaluateError("a shape that it collides with has no surface: choose another")
        return Surface(mesh, before.matrix_of(shape), now.matrix_of(shape), _signed)

    def _laws(self, context: Context) -> Laws:
        away = None
        if self.control is not None:
            x, y, z = context.control(self.control).matrix[:, 3].tolist()
            away = x, y, z
        return Laws(
            plain(self.threshold), plain_triple(self.gravity), plain_triple(self.push), away, plain(self.away),
            plain(self.tumble), plain(self.drag), plain(self.friction), plain(self.bounce),
            plain(self.holds), plain(self.rolling), self.substeps, self.rounds, self.sleeps, self.seed,
        )  # fmt: skip


def _copies(geometry: Copies, stood: Floats) -> RigidPieces:
    if stood.shape[1] == 3:
        return copies_as_bodies(geometry.at(geometry.positions, geometry.axes, stood), jointed=False)
    placed = geometry.at(*(np.ascontiguousarray(part) for part in np.split(stood, (3, 12), axis=1)))
    return copies_as_bodies(placed, jointed=True)


def _signed(points: Floats, mesh: Geometry, nearest: Nearest) -> Floats:
    return to_nearest(points, mesh, nearest, signed=True)
