"""Joints between pieces: what they hold, what they carry, and when they break."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.rigid import rotations
from estompe.geometry.rigid.bodies import RigidPieces
from estompe.geometry.rigid.motion import DENSITY, EARTH, Laws, Motion
from estompe.kernels.rigid.arrays import Joints, pair_keys
from estompe.kernels.rigid.contacts import colours_of
from estompe.kernels.types import Floats

Reals = NDArray[np.float64]


class JointedPieces:
    """The joints of a frame, in the order of their colours."""

    def __init__(self, pieces: RigidPieces, laws: Laws, motion: Motion, second: float) -> None:
        self.pieces, self.laws, self.second = pieces, laws, second
        self.pulls, self.broken = motion.pulls.astype(np.float64) * second, motion.broken.copy()
        self.used = len(self.broken) > 0
        self.chosen = np.zeros(0, np.int64)
        if not self.used:
            return
        pairs, stood = pieces.bonds.pairs, pieces.stood
        colours = colours_of(pairs, np.ones(len(pieces.hull), np.bool_))
        self.order = np.argsort(colours, kind="stable")
        self.bounds = np.searchsorted(colours[self.order], np.arange(int(colours.max()) + 2))
        turns = [stood.rotation[pairs[:, side]] for side in range(2)]
        arms = [
            rotations.turned(rotations.inverse(turn), pieces.bonds.places - stood.position[pairs[:, side]])
            for side, turn in enumerate(turns)
        ]
        self.arms = np.concatenate(arms, axis=1)
        self.rotation = rotations.product(rotations.inverse(turns[0]), turns[1])

    @property
    def forces(self) -> Reals:
        """What joints carry, and the moments."""
        return np.asarray(self.pulls / self.second)

    def glued(self) -> NDArray[np.int64]:
        """Keys of pairs that a joint holds, ascending."""
        if not self.used:
            return np.zeros(0, np.int64)
        return np.sort(pair_keys(self.pieces.bonds.pairs[~self.broken]))

    def joints(self, moves: NDArray[np.bool_]) -> Joints:
        """The joints that hold at least one body that moves."""
        if not self.used:
            return Joints(
                np.zeros((0, 2), np.int32), np.zeros(1, np.int64), np.zeros((0, 6)), np.zeros((0, 4)), np.zeros((0, 6))
            )
        pairs = self.pieces.bonds.pairs
        alive = (~self.broken & moves[pairs].any(axis=1))[self.order]
        self.chosen = self.order[alive]
        starts = np.concatenate([[0], np.cumsum(alive)])[self.bounds].astype(np.int64)
        return Joints(
            np.ascontiguousarray(pairs[self.chosen]), starts, self.arms[self.chosen],
            self.rotation[self.chosen], self.pulls[self.chosen],
        )  # fmt: skip

    def broken_by(self, joints: Joints, weakness: Reals, free: NDArray[np.bool_], gravity: float) -> NDArray[np.int32]:
        """Break joints that carry too much, and mend those whose pieces are both held. Returns the pieces of broken ones."""
        if not self.used:
            return np.zeros(0, np.int32)
        pairs, areas = self.pieces.bonds.pairs, self.pieces.bonds.areas
        self.pulls[:] = 0.0
        self.pulls[self.chosen] = joints.pulls
        load = _loads(joints.pulls / self.second, areas[self.chosen], gravity)
        weak = np.maximum(weakness[joints.pairs[:, 0]], weakness[joints.pairs[:, 1]])
        torn = load > np.where(weak >= 1.0, -1.0, self.laws.holds * (1.0 - weak))
        torn &= free[joints.pairs].any(axis=1)
        self.broken[self.chosen[torn]] = True
        self.broken &= free[pairs].any(axis=1)
        return np.unique(joints.pairs[torn])


def loads_of(pieces: RigidPieces, motion: Motion, gravity: float) -> Floats:
    """The largest load of each piece's joints, in scene units of itself, float32 (k,). gravity: scene units a second squared."""
    loads = np.zeros(len(pieces.hull))
    if len(motion.broken):
        load = np.where(motion.broken, 0.0, _loads(motion.pulls, pieces.bonds.areas, gravity or EARTH))
        for side in range(2):
            np.maximum.at(loads, pieces.bonds.pairs[:, side], load)
    return loads.astype(np.float32)


def _loads(forces: NDArray[Any], areas: Reals, gravity: float) -> NDArray[Any]:
    """The length of the pieces themselves that joints carry, scene units, (j,). forces: (j, 6), forces and moments.

    A joint carries its force over its area, and its moment over the section modulus of a square bar of this area (0.2 times its
    power 1.5).
    """
    pull = np.linalg.norm(forces[:, :3], axis=1) / areas
    bend = np.linalg.norm(forces[:, 3:], axis=1) / (0.2 * areas**1.5)
    return np.asarray((pull + bend) / (DENSITY * gravity))
