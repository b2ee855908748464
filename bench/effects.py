"""Every registered effect on a million points, as evaluation applies it, against a memory copy of what a deformer must move."""

from collections.abc import Iterator

import numpy as np
from msgspec import structs

from bench.figures import Figure, in_turn
from estompe.document import edits
from estompe.document.scene import Scene
from estompe.effects.joints import straight_chain
from estompe.effects.poses import Pose
from estompe.geometry import DOMAINS, Domain, Geometry, frozen
from estompe.geometry.transforms import transform_matrix
from estompe.kinds.context import Eye, Placed
from estompe.kinds.kind import Effect
from estompe.kinds.registry import kinds
from estompe.setups.adding import add_control, add_effect, add_shape
from estompe.shapes.lathe import Lathe

_MESH = Lathe(around=1000, along=1000)
# They ask faces or neighbours, not only each point: no bar was set for them.
_LOOK_AROUND = {"hide", "open-out", "press", "scatter-apart", "separate", "shell", "smooth", "spikes", "subdivide"}


class _Moment:
    """A moment as effects see it."""

    clock = 0.4
    domain = Domain.POINT
    shape_color = (0.8, 0.7, 0.6)
    shape_matrix = transform_matrix((0, 0, 0), (0, 0, 0), (1, 1, 1))

    def __init__(self, mesh: Geometry) -> None:
        self._places = frozen(mesh.rest * np.float32(1.1))

    def control(self, _name: str) -> Placed:
        return Placed("sphere", transform_matrix((0.3, 0.5, 0), (0, 0, 0), (1, 1, 1)), np.zeros((0, 3), np.float32))

    def camera(self) -> Eye:
        return Eye(np.array([0.0, 0.0, 5.0]), np.zeros(3), 32.0)

    def array(self, _asset: str) -> np.ndarray:
        return self._places


def figures() -> Iterator[Figure]:
    """All of them."""
    mesh = _MESH.build({})
    mesh.normals  # noqa: B018
    count = len(mesh.points)
    strength = frozen(np.random.default_rng(1).uniform(0, 1, count).astype(np.float32))
    moment = _Moment(mesh)
    # Points and strength are read and points written, 28 bytes a point, as a copy of 14 bytes a point moves.
    block = np.ones(count * 14 // 4, np.float32)
    for tag in kinds(Effect):
        if tag in ("fracture", "cloth") or kinds(Effect)[tag].asks_places:
            continue  # these are timed by themselves
        effect = _with_something_to_do(tag)
        moment.domain = DOMAINS[effect.able()[0]]
        own = strength if moment.domain is Domain.POINT else frozen(strength[: mesh.count(moment.domain)].copy())
        mine, copy = in_turn(lambda effect=effect, own=own: effect.apply(mesh, own, moment), block.copy, 9)
        around = tag in _LOOK_AROUND
        kind = "told" if around else "within"
        name = f"{tag}, 1M points ({count / mine / 1000:.0f} M/s)" + ("" if around else ", to a memory copy")
        yield Figure(name, mine, copy, 4.0, kind)


def _with_something_to_do(tag: str):  # type: ignore[no-untyped-def]
    """The effect as it is added to a scene, with a pose to blend or joints that are turned."""
    scene, _ = add_control(Scene())
    scene, shape = add_shape(scene, "Shape", _MESH)
    scene, made = add_effect(scene, shape, tag, None)
    effect = edits.get(scene, ("shapes", shape, "effects", made, "effect"))
    if tag == "poses":
        return structs.replace(effect, poses=(Pose("a", "A", "0" * 64, 0.5),))
    if tag == "joints":
        turned = (
            structs.replace(joint, rotation=(0.0, 0.0, 20.0)) for joint in straight_chain((0, 0, 0), (0, 1, 0), 4)
        )
        return structs.replace(effect, joints=tuple(turned))
    return effect
