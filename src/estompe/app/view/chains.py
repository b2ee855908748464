"""Where the joints of a shape's chains are, as posed, in the world."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from estompe.document.edits import Path
from estompe.document.scene import Shape
from estompe.effects.joints import Joints
from estompe.evaluate.asking import matrix_of

Vector = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Chain:
    """The path of a chain's joints, and by joint its place in the world, (3,), and the turn it hangs in, (3, 3)."""

    path: Path
    joints: dict[str, tuple[Vector, Vector]]


def chains_of(shape: Shape) -> list[Chain]:
    """The chains of a resolved shape's enabled effects."""
    placement = shape.placement
    matrix = matrix_of(placement)
    turn = matrix[:, :3] / np.maximum(np.linalg.norm(matrix[:, :3], axis=0), 1e-12)
    found = []
    for effect in shape.effects:
        if effect.enabled and isinstance(effect.settings, Joints):
            posed = zip(effect.settings.joints, effect.settings.posed(), strict=True)
            joints = {
                joint.id: (matrix[:, :3] @ place + matrix[:, 3], turn @ within) for joint, (place, within) in posed
            }
            found.append(Chain(("shapes", shape.id, "effects", effect.id, "settings", "joints"), joints))
    return found
