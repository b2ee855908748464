"""One frame of pieces that are let go.

A frame is cut into *looks*. In each, touching bodies are found anew, and what is held, and obstacles, move on in straight lines;
a look is cut into small steps (`estompe.kernels.rigid.steps`).
"""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.random import random_of
from estompe.geometry.rigid import rotations
from estompe.geometry.rigid.bodies import Poses, RigidPieces
from estompe.geometry.rigid.hulls import joined
from estompe.geometry.rigid.joints import JointedPieces
from estompe.geometry.rigid.motion import DENSITY, EARTH, Laws, Moment, Motion
from estompe.geometry.rigid.obstacles import Obstacle, Surface, moved_between, near_surface
from estompe.geometry.transforms import Matrix
from estompe.kernels.rigid.arrays import (
    Air,
    Bodies,
    Contacts,
    Form,
    Hulls,
    Impulses,
    Joints,
    Reach,
    Steps,
    Touches,
    pair_keys,
)
from estompe.kernels.rigid.contacts import colours_of, prepare, turn_inertia
from estompe.kernels.rigid.sleeping import fall_asleep
from estompe.kernels.rigid.steps import step_alone, step_together
from estompe.kernels.rigid.surfaces import CONTACTS, contacts_with_surface
from estompe.kernels.rigid.touching import near_pairs, touch
from estompe.kernels.types import Floats, Indices

Reals = NDArray[np.float64]
_RATE, _DAMPING, _JOINT_DAMPING = 96.0, 10.0, 2.0
_FEW = 1500
_HUGE = 1e9
_SPIN_FADES = 0.05


def stepped(
    pieces: RigidPieces,
    hidden: NDArray[np.bool_],
    laws: Laws,
    motion: Motion,
    moments: tuple[Moment, Moment],
    surfaces: tuple[Surface, ...],
    seconds: float,
    go_on: Callable[[], None],
    few: bool | None = None,
) -> Motion:
    """Pieces a time later.

    Parameters
    ----------
    pieces : RigidPieces
    hidden : bool (k,)
        Which ones touch nothing.
    laws : Laws
    motion : Motion
        At the first moment.
    moments : two Moments
        At the begin and the end.
    surfaces : tuple of Surface
    seconds : float
    go_on : callable
        Raises when the work is no longer wanted.
    few : bool, optional
        Whether one thread takes the small steps; told by the number of contacts if left out. Results are the same.
    """
    frame = _Frame(pieces, hidden, laws, motion, moments, surfaces, seconds)
    for look in range(laws.looks):
        go_on()
        frame.look(look, few)
    return frame.result()


class _Frame:
    """One frame while it is stepped. Pieces come first, then obstacles, then three bodies for each surface."""

    def __init__(
        self,
        pieces: RigidPieces,
        hidden: NDArray[np.bool_],
        laws: Laws,
        motion: Motion,
        moments: tuple[Moment, Moment],
        surfaces: tuple[Surface, ...],
        seconds: float,
    ) -> None:
        self.pieces, self.laws, self.surfaces, self.seconds = pieces, laws, surfaces, seconds
        self.before, self.now = moments
        self.count, self.obstacles = len(pieces.hull), len(self.now.obstacles)
        self.total = self.count + self.obstacles + CONTACTS * len(surfaces)
        self.hulls = _with_obstacles(pieces.hulls, self.now.obstacles)
        self.form, self.hull, self.radius = self._forms(hidden)
        self.typical = float(np.median(pieces.radius)) if self.count else 1.0
        gravity = float(np.linalg.norm(laws.gravity))
        self.still_below = 0.05 * float(np.sqrt(max(gravity, 1.0) * self.typical))
        self.inverse_mass, self.own_inertia, self.inverse_own = self._masses()
        self.bodies = self._bodies(motion)
        self.free, self.asleep = self._flags(motion.free), self._flags(motion.asleep)
        self.still_for = np.zeros(self.total)
        self.still_for[: self.count] = motion.still_for
        held = np.flatnonzero(~motion.free)
        self.bodies.position[held], self.bodies.rotation[held] = (poses[held] for poses in self.before.poses)
        self.since = motion.since.astype(np.float64)
        self.old = Impulses(motion.keys.copy(), motion.places.astype(np.float64), motion.impulses.astype(np.float64))
        self.bonds = JointedPieces(pieces, laws, motion, seconds / laws.looks / laws.steps)
        self._then: dict[int, Matrix] = {}
        self._own_samples: dict[int, Reals] = {}

    def _flags(self, values: NDArray[np.bool_]) -> NDArray[np.bool_]:
        flags = np.zeros(self.total, np.bool_)
        flags[: self.count] = values
        return flags

    def _forms(self, hidden: NDArray[np.bool_]) -> tuple[NDArray[np.int64], NDArray[np.int64], Reals]:
        form, hull = np.full(self.total, int(Form.SURFACE)), np.zeros(self.total, np.int64)
        radius = np.zeros(self.total)
        form[: self.count] = np.where(hidden, int(Form.SURFACE), int(Form.HULL))
        hull[: self.count], radius[: self.count] = self.pieces.hull, self.pieces.radius
        own = len(self.pieces.hulls.radius)
        for number, obstacle in enumerate(self.now.obstacles, self.count):
            form[number] = int(obstacle.form)
            radius[number] = obstacle.radius if obstacle.form is Form.BALL else _HUGE
            if obstacle.form is Form.HULL:
                hull[number], radius[number] = own, self.hulls.radius[own]
                own += 1
        return form, hull, radius

    def _masses(self) -> tuple[Reals, Reals, Reals]:
        weight, own = np.zeros(self.total), np.zeros((self.total, 3, 3))
        inverse = np.zeros((self.total, 3, 3))
        weight[: self.count] = 1.0 / (DENSITY * self.pieces.volume)
        own[: self.count] = DENSITY * self.pieces.inertia
        inverse[: self.count] = np.linalg.inv(own[: self.count])
        return weight, own, inverse

    def _bodies(self, motion: Motion) -> Bodies:
        arrays = [np.zeros((self.total, width)) for width in (3, 4, 3, 3)]
        for array, values in zip(arrays, (motion.position, motion.rotation, motion.velocity, motion.spin), strict=True):
            array[: self.count] = values
        arrays[1][self.count :, 0] = 1.0
        arrays[1] /= np.linalg.norm(arrays[1], axis=1, keepdims=True)
        position, rotation, velocity, spin = arrays
        weight, inertia = np.zeros(self.total), np.zeros((self.total, 3, 3))
        return Bodies(position, rotation, velocity, spin, weight, inertia, self.own_inertia)

    # A look

    def look(self, number: int, alone: bool | None) -> None:
        """Take one look and its steps."""
        laws, share = self.laws, (number + 1) / self.laws.looks
        begin = number / laws.looks
        self._let_go(share)
        self._place_held(begin, share)
        moves = self.free & ~self.asleep & (self.bodies.weight > 0.0)
        second = self.seconds / laws.looks
        joints = self.bonds.joints(moves)
        pairs, touches = self._touches(moves, second, self.bonds.glued())
        contacts, own_places = self._contacts(pairs, touches, moves)
        h = second / laws.steps
        steps = Steps(
            laws.steps, h, laws.friction, laws.bounce, 2.0 * h * EARTH + self.still_below, 8.0 * self.typical,
            *_soft(min(_RATE, 0.25 / h), _DAMPING, h), *_soft(0.25 / h, _JOINT_DAMPING, h),
        )  # fmt: skip
        few = len(pairs) + len(joints.pairs) < _FEW if alone is None else alone
        (step_alone if few else step_together)(self.bodies, contacts, joints, self._air(contacts), steps)
        self._keep_impulses(contacts, own_places)
        self._break(joints, share)
        if laws.sleeps:
            fall_asleep(
                contacts, self.bodies, self.radius, self.free, self.asleep, self.still_below, second, self.still_for
            )
        self.since[self.free[: self.count]] += second

    def _let_go(self, share: float) -> None:
        """Release the pieces whose strength passes the threshold, and hold the pieces that have been called home."""
        strength = self.before.strength + share * (self.now.strength - self.before.strength)
        back = self.before.back + share * (self.now.back - self.before.back)
        free = self.free[: self.count]
        home = back >= 1.0
        fresh = np.flatnonzero((strength >= self.laws.threshold) & ~free & ~home)
        free[home], self.asleep[: self.count][home], self.since[home] = False, False, 0.0
        free[fresh] = True
        if len(fresh):
            self._send_off(fresh)

    def _send_off(self, fresh: NDArray[np.int64]) -> None:
        """The velocities with which pieces leave: of the animation, of the push, away from a place, and tumbling."""
        laws, bodies = self.laws, self.bodies
        velocity, spin = self._animated()
        bodies.velocity[fresh] = velocity[fresh] + laws.push
        bodies.spin[fresh] = spin[fresh]
        if laws.away_from is not None and laws.away:
            way = bodies.position[fresh] - laws.away_from
            bodies.velocity[fresh] += laws.away * way / np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)
        if laws.tumble:
            rows = [2.0 * random_of(fresh, laws.seed + 7 * axis) - 1.0 for axis in range(3)]
            bodies.spin[fresh] += np.radians(laws.tumble) * np.stack(rows, axis=1)

    def _animated(self) -> tuple[Reals, Reals]:
        """The velocities of pieces as the animation has them."""
        first, second = self.before.poses, self.now.poses
        velocity = (second.position - first.position) / self.seconds
        return velocity, rotations.spin_between(first.rotation, second.rotation, self.seconds)

    def _place_held(self, begin: float, share: float) -> None:
        """Put what is held, and obstacles, where they are at the begin of a look, on their way to its end."""
        bodies, count, second = self.bodies, self.count, self.seconds / self.laws.looks
        bodies.weight[:] = np.where(self.free & ~self.asleep, self.inverse_mass, 0.0)
        bodies.velocity[self.asleep], bodies.spin[self.asleep] = 0.0, 0.0
        held = np.flatnonzero(~self.free[:count])
        first = _between(self.before.poses, self.now.poses, begin)
        for chosen, poses, after in self._led(held, first, begin, share):
            bodies.position[chosen], bodies.rotation[chosen] = poses
            bodies.velocity[chosen] = (after.position - poses.position) / second
            bodies.spin[chosen] = rotations.spin_between(poses.rotation, after.rotation, second)
            bodies.weight[chosen] = 0.0

    def _led(
        self, held: NDArray[np.int64], first: Poses, begin: float, share: float
    ) -> list[tuple[NDArray[np.int64], Poses, Poses]]:
        """Bodies that are led: which, where they are, and where they will be at the end of the look."""
        count = self.count
        later = _between(self.before.poses, self.now.poses, share)
        led = [
            (held, Poses(first.position[held], first.rotation[held]), Poses(later.position[held], later.rotation[held]))
        ]
        called = self._called(begin, share, later)
        if called is not None:
            led.append(called)
        if self.obstacles:
            numbers = np.arange(count, count + self.obstacles)
            one, other = (_poses_of(moment.obstacles) for moment in (self.before, self.now))
            led.append((numbers, _between(one, other, begin), _between(one, other, share)))
        for index, surface in enumerate(self.surfaces):
            numbers = count + self.obstacles + CONTACTS * index + np.arange(CONTACTS)
            here, self._then[index] = moved_between(surface, begin)
            led.append((numbers, _repeated(here), _repeated(moved_between(surface, share)[0])))
        return led

    def _called(self, begin: float, share: float, home: Poses) -> tuple[NDArray[np.int64], Poses, Poses] | None:
        """Pieces on their way back, and where that leads them: as much of what is left as the call has grown."""
        one = self.before.back + begin * (self.now.back - self.before.back)
        other = self.before.back + share * (self.now.back - self.before.back)
        chosen = np.flatnonzero(self.free[: self.count] & (np.maximum(one, other) > 0.0))
        if not len(chosen):
            return None
        part = np.clip((other - one)[chosen] / np.maximum(1.0 - one[chosen], 1e-9), 0.0, 1.0)[:, None]
        here = Poses(self.bodies.position[chosen].copy(), self.bodies.rotation[chosen].copy())
        self.asleep[chosen], self.still_for[chosen] = False, 0.0
        return chosen, here, _between(here, Poses(home.position[chosen], home.rotation[chosen]), part)

    def _air(self, contacts: Contacts) -> Air:
        rolling = np.full(self.total, _SPIN_FADES)
        rolling[contacts.pairs.ravel()] = self.laws.rolling
        acceleration = np.tile(np.asarray(self.laws.gravity, np.float64), (self.total, 1))
        air = np.zeros((self.total, 3))
        air[: self.count] = self.now.air
        return Air(acceleration, air, self.laws.drag, rolling)

    # Contacts

    def _touches(self, moves: NDArray[np.bool_], second: float, glued: NDArray[np.int64]) -> tuple[Indices, Touches]:
        """Pairs that touch in this look, by key, and where."""
        bodies = self.bodies
        reach = Reach(self.form, self.hull, self.radius, 0.02 * self.typical, second)
        low = bodies.position[:, 0] - self.radius - reach.margin
        low -= second * np.linalg.norm(bodies.velocity, axis=1)
        pairs = near_pairs(np.argsort(low, kind="stable"), bodies, reach, moves, glued)
        pairs = np.ascontiguousarray(pairs[np.argsort(pair_keys(pairs), kind="stable")])
        touches = Touches.for_pairs(len(pairs))
        touch(pairs, self.hulls, bodies, reach, self.pieces.neighbours, touches)
        parts = [(pairs, touches)]
        for index, surface in enumerate(self.surfaces):
            parts.append(self._with_surface(index, surface, moves, reach))
        pairs = np.concatenate([part[0] for part in parts])
        touches = Touches.joined([part[1] for part in parts])
        hit = touches.counts > 0
        return pairs[hit], touches.chosen(hit)

    def _with_surface(
        self, index: int, surface: Surface, moves: NDArray[np.bool_], reach: Reach
    ) -> tuple[Indices, Touches]:
        """The contacts of pieces with a shape."""
        bodies, slot = self.bodies, self.count + self.obstacles + CONTACTS * index
        then = self._then[index]
        near = self.radius[: self.count] + reach.margin
        near = near + reach.seconds * np.linalg.norm(bodies.velocity[: self.count] - bodies.velocity[slot], axis=1)
        low, high = _box(surface.mesh.bounds, then)
        position = bodies.position[: self.count]
        inside = ((position > low - near[:, None]) & (position < high + near[:, None])).all(axis=1)
        chosen = np.flatnonzero(inside & moves[: self.count] & (self.form[: self.count] == int(Form.HULL)))
        touches = Touches.for_pairs(CONTACTS * len(chosen))
        pairs = np.stack([np.repeat(chosen, CONTACTS), np.tile(slot + np.arange(CONTACTS), len(chosen))], axis=1)
        if not len(chosen):
            return pairs.astype(np.int32), touches
        starts, places = self._samples(chosen)
        distances, outwards = near_surface(surface, places, then, float(near[chosen].max()))
        within = near[chosen] - self.radius[chosen]
        contacts_with_surface(starts, places, np.ascontiguousarray(outwards), distances, within, touches)
        return pairs.astype(np.int32), touches

    def _samples(self, chosen: NDArray[np.int64]) -> tuple[NDArray[np.int64], Reals]:
        """Places on pieces, their corners and the middles of their faces, in the world, by piece."""
        for hull in set(self.hull[chosen].tolist()) - set(self._own_samples):
            self._own_samples[hull] = self._samples_of(hull)
        own = [self._own_samples[hull] for hull in self.hull[chosen].tolist()]
        starts = np.concatenate([[0], np.cumsum([len(rows) for rows in own])])
        of = np.repeat(chosen, np.diff(starts))
        turns = rotations.matrices(self.bodies.rotation[chosen])[np.repeat(np.arange(len(chosen)), np.diff(starts))]
        places = np.einsum("nij,nj->ni", turns, np.concatenate(own)) + self.bodies.position[of]
        return starts.astype(np.int64), places

    def _samples_of(self, hull: int) -> Reals:
        hulls = self.hulls
        corners = hulls.points[hulls.point_starts[hull] : hulls.point_starts[hull + 1]]
        first, last = hulls.face_starts[hull], hulls.face_starts[hull + 1]
        loops = [hulls.loops[hulls.loop_starts[f] : hulls.loop_starts[f + 1]] for f in range(first, last)]
        return np.concatenate([corners, np.array([hulls.points[loop].mean(axis=0) for loop in loops])])

    def _contacts(self, pairs: Indices, touches: Touches, moves: NDArray[np.bool_]) -> tuple[Contacts, Reals]:
        """Contacts by colour, and their places on the first bodies."""
        colours = colours_of(pairs, moves)
        order = np.argsort(colours, kind="stable")
        count = len(pairs)
        starts = np.searchsorted(colours[order], np.arange(int(colours.max(initial=-1)) + 2)).astype(np.int64)
        contacts = Contacts(
            np.ascontiguousarray(pairs[order]), touches.counts[order], starts, np.zeros((count, 3, 3)),
            np.zeros((count, 4, 6)), touches.gaps[order], np.zeros((count, 4, 3)), np.zeros((count, 4, 4)),
            np.zeros((count, 4)),
        )  # fmt: skip
        turn_inertia(self.bodies, self.inverse_own)
        own_places = np.zeros((count, 4, 3))
        prepare(
            contacts, touches.normals[order], touches.places[order], self.bodies,
            np.asarray(self.laws.gravity, np.float64), self.old, 0.2 * self.typical, own_places,
        )  # fmt: skip
        return contacts, own_places

    def _keep_impulses(self, contacts: Contacts, own_places: Reals) -> None:
        """Keep what the next look, or the next frame, starts from."""
        keys = pair_keys(contacts.pairs)
        order = np.argsort(keys, kind="stable")
        used = np.arange(4)[None, :] < contacts.counts[order, None]
        across = np.einsum("kmi,kij->kmj", contacts.impulses[order][:, :, 1:3], contacts.axes[order][:, 1:])
        values = np.concatenate([contacts.impulses[order][:, :, :1], across], axis=2)
        self.old = Impulses(keys[order], np.where(used[:, :, None], own_places[order], _HUGE), values)

    # Joints

    def _break(self, joints: Joints, share: float) -> None:
        """Break joints that carry more than they hold; what they held wakes."""
        weakness = self.before.weakness + share * (self.now.weakness - self.before.weakness)
        woken = self.bonds.broken_by(joints, weakness, self.free[: self.count], self._pull())
        self.asleep[woken], self.still_for[woken] = False, 0.0

    def _pull(self) -> float:
        return float(np.linalg.norm(self.laws.gravity)) or EARTH

    def result(self) -> Motion:
        """The motion at the end of the frame; what is held is where the animation has it."""
        bodies, count = self.bodies, self.count
        free = self.free[:count].copy()
        position, rotation = bodies.position[:count].copy(), bodies.rotation[:count].copy()
        position[~free], rotation[~free] = self.now.poses.position[~free], self.now.poses.rotation[~free]
        pressed = (self.old.values[:, :, 0] > 0.0).any(axis=1)
        # Contacts with what is asleep are found anew when it wakes.
        pressed &= ~self.asleep[self.old.keys >> 31]
        kind = np.float32
        return Motion(
            position.astype(kind), rotation.astype(kind), bodies.velocity[:count].astype(kind),
            bodies.spin[:count].astype(kind), free, self.asleep[:count].copy(),
            self.still_for[:count].astype(kind), self.since.astype(kind), self.old.keys[pressed],
            self.old.places[pressed].astype(kind), self.old.values[pressed].astype(kind),
            self.bonds.forces.astype(kind), self.bonds.broken,
        )  # fmt: skip


def _soft(rate: float, damping: float, h: float) -> tuple[float, float, float]:
    """A soft constraint of so many swings a second, damped so many times critically."""
    omega = 2.0 * np.pi * rate
    one = 2.0 * damping + h * omega
    two = h * omega * one
    share = 1.0 / (1.0 + two)
    return omega / one, two * share, share


def _with_obstacles(hulls: Hulls, obstacles: tuple[Obstacle, ...]) -> Hulls:
    """Hulls of pieces, and those of obstacles after them."""
    more = [obstacle.solid.hulls for obstacle in obstacles if obstacle.solid is not None]
    return joined([hulls, *more]) if more else hulls


def _between(first: Poses, second: Poses, share: float | Reals) -> Poses:
    position = first.position + share * (second.position - first.position)
    return Poses(position, rotations.between(first.rotation, second.rotation, share))


def _poses_of(obstacles: tuple[Obstacle, ...]) -> Poses:
    return Poses(np.array([item.position for item in obstacles]), np.array([item.rotation for item in obstacles]))


def _box(bounds: tuple[Floats, Floats], matrix: Matrix) -> tuple[Reals, Reals]:
    """The box around a box that is placed by a matrix."""
    corners = np.stack(np.meshgrid(*np.stack(bounds, axis=1), indexing="ij"), axis=-1).reshape(-1, 3)
    placed = corners @ matrix[:, :3].T + matrix[:, 3]
    return placed.min(axis=0), placed.max(axis=0)


def _repeated(poses: Poses) -> Poses:
    return Poses(np.repeat(poses.position, CONTACTS, axis=0), np.repeat(poses.rotation, CONTACTS, axis=0))
