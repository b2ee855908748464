"""Where the joints of a shape's chains are, as posed, in the world."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from estompe.document.edits import ScenePath
from estompe.document.scene import Shape
from estompe.document.transforms import matrix_of

Vector = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Chain:
    """The path of a chain's joints, and by joint its position in world space, (3,), and the rotation it inherits, (3, 3)."""

    path: ScenePath
    joints: dict[str, tuple[Vector, Vector]]


def chains_of(shape: Shape) -> list[Chain]:
    """The chains of a resolved shape's enabled effects."""
    matrix = matrix_of(shape.transform)
    rotation = matrix[:, :3] / np.maximum(np.linalg.norm(matrix[:, :3], axis=0), 1e-12)
    found = []
    for slot in shape.effects:
        if slot.enabled and slot.effect.joints_setting:
            joints = {
                joint.id: (matrix[:, :3] @ joint.position + matrix[:, 3], rotation @ joint.rotation)
                for joint in slot.effect.posed()
            }
            path = ("shapes", shape.id, "effects", slot.id, "effect", slot.effect.joints_setting)
            found.append(Chain(path, joints))
    return found
