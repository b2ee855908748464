"""Joints: a chain of joints in the shape, posed by turning them."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Meta
from numpy.typing import NDArray

from estompe.document.scene import Identifier, Name
from estompe.geometry import Geometry
from estompe.geometry.carrying import Carries
from estompe.geometry.transforms import inverse, rotation_matrix
from estompe.kernels.polyline import nearest_on_polyline
from estompe.kernels.skin import Bones, skinned
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import Effect, PosedJoint
from estompe.kinds.numbers import Number, Triple, plain, plain_triple
from estompe.kinds.part import Part
from estompe.kinds.registry import register
from estompe.kinds.settings import setting

Vector = NDArray[np.float64]


class Joint(Part):
    """A joint of a chain. position: in local space, at rest."""

    id: Identifier
    name: Name
    position: Annotated[Triple, setting("Position", "At rest, in local space.", unit="length")]
    rotation: Annotated[
        Triple, setting("Rotation", "The rotation about X, then Y, then Z, degrees.", unit="degrees", step=1.0)
    ] = (
        0.0,
        0.0,
        0.0,
    )


def straight_chain(low: tuple[float, float, float], high: tuple[float, float, float], count: int) -> tuple[Joint, ...]:
    """Joints evenly from one position to another."""
    fractions = np.linspace(0.0, 1.0, count)
    positions = np.outer(1.0 - fractions, low) + np.outer(fractions, high)
    names = ["Root", *(f"Joint {i}" for i in range(1, count - 1)), "Tip"]
    return tuple(
        Joint(f"joint-{i + 1}", names[i], (round(float(x), 4), round(float(y), 4), round(float(z), 4)))
        for i, (x, y, z) in enumerate(positions)
    )


@register
class Joints(Effect, tag="joints"):
    """Each point follows the bones near it, as far as its strength says; bends keep their width."""

    joints_setting: ClassVar[str] = "joints"
    carries: ClassVar[Carries] = "rotation"
    label: ClassVar[str] = "Joints"
    text: ClassVar[str] = "A chain of joints with smooth influence; rotate a joint and what hangs on it follows."
    words: ClassVar[str] = (
        "skeleton, bones, rig, armature, skin, chain, forward kinematics, tentacle, arm, bend chain, parent, "
        "ik, feather"
    )

    joints: Annotated[
        tuple[Joint, ...],
        setting("Joints", "The joints of the chain, from the root to the tip.", editor="joints"),
        Meta(max_length=64),
    ] = straight_chain((0.0, 0.0, 0.0), (0.0, 1.0, 0.0), 3)
    softness: Annotated[
        Number,
        setting(
            "Softness",
            "The range around a joint in which both bones act: more bends more softly.",
            unit="length",
            low=1e-3,
            high=1e5,
        ),
    ] = 0.15

    def is_identity(self) -> bool:
        return len(self.joints) >= 2 and not any(any(plain_triple(joint.rotation)) for joint in self.joints)

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        if len(self.joints) < 2:
            raise CannotEvaluateError("the chain has fewer than two joints, so it moves nothing: add joints")
        bones = Bones(*self._bones(), *self._quaternions())
        to_local, to_world = inverse(context.shape_matrix), context.shape_matrix
        radius = plain(self.softness)
        return geometry.moved(skinned(geometry.points, geometry.rest, bones, radius, to_local, to_world, strength))

    def posed(self) -> tuple[PosedJoint, ...]:
        rotation, shift = np.eye(3), np.zeros(3)
        found = []
        for joint in self.joints:
            position = np.array(plain_triple(joint.position))
            found.append(PosedJoint(joint.id, rotation @ position + shift, rotation))
            own = rotation_matrix(plain_triple(joint.rotation))
            shift, rotation = rotation @ (position - own @ position) + shift, rotation @ own
        return tuple(found)

    def bend_at(self, rest: Floats, index: int) -> Floats:
        """How many degrees a joint is turned, at the joint, dying out along both bones, float32 (n,). rest: float32 (n, 3)."""
        if index >= len(self.joints):
            raise CannotEvaluateError(f"the chain has only {len(self.joints)} joints: choose one of them")
        positions = np.array([plain_triple(joint.position) for joint in self.joints])
        turned = rotation_matrix(plain_triple(self.joints[index].rotation))
        degrees = float(np.degrees(np.arccos(np.clip((np.trace(turned) - 1.0) / 2.0, -1.0, 1.0))))
        lengths = np.linalg.norm(np.diff(positions, axis=0), axis=1)
        length = float(lengths[max(0, index - 1) : index + 1].mean())
        # Along the chain, so that a thick limb is reached as well as a thin one.
        along = nearest_on_polyline(rest, positions.astype(np.float32))[1] * np.float32(lengths.sum())
        away = np.abs(along - np.float32(lengths[:index].sum())) / np.float32(max(length, 1e-9))
        fraction = np.maximum(np.float32(1.0) - away, np.float32(0.0))
        return np.asarray(fraction * fraction * (3.0 - 2.0 * fraction) * degrees, np.float32)

    def _bones(self) -> tuple[Floats, Floats]:
        """Where each joint's bone begins and ends at rest; the last joint only ends one."""
        positions = np.array([plain_triple(joint.position) for joint in self.joints], np.float32)
        return positions[:-1], positions[1:]

    def _quaternions(self) -> tuple[Floats, Floats]:
        """The motion of each bone as a dual quaternion: real and dual part, float32 (bones, 4)."""
        rotation, shift = np.eye(3), np.zeros(3)
        real, dual = [], []
        for joint in self.joints[:-1]:
            position = np.array(plain_triple(joint.position))
            own = rotation_matrix(plain_triple(joint.rotation))
            # About the joint's position, carried along by all joints before it.
            shift = rotation @ (position - own @ position) + shift
            rotation = rotation @ own
            quaternion = _quaternion(rotation)
            real.append(quaternion)
            dual.append(0.5 * _product(np.array([0.0, *shift]), quaternion))
        return np.array(real, np.float32), np.array(dual, np.float32)


def _quaternion(matrix: Vector) -> Vector:
    """A rotation as a unit quaternion, w first (Shepperd, 1978, doi:10.2514/3.55767b)."""
    trace = np.trace(matrix)
    squares = np.array([trace, *np.diag(matrix)])
    k = int(np.argmax(squares))
    if k == 0:
        w = np.array([1 + trace, matrix[2, 1] - matrix[1, 2], matrix[0, 2] - matrix[2, 0], matrix[1, 0] - matrix[0, 1]])
    else:
        i, j, m = k - 1, k % 3, (k + 1) % 3
        w = np.empty(4)
        w[0] = matrix[m, j] - matrix[j, m]
        w[1 + i] = 1 + 2 * matrix[i, i] - trace
        w[1 + j] = matrix[j, i] + matrix[i, j]
        w[1 + m] = matrix[m, i] + matrix[i, m]
    return np.asarray(w / np.linalg.norm(w))


def _product(a: Vector, b: Vector) -> Vector:
    w = a[0] * b[0] - a[1:] @ b[1:]
    return np.array([w, *(a[0] * b[1:] + b[0] * a[1:] + np.cross(a[1:], b[1:]))])
