"""What the loops of rigid bodies are handed. Pieces come first, then what they meet: controls, shapes and the ground."""

from enum import IntEnum
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.kernels.types import Indices

Reals = NDArray[np.float64]
Wholes = NDArray[np.int64]


class Form(IntEnum):
    """What a body is: a convex hull, a ball, all that lies under a plane, or a shape whose contacts come from its surface."""

    HULL = 0
    BALL = 1
    PLANE = 2
    SURFACE = 3


class Hulls(NamedTuple):
    """Convex hulls, one after the other, each about its own centre of mass; indices are int32, lengths in scene units.

    Parameters
    ----------
    point_starts, points : int32 (h + 1,), float64 (p, 3)
        The corners of each hull.
    face_starts, planes : int32 (h + 1,), float64 (f, 4)
        Its faces: outward unit normal, and the distance of the plane from the origin.
    loop_starts, loops : int32 (f + 1,), int32
        The corners of each face, counter-clockwise from outside.
    edge_starts, ends, sides, folds : int32 (h + 1,), int32 (e, 2), int32 (e, 2), float64 (e, 3)
        Its edges: their corners, their two faces, and the cross product of the normals of these.
    radius : float64 (h,)
        The distance of the farthest corner.
    """

    point_starts: Indices
    points: Reals
    face_starts: Indices
    planes: Reals
    loop_starts: Indices
    loops: Indices
    edge_starts: Indices
    ends: Indices
    sides: Indices
    folds: Reals
    radius: Reals


class Bodies(NamedTuple):
    """Bodies as they are, changed in place.

    Parameters
    ----------
    position, rotation : float64 (n, 3), float64 (n, 4)
        Of the centres of mass, scene units; unit quaternions w x y z.
    velocity, spin : float64 (n, 3)
        Scene units a second; radians a second about the axes of the world.
    weight : float64 (n,)
        Inverse masses, 0 for a body that nothing moves.
    inertia, own_inertia : float64 (n, 3, 3)
        Inverse inertia in the world, and inertia in each body's own space.
    """

    position: Reals
    rotation: Reals
    velocity: Reals
    spin: Reals
    weight: Reals
    inertia: Reals
    own_inertia: Reals


class Reach(NamedTuple):
    """How near bodies count as touching. form: `Form`, int64 (n,); hull: number of its hull, int64 (n,); radius: float64 (n,);
    margin: scene units; seconds: how far ahead is looked."""

    form: Wholes
    hull: Wholes
    radius: Reals
    margin: float
    seconds: float


class Neighbours(NamedTuple):
    """Pairs of pieces that touch before anything is moved, by key (`pair_keys`), ascending.

    Parameters
    ----------
    keys : int64 (m,)
    counts, places, normals : int64 (m,), float64 (m, 4, 3), float64 (m, 3)
        Places on the face that they share, at rest, and its normal, from the first piece to the second. Where they share none,
        the count is 0, and the first place lies between them.
    overlap : float64 (m,)
        How deep their hulls lie in each other at rest, scene units.
    centres : float64 (n, 3)
        The centres of mass of all pieces at rest.
    """

    keys: Wholes
    counts: Wholes
    places: Reals
    normals: Reals
    overlap: Reals
    centres: Reals


class Touches(NamedTuple):
    """Pairs that touch, each in a slot of its own: how many places, the normal from the first body to the second, places in the
    world and gaps between the bodies there, negative where they overlap."""

    counts: Wholes
    normals: Reals
    places: Reals
    gaps: Reals

    @classmethod
    def for_pairs(cls, count: int) -> "Touches":
        """Empty slots for so many pairs."""
        return cls(np.zeros(count, np.int64), np.zeros((count, 3)), np.zeros((count, 4, 3)), np.zeros((count, 4)))

    @classmethod
    def joined(cls, parts: list["Touches"]) -> "Touches":
        """Slots one after the other."""
        return cls(*(np.concatenate(arrays) for arrays in zip(*parts, strict=True)))  # type: ignore[arg-type]

    def chosen(self, rows: NDArray[np.bool_]) -> "Touches":
        """Some of the slots."""
        return Touches(self.counts[rows], self.normals[rows], self.places[rows], self.gaps[rows])


class Impulses(NamedTuple):
    """Impulses that contacts had before. keys: int64 (m,), ascending; places: float64 (m, 4, 3), in the first body's own space;
    values: float64 (m, 4, 4), along the normal, and X Y Z of the friction in the world."""

    keys: Wholes
    places: Reals
    values: Reals


class Contacts(NamedTuple):
    """Contacts by colour: no two of a colour share a body that moves.

    Parameters
    ----------
    pairs, counts, starts : int32 (m, 2), int64 (m,), int64 (colours + 1,)
    axes : float64 (m, 3, 3)
        The normal, and two directions across it.
    arms : float64 (m, 4, 6)
        From the centre of the first body, and of the second, to each place.
    gaps, give : float64 (m, 4), float64 (m, 4, 3)
        Gaps, and inverse masses along the three axes at each place, inverted.
    impulses : float64 (m, 4, 4)
        Along the axes, and the largest one along the normal since the contacts were found.
    closing : float64 (m, 4)
        The velocity along the normal with which the bodies arrive, negative where they approach.
    """

    pairs: Indices
    counts: Wholes
    starts: Wholes
    axes: Reals
    arms: Reals
    gaps: Reals
    give: Reals
    impulses: Reals
    closing: Reals


class Joints(NamedTuple):
    """Joints by colour. pairs: int32 (g, 2); starts: int64 (colours + 1,); arms: float64 (g, 6), in the space of either body;
    rotation: float64 (g, 4), of the second body in the first; pulls: float64 (g, 6), the impulse and its moment in the newest
    step."""

    pairs: Indices
    starts: Wholes
    arms: Reals
    rotation: Reals
    pulls: Reals


class Steps(NamedTuple):
    """Small steps. number; seconds: of each; friction, bounce: coefficients; least_bounce: slowest arrival that bounces; push:
    the fastest that overlaps are pushed apart.

    Contacts and joints are soft constraints on velocities (Catto 2011, "Soft constraints"): a rate a second, the share of the
    impulse that is taken, and how much less of the sum of impulses.
    """

    number: int
    seconds: float
    friction: float
    bounce: float
    least_bounce: float
    push: float
    contact_rate: float
    contact_share: float
    contact_less: float
    joint_rate: float
    joint_share: float
    joint_less: float


class Air(NamedTuple):
    """acceleration, wind: float64 (n, 3); drag: a second; rolling: float64 (n,), how fast spin fades, a second."""

    acceleration: Reals
    wind: Reals
    drag: float
    rolling: Reals


PAIR = 2147483648


def pair_keys(pairs: NDArray[np.int32]) -> Wholes:
    """One number for each pair of bodies, int64 (m,). pairs: int32 (m, 2), the lower number first."""
    return pairs[:, 0].astype(np.int64) * PAIR + pairs[:, 1]
