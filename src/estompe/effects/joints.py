"""Joints: a chain of joints in the shape, posed by turning them."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Meta, Struct
from numpy.typing import NDArray

from estompe.document.kinds import At, EffectSettings, MissingError, register
from estompe.document.numbers import Number, Triple, plain, plain_triple
from estompe.document.scene import Identifier, Name
from estompe.document.settings import setting
from estompe.geometry import Geometry
from estompe.geometry.placement import inverse, turn_matrix
from estompe.kernels.polyline import nearest_on_polyline
from estompe.kernels.skin import Bones, skinned
from estompe.kernels.types import Floats

Vector = NDArray[np.float64]


class Joint(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True):
    """A joint of a chain. place: in the shape's own space, at rest."""

    id: Identifier
    name: Name
    place: Annotated[Triple, setting("Place", "Where it stands at rest, in the shape's own space.", unit="length")]
    turn: Annotated[Triple, setting("Turn", "Degrees about X, then Y, then Z.", unit="degrees", step=1.0)] = (
        0.0,
        0.0,
        0.0,
    )


def chain(low: tuple[float, float, float], high: tuple[float, float, float], count: int) -> tuple[Joint, ...]:
    """Joints evenly from one place to another."""
    shares = np.linspace(0.0, 1.0, count)
    places = np.outer(1.0 - shares, low) + np.outer(shares, high)
    names = ["Root", *(f"Joint {i}" for i in range(1, count - 1)), "Tip"]
    return tuple(
        Joint(f"joint-{i + 1}", names[i], (round(float(x), 4), round(float(y), 4), round(float(z), 4)))
        for i, (x, y, z) in enumerate(places)
    )


@register
class Joints(
    Struct, EffectSettings, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="joints", tag_field="kind"
):
    """Each point follows the bones near it, as far as its strength says; bends keep their width."""

    label: ClassVar[str] = "Joints"
    text: ClassVar[str] = "A chain of joints with smooth influence; turn a joint and what hangs on it follows."

    joints: Annotated[
        tuple[Joint, ...], setting("Joints", "From the root to the tip.", refers="joints"), Meta(max_length=64)
    ] = chain((0.0, 0.0, 0.0), (0.0, 1.0, 0.0), 3)
    reach: Annotated[
        Number,
        setting("Soft over", "How far around a joint both bones move the surface.", unit="length", low=1e-3, high=1e5),
    ] = 0.15

    def apply(self, geometry: Geometry, strength: Floats, at: At) -> Geometry:
        if len(self.joints) < 2:
            raise MissingError("the chain has fewer than two joints, so it moves nothing: add joints")
        if not len(strength) or not any(any(plain_triple(joint.turn)) for joint in self.joints):
            return geometry
        bones = Bones(*self._bones(), *self._quaternions())
        into, back = inverse(at.shape_matrix), at.shape_matrix
        reach = plain(self.reach)
        return geometry.moved(skinned(geometry.points, geometry.rest, bones, reach, into, back, strength))

    def posed(self) -> list[tuple[Vector, Vector]]:
        """Where each joint stands when posed, (3,), and the turn it hangs in, (3, 3), in the shape's own space."""
        turn, shift = np.eye(3), np.zeros(3)
        found = []
        for joint in self.joints:
            place = np.array(plain_triple(joint.place))
            found.append((turn @ place + shift, turn))
            own = turn_matrix(plain_triple(joint.turn))
            shift, turn = turn @ (place - own @ place) + shift, turn @ own
        return found

    def bend_at(self, rest: Floats, index: int) -> Floats:
        """How many degrees a joint is turned, at the joint, dying out along both bones, float32 (n,). rest: float32 (n, 3)."""
        if index >= len(self.joints):
            raise MissingError(f"the chain has only {len(self.joints)} joints: choose one of them")
        places = np.array([plain_triple(joint.place) for joint in self.joints])
        turned = turn_matrix(plain_triple(self.joints[index].turn))
        degrees = float(np.degrees(np.arccos(np.clip((np.trace(turned) - 1.0) / 2.0, -1.0, 1.0))))
        lengths = np.linalg.norm(np.diff(places, axis=0), axis=1)
        reach = float(lengths[max(0, index - 1) : index + 1].mean())
        # Along the chain, so that a thick limb is reached as well as a thin one.
        along = nearest_on_polyline(rest, places.astype(np.float32))[1] * np.float32(lengths.sum())
        away = np.abs(along - np.float32(lengths[:index].sum())) / np.float32(max(reach, 1e-9))
        share = np.maximum(np.float32(1.0) - away, np.float32(0.0))
        return np.asarray(share * share * (3.0 - 2.0 * share) * degrees, np.float32)

    def _bones(self) -> tuple[Floats, Floats]:
        """Where each joint's bone begins and ends at rest; the last joint only ends one."""
        places = np.array([plain_triple(joint.place) for joint in self.joints], np.float32)
        return places[:-1], places[1:]

    def _quaternions(self) -> tuple[Floats, Floats]:
        """The motion of each bone as a dual quaternion: real and dual part, float32 (bones, 4)."""
        turn, shift = np.eye(3), np.zeros(3)
        real, dual = [], []
        for joint in self.joints[:-1]:
            place = np.array(plain_triple(joint.place))
            own = turn_matrix(plain_triple(joint.turn))
            # About the joint's place, carried along by all joints before it.
            shift = turn @ (place - own @ place) + shift
            turn = turn @ own
            quaternion = _quaternion(turn)
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
