"""Shed: copies or pieces come off where a falloff's front passes, drift through the air, shrink and are gone after a while."""

from typing import Annotated, ClassVar, Literal, NamedTuple

import numpy as np
from msgspec import Meta, structs
from numpy.typing import NDArray

from estompe.document.scene import Identifier
from estompe.effects.forces import EARTH, BodyRadius, Gravity, GroundHeight
from estompe.falloffs.blowing import air_of
from estompe.falloffs.touching import by_control
from estompe.geometry import Domain, Geometry
from estompe.geometry.carrying import own_axes, posed
from estompe.geometry.copies import Copies
from estompe.geometry.random import random_of
from estompe.geometry.samples import samples_of
from estompe.kernels.drift import eddies, flown, rotated
from estompe.kernels.types import Floats
from estompe.kinds.context import Placed
from estompe.kinds.kind import ActsOn
from estompe.kinds.numbers import Number, Triple, plain, plain_triple
from estompe.kinds.registry import register
from estompe.kinds.remembering import Remembered, RememberingEffect, Seen, Since
from estompe.kinds.settings import setting, whole

AGE = "age"
"""The attribute with the seconds since a piece was shed, 0 for what is not under way."""
_HELD, _AIRBORNE, _GONE = np.int8(0), np.int8(1), np.int8(2)


class Drifting(Remembered, frozen=True, eq=False):
    """Pieces after a frame: how far each has got (held, under way or gone), its age, position, velocity, and axes when shed."""

    phase: NDArray[np.int8]
    age: Floats
    position: Floats
    velocity: Floats
    axes: Floats

    def fits(self, count: int) -> bool:
        forms = (
            (self.phase, np.int8, (count,)),
            (self.age, np.float32, (count,)),
            (self.position, np.float32, (count, 3)),
            (self.velocity, np.float32, (count, 3)),
            (self.axes, np.float32, (count, 9)),
        )
        return all(array.dtype == kind and array.shape == shape for array, kind, shape in forms)


class _Flight(NamedTuple):
    """Pieces under way, while they are stepped: which, and where and how fast they are."""

    which: NDArray[np.int64]
    position: Floats
    velocity: Floats


@register
class Shed(RememberingEffect, tag="shed"):
    """A piece is shed once when its strength goes over the threshold; the moment within the frame is kept."""

    group: ClassVar[str] = "break"
    alters: ClassVar[tuple[str, ...]] = ("points", "normals", "attributes")
    acts: ClassVar[tuple[ActsOn, ...]] = ("pieces",)
    recolors: ClassVar[bool | None] = False
    label: ClassVar[str] = "Shed"
    text: ClassVar[str] = (
        "Sheds copies or pieces where a falloff's front passes: they drift off, shrink and are gone after a while."
    )
    words: ClassVar[str] = (
        "particles, emit, emitter, particle system, flakes, ash, sparks, embers, dust, leaves, petals, snow, spray, "
        "debris, disintegrate, dissolve, fly off, drift, lifetime, age, turbulence, curl noise"
    )
    state: ClassVar[type[Remembered]] = Drifting

    threshold: Annotated[
        Number,
        setting(
            "Sheds at",
            "The strength from which a piece comes off: more holds it longer.",
            unit="fraction",
            low=0.001,
            high=1.0,
            step=0.01,
        ),
    ] = 0.5
    before: Annotated[
        Literal["hidden", "shown"],
        setting("Before", "Whether pieces are seen before they are shed: flakes of a skin are, sparks are not."),
    ] = "shown"
    lives: Annotated[
        Number,
        setting(
            "Lives",
            "How long a piece is under way before it is gone: more keeps it longer.",
            unit="seconds",
            low=0.01,
            high=1e4,
            step=0.05,
        ),
    ] = 2.0
    uneven: Annotated[
        Number,
        setting(
            "Uneven lives",
            "How much the times differ from piece to piece: more lets some go earlier and some later.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.01,
        ),
    ] = 0.3
    shrinks: Annotated[
        Number,
        setting(
            "Shrinks over",
            "The share of its time, at the end, over which a piece shrinks to nothing: 0 lets it vanish at once.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.01,
        ),
    ] = 0.6
    out: Annotated[
        Number,
        setting(
            "Outwards",
            "The speed away from the surface, in scene units a second: more throws pieces farther out.",
            unit="length",
            low=-1e4,
            high=1e4,
            step=0.01,
        ),
    ] = 0.3
    push: Annotated[
        Triple,
        setting("Push", "A velocity that every piece gets, X Y Z, in scene units a second.", unit="length"),
    ] = (0.0, 0.0, 0.0)
    scatter: Annotated[
        Number,
        setting(
            "Scatter",
            "The largest random speed in any direction, in scene units a second: more spreads pieces apart.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.01,
        ),
    ] = 0.2
    keeps: Annotated[
        Number,
        setting(
            "Keeps speed",
            "The share of the surface's own speed that pieces keep.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.01,
        ),
    ] = 1.0
    gravity: Gravity = EARTH
    drag: Annotated[
        Number,
        setting(
            "Drag",
            "How fast the air takes pieces along, a second: more makes them lighter.",
            low=0.0,
            high=1e3,
            step=0.05,
        ),
    ] = 6.0
    wind: Annotated[
        Triple,
        setting("Wind", "The velocity of the air, X Y Z, in scene units a second.", unit="length"),
    ] = (0.0, 0.0, 0.0)
    blown_by: Annotated[
        Identifier | None,
        setting("Blown by", "A wind of the scene that blows pieces besides.", refers="wind"),
    ] = None
    swirl: Annotated[
        Number,
        setting(
            "Swirl",
            "The speed of eddies in the air, in scene units a second: more whirls pieces about.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.01,
        ),
    ] = 0.6
    swirl_size: Annotated[
        Number,
        setting(
            "Swirl size",
            "The size of eddies: more moves larger clouds together.",
            unit="length",
            low=1e-3,
            high=1e5,
            step=0.01,
        ),
    ] = 0.5
    tumble: Annotated[
        Number,
        setting(
            "Tumble",
            "The largest random rotation, degrees a second about each axis: more makes pieces spin faster.",
            unit="degrees",
            low=0.0,
            high=7200.0,
            step=5.0,
        ),
    ] = 180.0
    ground: Annotated[
        Literal["none", "level"], setting("Ground", "Whether pieces fall on a level ground at a height.")
    ] = "none"
    height: GroundHeight = 0.0
    controls: Annotated[
        tuple[Identifier, ...],
        setting(
            "Collide with controls",
            "Controls that pieces bounce off.",
            refers="control",
            editor="several",
        ),
        Meta(max_length=64),
    ] = ()
    radius: BodyRadius = 1.0
    bounce: Annotated[
        Number,
        setting(
            "Bounce",
            "The share of its speed that a piece leaves the ground or a control with: more bounces higher.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.01,
        ),
    ] = 0.2
    again: Annotated[
        bool,
        setting(
            "Sheds again",
            "Whether a piece that is gone is back, and can be shed once more, after its strength has fallen.",
            folded=True,
        ),
    ] = False
    substeps: Annotated[
        int,
        whole(
            "Substeps",
            "The number of steps a frame: more follows eddies and obstacles more closely.",
            low=1,
            high=32,
            folded=True,
        ),
    ] = 2
    seed: Annotated[
        int,
        whole(
            "Seed",
            "The start of the random numbers: another seed scatters otherwise.",
            low=0,
            high=2**31 - 32,
            folded=True,
        ),
    ] = 1

    @classmethod
    def summary(cls, after: Geometry) -> str:
        age = after.attribute(Domain.PIECE, AGE)
        return "" if age is None else f"{int(np.count_nonzero(age)):,} of {len(age):,} under way"

    def start(self, now: Seen, frame: float) -> Drifting:
        del frame
        elements = samples_of(now.geometry, Domain.PIECE)
        count = len(elements)
        return Drifting(
            np.zeros(count, np.int8), np.zeros(count, np.float32), elements.positions.copy(),
            np.zeros((count, 3), np.float32), own_axes(now.geometry, Domain.PIECE).copy(),
        )  # fmt: skip

    def step(self, state: Drifting, now: Seen, since: Since) -> Drifting:
        seen = since.seen()
        threshold = np.float32(plain(self.threshold))
        phase, age = state.phase.copy(), state.age.copy()
        if self.again:
            phase[(phase == _GONE) & (now.strength < threshold)] = _HELD
        # On the first frame nothing was shed: what is over the threshold from the beginning is shed at once.
        passed = np.flatnonzero((phase == _HELD) & (now.strength >= threshold))
        if not len(passed) and not (phase == _AIRBORNE).any():
            return state if np.array_equal(phase, state.phase) else structs.replace(state, phase=phase)
        position, velocity, axes = state.position.copy(), state.velocity.copy(), state.axes.copy()
        # Seconds that each piece is under way in this frame.
        left = np.where(phase == _AIRBORNE, np.float32(since.seconds), np.float32(0.0))
        if len(passed):
            share = _share_of_frame(seen.strength[passed], now.strength[passed], threshold)
            position[passed], velocity[passed] = self._sent_off(passed, share, seen, now, since.seconds)
            axes[passed] = own_axes(now.geometry, Domain.PIECE)[passed]
            left[passed] = (np.float32(1.0) - share) * np.float32(since.seconds)
            phase[passed], age[passed] = _AIRBORNE, 0.0
        which = np.flatnonzero(phase == _AIRBORNE)
        flight = _Flight(which, position[which], velocity[which])
        for _ in range(self.substeps):
            since.go_on()
            flight = self._flown(flight, (left[which] / np.float32(self.substeps)).astype(np.float32), now)
        position[which], velocity[which] = flight.position, flight.velocity
        age[which] += left[which]
        ended = which[age[which] >= self._lives(samples_of(now.geometry, Domain.PIECE).ids[which])]
        phase[ended], age[ended] = _GONE, 0.0
        return Drifting(phase, age, position, velocity, axes)

    def shown(self, state: Drifting, now: Seen) -> Geometry:
        geometry = now.geometry
        flying = state.phase == _AIRBORNE
        ids = samples_of(geometry, Domain.PIECE).ids
        visible = flying | ((state.phase == _HELD) & (self.before == "shown"))
        if isinstance(geometry, Copies):
            geometry = geometry.showing(geometry.shown & visible)
        if flying.any() or not visible.all():
            sizes = np.where(visible, np.where(flying, self._size(state.age, ids), 1.0), 0.0).astype(np.float32)
            # Copies that are not seen stay as they are; pieces of a mesh shrink to nothing.
            strength = (flying if isinstance(geometry, Copies) else flying | ~visible).astype(np.float32)
            spins = np.stack([2.0 * random_of(ids, self.seed + 11 + axis) - 1.0 for axis in range(3)], axis=1)
            degrees = (plain(self.tumble) * spins * state.age[:, None]).astype(np.float32)
            axes = rotated(state.axes, degrees)
            scales = np.repeat(sizes[:, None], 3, axis=1)
            geometry = posed(geometry, Domain.PIECE, strength, state.position, axes, scales)
        return geometry.with_attribute(Domain.PIECE, AGE, np.where(flying, np.maximum(state.age, 1e-6), 0.0))

    # Parts of a step

    def _sent_off(
        self, passed: NDArray[np.int64], share: Floats, seen: Seen, now: Seen, seconds: float
    ) -> tuple[Floats, Floats]:
        """Where pieces are when they come off, and the velocities with which they leave."""
        before, after = (samples_of(moment.geometry, Domain.PIECE) for moment in (seen, now))
        first, last = before.positions[passed], after.positions[passed]
        way, ids = last - first, after.ids[passed]
        velocity = way * np.float32(plain(self.keeps) / seconds)
        velocity = velocity + np.float32(plain(self.out)) * after.normals[passed]
        velocity = velocity + np.asarray(plain_triple(self.push), np.float32)
        velocity = velocity + np.float32(plain(self.scatter)) * _in_ball(ids, self.seed)
        return first + way * share[:, None], velocity.astype(np.float32)

    def _flown(self, flight: _Flight, seconds: Floats, now: Seen) -> _Flight:
        """Pieces a time later, each a time of its own: exact where the air moves evenly (drag is linear in the velocity)."""
        position, velocity = flown(
            flight.position,
            flight.velocity,
            self._air(flight, now),
            plain_triple(self.gravity),
            plain(self.drag),
            seconds,
        )
        return self._met(flight._replace(position=position, velocity=velocity), now)

    def _air(self, flight: _Flight, now: Seen) -> Floats:
        """The velocity of the air where pieces are, float32 (n, 3)."""
        air = np.asarray(plain_triple(self.wind), np.float32)
        air = air + air_of(now.context, self.blown_by, flight.position, flight.which)
        if plain(self.swirl):
            air = air + eddies(flight.position, plain(self.swirl_size), plain(self.swirl), self.seed + 7)
        return np.asarray(air, np.float32)

    def _met(self, flight: _Flight, now: Seen) -> _Flight:
        """Pieces brought out of the ground and of controls, and sent back from there."""
        position, velocity = flight.position, flight.velocity
        if self.ground == "level":
            height = np.float32(plain(self.height))
            normal = np.broadcast_to(np.array([0.0, 1.0, 0.0], np.float32), position.shape)
            depth = height - position[:, 1]
            onto = position + np.maximum(depth, 0.0)[:, None] * normal
            position, velocity = self._bounced(position, velocity, depth, onto, normal)
        for name in self.controls:
            control: Placed = now.context.control(name)
            depth, onto = by_control(np.ascontiguousarray(position), control, plain(self.radius))
            way = onto - position
            normal = way / np.maximum(np.linalg.norm(way, axis=1, keepdims=True), np.float32(1e-12))
            position, velocity = self._bounced(position, velocity, depth, onto, normal)
        return flight._replace(position=position, velocity=velocity)

    def _bounced(
        self, position: Floats, velocity: Floats, depth: Floats, onto: Floats, normal: Floats
    ) -> tuple[Floats, Floats]:
        inside = (depth > 0.0)[:, None]
        into = np.minimum(np.einsum("ij,ij->i", velocity, normal), 0.0)[:, None]
        sent = velocity - np.float32(1.0 + plain(self.bounce)) * into * normal
        return np.where(inside, onto, position), np.where(inside, sent, velocity)

    def _lives(self, ids: NDArray[np.int64]) -> Floats:
        """How many seconds each piece is under way, float32 (n,)."""
        spread = np.float32(plain(self.uneven)) * (2.0 * random_of(ids, self.seed + 17) - 1.0)
        return np.asarray(np.float32(plain(self.lives)) * (np.float32(1.0) + spread), np.float32)

    def _size(self, age: Floats, ids: NDArray[np.int64]) -> Floats:
        """How large pieces are at an age, 1 to 0."""
        over = plain(self.shrinks)
        if over <= 0.0:
            return np.ones_like(age)
        part = age / np.maximum(self._lives(ids), np.float32(1e-6))
        return np.clip((np.float32(1.0) - part) / np.float32(over), 0.0, 1.0)


def _share_of_frame(before: Floats, now: Floats, threshold: np.float32) -> Floats:
    """How much of a frame had passed when strengths that go in straight lines crossed a threshold, float32 (n,)."""
    rise = now - before
    share = np.where(before >= threshold, 0.0, (threshold - before) / np.where(rise > 0.0, rise, 1.0))
    return np.asarray(np.clip(share, 0.0, 1.0), np.float32)


def _in_ball(ids: NDArray[np.int64], seed: int) -> Floats:
    """Random places in the unit ball by id, even in volume, float32 (n, 3)."""
    height = 2.0 * random_of(ids, seed + 1).astype(np.float64) - 1.0
    around = 2.0 * np.pi * random_of(ids, seed + 2).astype(np.float64)
    radius = np.cbrt(random_of(ids, seed + 3).astype(np.float64))
    across = np.sqrt(1.0 - height * height)
    directions = np.stack([across * np.cos(around), height, across * np.sin(around)], axis=1)
    return np.asarray(radius[:, None] * directions, np.float32)
