"""Cloth: held until a falloff releases it, blown, dropped, caught by obstacles, and torn."""

from typing import Annotated, ClassVar

import numpy as np
from numpy.typing import NDArray

from estompe.document.scene import Identifier
from estompe.effects.forces import EARTH, Gravity
from estompe.effects.meeting import BodyRadius, Moment, Obstacles, bodies_met, pushed_out
from estompe.falloffs.blowing import air_of
from estompe.geometry import Domain, Geometry, frozen
from estompe.geometry.cloth.fabric import Fabric, Forces, Motion
from estompe.geometry.pieces import Pieces, even_ranks
from estompe.geometry.rest import Rest
from estompe.geometry.topology import Numbering, Topology
from estompe.kernels.noise import gradient_noise
from estompe.kernels.types import Floats, Indices
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import EVERYTHING
from estompe.kinds.numbers import Number, Triple, plain, plain_triple
from estompe.kinds.registry import register
from estompe.kinds.remembering import Remembered, RememberingEffect, Seen, Since
from estompe.kinds.settings import setting, whole

_CHECKS = 4
"""How often a frame tears are looked for."""
_GUSTS = ((0, 11), (1, 23), (2, 37))
STRETCH = (Domain.WHOLE, "largest stretch")
_MOST_POINTS = 400_000


class Worn(Remembered, frozen=True, eq=False):
    """Cloth after a frame: a `Motion`, which points are free, and where they were when it began, to which it is cut."""

    particles: Floats
    velocities: Floats
    stands_for: Indices
    free: NDArray[np.bool_]
    places: Floats

    def fits(self, count: int) -> bool:
        copies = len(self.particles)
        forms = (
            (self.particles, np.float32, (copies, 4)),
            (self.velocities, np.float32, (copies, 3)),
            (self.stands_for, np.int32, (copies,)),
            (self.free, np.bool_, (count,)),
            (self.places, np.float32, (count, 3)),
        )
        if not all(array.dtype == kind and array.shape == shape for array, kind, shape in forms):
            return False
        return not copies or bool(self.stands_for.min() >= 0 and self.stands_for.max() < copies)

    def motion(self, fabric: Fabric) -> Motion:
        """As the fabric steps it. Raises CannotEvaluateError for a state of another fabric."""
        if len(self.particles) != fabric.copies:
            raise CannotEvaluateError("what it remembers is of another mesh: let go of what is kept in the scene")
        return Motion(self.particles, self.velocities, self.stands_for, ~self.free[fabric.weld])


@register
class Cloth(RememberingEffect, tag="cloth"):
    """Points follow the mesh as it comes while they are held, and are cloth once the strength has passed one half.

    It keeps its lengths within some hundredths, meets obstacles at each small step, and tears along the edges of patches.
    """

    alters: ClassVar[tuple[str, ...]] = EVERYTHING
    recolors: ClassVar[bool | None] = False
    group: ClassVar[str] = "break"
    label: ClassVar[str] = "Cloth"
    text: ClassVar[str] = "Makes the shape cloth where a falloff releases it: it hangs, blows, drapes and tears."
    words: ClassVar[str] = (
        "fabric, sail, flag, simulation, drape, tear, rip, curtain, tissue, collision, collide, wind, "
        "gravity, soft body, spring, dynamics, peel, banner, net"
    )
    state: ClassVar[type[Remembered]] = Worn

    gravity: Gravity = EARTH
    wind: Annotated[
        Triple,
        setting("Wind", "The velocity of the air, X Y Z, in scene units a second: more blows harder.", unit="length"),
    ] = (
        0.0,
        0.0,
        0.0,
    )
    gusts: Annotated[
        Number,
        setting(
            "Gusts",
            "How much the wind differs from place to place: more makes it more turbulent.",
            unit="fraction",
            low=0.0,
            high=4.0,
            step=0.01,
        ),
    ] = 0.5
    gust_size: Annotated[
        float,
        setting(
            "Gust size",
            "The size of a gust: more moves larger parts together.",
            unit="length",
            low=1e-3,
            high=1e6,
            folded=True,
        ),
    ] = 0.5
    drag: Annotated[
        Number,
        setting(
            "Drag",
            "How fast the air takes the cloth along: more lets wind and air resistance act faster.",
            low=0.0,
            high=100.0,
            step=0.01,
        ),
    ] = 0.5
    damping: Annotated[
        Number,
        setting(
            "Damping",
            "The share of its speed that the cloth loses in a second: more calms it down.",
            unit="fraction",
            low=0.0,
            high=0.99,
            step=0.01,
        ),
    ] = 0.1
    stiffness: Annotated[
        Number,
        setting(
            "Bend stiffness",
            "The resistance to folding: 0 is silk, 1 is felt.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.01,
        ),
    ] = 0.2
    for_good: Annotated[
        bool, setting("Permanent", "Whether released cloth stays released when the strength falls again.")
    ] = True
    control: Annotated[
        Identifier | None, setting("Collide with control", "A control that the cloth collides with.", refers="control")
    ] = None
    radius: BodyRadius = 0.3
    shape: Annotated[
        Identifier | None, setting("Collide with shape", "A closed shape that the cloth collides with.", refers="shape")
    ] = None
    thickness: Annotated[
        Number,
        setting(
            "Thickness",
            "The distance kept from colliders: more keeps the cloth farther away.",
            unit="length",
            low=0.0,
            high=1e6,
        ),
    ] = 0.01
    friction: Annotated[
        Number,
        setting(
            "Friction", "The friction on colliders: more keeps the cloth from sliding.", low=0.0, high=10.0, step=0.01
        ),
    ] = 0.4
    apart: Annotated[
        Number,
        setting(
            "Self-collision distance",
            "The distance between layers of the cloth: more keeps them farther apart, 0 lets them pass.",
            unit="length",
            low=0.0,
            high=1e6,
        ),
    ] = 0.0
    patch: Annotated[
        float,
        setting(
            "Tear size",
            "The approximate size of torn pieces: more tears into larger ones, 0 never tears.",
            unit="length",
            low=0.0,
            high=1e6,
        ),
    ] = 0.0
    holds: Annotated[
        Number,
        setting(
            "Tear strength",
            "The length of itself that the cloth can carry before it tears: more holds longer.",
            unit="length",
            low=0.0,
            high=1e6,
        ),
    ] = 2.0
    weak: Annotated[
        Identifier | None,
        setting("Weakness", "A falloff that lowers the tear strength: at full strength to nothing.", refers="falloff"),
    ] = None
    uneven: Annotated[
        float,
        setting(
            "Raggedness",
            "How ragged torn borders are: more makes them less straight.",
            unit="fraction",
            low=0.0,
            high=1.0,
            folded=True,
        ),
    ] = 0.6
    seed: Annotated[
        int,
        whole(
            "Seed",
            "The start of the random numbers: another seed gives other pieces.",
            low=0,
            high=2**31 - 1,
            folded=True,
        ),
    ] = 1
    substeps: Annotated[
        int,
        whole(
            "Substeps",
            "The number of simulation steps a frame: more is stable for fast or heavily loaded cloth.",
            low=4,
            high=200,
            folded=True,
        ),
    ] = 20
    blown_by: Annotated[
        Identifier | None,
        setting("Blown by", "A wind of the scene that blows it besides its own wind.", refers="wind"),
    ] = None

    def reads(self) -> tuple[str, ...]:
        return ()

    def clock(self, seconds: float, frame: float) -> float:
        del frame
        return seconds

    @classmethod
    def summary(cls, after: Geometry) -> str:
        found = after.attribute(*STRETCH)
        return "" if found is None else f"largest stretch {float(found[0]):.2f}"

    def start(self, now: Seen, frame: float) -> Worn:
        del frame
        geometry = now.geometry
        if not geometry.topology.faces:
            raise CannotEvaluateError("it has no faces to be cloth: choose a mesh")
        if len(geometry.points) > _MOST_POINTS:
            raise CannotEvaluateError(f"it has {len(geometry.points):,} points; at most {_MOST_POINTS:,} can be cloth")
        fabric = self._fabric(geometry, geometry.points)
        free = now.strength >= 0.5
        motion = fabric.begun(geometry.points, ~free)
        return Worn(motion.particles, motion.velocities, motion.stands_for, free, geometry.points)

    def step(self, state: Worn, now: Seen, since: Since) -> Worn:
        fabric = self._fabric(now.geometry, state.places)
        free = now.strength >= 0.5
        if self.for_good:
            free = free | state.free
        motion = state.motion(fabric)
        if not np.array_equal(free, state.free):
            motion = fabric.held_by(motion, ~free)
        before = since.seen().context
        meets = self.control is not None or self.shape is not None
        # What it meets it meets at each small step: pushed out less often, edges would stretch.
        parts = self.substeps if meets else _CHECKS
        apart, begun = plain(self.apart), np.ascontiguousarray(motion.particles[:, :3])
        pairs = fabric.near_pairs(motion, apart) if apart > 0.0 else None
        forces = self._forces(fabric, motion, now)
        seconds, count = since.seconds / parts, -(-self.substeps // parts)
        checked, touched = motion.velocities, np.zeros(fabric.copies, np.bool_)
        for part in range(parts):
            since.go_on()
            ends = part / parts, (part + 1) / parts
            start = motion.particles
            motion = fabric.step(motion, now.geometry.points, ends, seconds, count, forces)
            if pairs is not None:
                motion = fabric.kept_apart(motion, begun, pairs, apart, seconds)
            if meets:
                motion, inside = self._met(motion, start, before, now.context, ends[1], since.seconds, seconds)
                touched[inside] = True
            if self.patch and (part + 1) * _CHECKS % parts < _CHECKS:
                motion = fabric.torn(motion, checked, since.seconds / _CHECKS, forces, touched)
                checked, touched = motion.velocities, np.zeros(fabric.copies, np.bool_)
        if not np.isfinite(motion.particles).all():
            raise CannotEvaluateError("it flew apart: use more sub-steps, or weaker wind and drag")
        return Worn(motion.particles, motion.velocities, motion.stands_for, free, state.places)

    def shown(self, state: Worn, now: Seen) -> Geometry:
        fabric = self._fabric(now.geometry, state.places)
        motion = state.motion(fabric)
        points = fabric.positions(motion)
        held = motion.held
        # What is held follows the mesh to the bit.
        points[held] = now.geometry.points[fabric.weld[held]]
        if not self.patch and not state.free.any():
            return now.geometry
        stretch = np.array([fabric.stretch(motion).max(initial=1.0)], np.float64)
        made = self._torn(now.geometry, fabric, motion, points) if self.patch else now.geometry.moved(points)
        return made.with_attribute(*STRETCH, stretch)

    # Parts of a step

    def _fabric(self, geometry: Geometry, places: Floats) -> Fabric:
        """The fabric, cached with the shape at rest."""
        topology = geometry.topology
        key = "fabric", topology, places.tobytes(), self.patch, self.uneven, self.seed

        def make() -> Fabric:
            patches = topology.triangle_faces if self.patch else None
            return Fabric(places, topology.triangles, self.patch, self.uneven, self.seed, patches)

        return geometry.at_rest.derived(key, make)

    def _forces(self, fabric: Fabric, motion: Motion, now: Seen) -> Forces:
        places = np.ascontiguousarray(motion.particles[motion.stands_for, :3])
        drag = plain(self.drag)
        air = np.tile(np.asarray(plain_triple(self.wind), np.float32), (fabric.copies, 1))
        speed, gusts = float(np.linalg.norm(plain_triple(self.wind))), plain(self.gusts)
        if speed > 0.0 and gusts > 0.0:
            time = now.context.clock * speed / self.gust_size
            for axis, seed in _GUSTS:
                air[:, axis] += gradient_noise(places, self.gust_size, 2, 0.5, gusts * speed, self.seed + seed, time)
        air += air_of(now.context, self.blown_by, places, fabric.weld)
        push = np.asarray(plain_triple(self.gravity), np.float32) + np.float32(drag) * air
        holds = np.full(fabric.points, np.inf, np.float32)
        if self.patch:
            weak = now.context.strength(self.weak) if self.weak is not None else np.zeros(fabric.points, np.float32)
            holds = np.float32(plain(self.holds)) * np.clip(np.float32(1.0) - weak, np.float32(0.0), np.float32(1.0))
        soft = 1e-3 * (1.0 - plain(self.stiffness)) ** 4 + 1e-8
        gravity = max(float(np.linalg.norm(plain_triple(self.gravity))), 1.0)
        left = 1.0 - plain(self.damping)
        return Forces(push, drag, left, 0.0, soft * fabric.edge**2, holds, gravity)

    def _met(
        self, motion: Motion, start: Floats, before: Context, now: Context, part: float, frame: float, seconds: float
    ) -> tuple[Motion, NDArray[np.int64]]:
        """Brought out of what it meets: at rest against it where it came in, slowed along it by friction. Also which ones."""
        free = np.flatnonzero(motion.particles[:, 3] > 0.0)
        met = [free[:0]]
        if not len(free):
            return motion, met[0]
        places = np.ascontiguousarray(motion.particles[free, :3])
        obstacles = Obstacles(self.control, plain(self.radius), self.shape, plain(self.thickness))
        for body in bodies_met(obstacles, places, Moment(before, now, part, frame)):
            thick = np.float32(plain(self.thickness))
            inside = np.flatnonzero(body.depth > -thick)
            if not len(inside):
                continue
            chosen = free[inside]
            particles, velocities = motion.particles.copy(), motion.velocities.copy()
            moved, slowed = pushed_out(
                particles[chosen, :3], start[chosen, :3], velocities[chosen], body.at(inside), thick,
                plain(self.friction), seconds,
            )  # fmt: skip
            particles[chosen, :3], velocities[chosen] = moved, slowed
            motion = motion._replace(particles=particles, velocities=velocities)
            places = np.ascontiguousarray(particles[free, :3])
            met.append(chosen)
        return motion, np.concatenate(met)

    def _torn(self, geometry: Geometry, fabric: Fabric, motion: Motion, points: Floats) -> Geometry:
        """The mesh with the points of each patch by themselves; faces name who stands for them, so that no seam shows."""
        topology = fabric.kept(("torn", motion.stands_for.tobytes()), lambda: self._parts(geometry, fabric, motion))
        rest = geometry.at_rest.derived(
            ("worn", geometry.topology, fabric.weld.tobytes()), lambda: Rest(frozen(geometry.rest[fabric.weld]))
        )
        attributes = {
            key: frozen(values[fabric.weld]) if key[0] is Domain.POINT else values
            for key, values in geometry.attributes.items()
        }
        return Geometry(points, topology, attributes, rest)

    def _parts(self, geometry: Geometry, fabric: Fabric, motion: Motion) -> Topology:
        copies = fabric.corner_copies(geometry.topology)
        of = fabric.parts(motion)
        # A piece has the id of its first copy, so that ids stay when other pieces come or go.
        ids = np.unique(of, return_index=True)[1].astype(np.int64)
        pieces = Pieces(frozen(of), ids, even_ranks(ids), "rag")
        corners = frozen(motion.stands_for[copies])
        offsets = geometry.topology.offsets
        return Topology(corners, offsets, fabric.copies, pieces, numbering=Numbering(copies, offsets, fabric.copies))
