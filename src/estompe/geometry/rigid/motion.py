"""Pieces let go: what they are handed from frame to frame, what is given at a moment, and the laws that they follow."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.rigid.bodies import Poses, RigidPieces
from estompe.geometry.rigid.obstacles import Obstacle
from estompe.kernels.types import Floats

Reals = NDArray[np.float64]
DENSITY = 1000.0
EARTH = 9.81


class Motion(NamedTuple):
    """Pieces after a frame; all that the next one depends on.

    Parameters
    ----------
    position, rotation, velocity, spin : float32 (k, 3), (k, 4), (k, 3), (k, 3)
        Of centres of mass, scene units; quaternions; scene units and radians a second.
    free, asleep : bool (k,)
    still_for, since : float32 (k,)
        Seconds that a piece has been still, and since it was let go.
    keys, places, impulses : int64 (c,), float32 (c, 4, 3), float32 (c, 4, 4)
        Contacts of pieces that are awake (`Impulses`).
    pulls, broken : float32 (j, 6), bool (j,)
        Of joints: the force and its moment, and whether it is broken.
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


class Moment(NamedTuple):
    """What is given at one moment.

    Parameters
    ----------
    poses : Poses
        Where the pieces are as the animation has them.
    strength, back : float64 (k,)
        How far they are let go and called back.
    weakness : float64 (k,)
        How much weaker joints are there, 0..1.
    air : float64 (k, 3)
        The velocity of the air at each piece, scene units a second.
    obstacles : tuple of Obstacle
        The same ones, in the same order, at every moment.
    """

    poses: Poses
    strength: Reals
    back: Reals
    weakness: Reals
    air: Reals
    obstacles: tuple[Obstacle, ...] = ()


class Laws(NamedTuple):
    """How pieces move, in scene units and seconds. away: from a place, at a speed; tumble: degrees a second; holds: how much of
    itself a joint carries, 0 for none; rolling: how fast the spin of what touches fades."""

    threshold: float = 0.5
    gravity: tuple[float, float, float] = (0.0, -EARTH, 0.0)
    push: tuple[float, float, float] = (0.0, 0.0, 0.0)
    away_from: tuple[float, float, float] | None = None
    away: float = 0.0
    tumble: float = 0.0
    drag: float = 0.0
    friction: float = 0.5
    bounce: float = 0.1
    holds: float = 0.0
    rolling: float = 1.0
    looks: int = 4
    steps: int = 4
    sleeps: bool = True
    seed: int = 1


def begun(pieces: RigidPieces, poses: Poses) -> Motion:
    """The motion on the first frame, where all pieces are held and no joint is broken."""
    count, joints = len(pieces.hull), len(pieces.bonds.pairs)
    zeros = np.zeros((count, 3), np.float32)
    return Motion(
        poses.position.astype(np.float32), poses.rotation.astype(np.float32), zeros, zeros.copy(),
        np.zeros(count, np.bool_), np.zeros(count, np.bool_), np.zeros(count, np.float32),
        np.zeros(count, np.float32), np.zeros(0, np.int64), np.zeros((0, 4, 3), np.float32),
        np.zeros((0, 4, 4), np.float32), np.zeros((joints, 6), np.float32), np.zeros(joints, np.bool_),
    )  # fmt: skip
