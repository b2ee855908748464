"""What points of moving things meet: a control or a closed shape, on its way from one moment to the next."""

from typing import Annotated, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.falloffs.touching import by_control, by_shape
from estompe.kernels.types import Floats
from estompe.kinds.context import Context, Placed
from estompe.kinds.numbers import Number
from estompe.kinds.settings import setting

BodyRadius = Annotated[
    Number,
    setting(
        "Radius",
        "The radius of the control's body, in its own units: more makes it larger.",
        unit="length",
        low=1e-4,
        high=1e6,
    ),
]
"""The setting `radius`, for effects that collide with a control."""


class Obstacles(NamedTuple):
    """What is in the way: a control by id and the radius of its body in its own units, a closed shape by id, and how far things
    keep from both, scene units."""

    control: str | None
    radius: float
    shape: str | None
    thickness: float


class Moment(NamedTuple):
    """A moment between two that were seen: what was asked before and now, the share of the way, and how long that is, seconds."""

    before: Context
    now: Context
    part: float
    seconds: float


class Body(NamedTuple):
    """Something that points meet: how deep they lie in it, where they would be outside, and how it moves there, a second."""

    depth: Floats
    onto: Floats
    velocity: Floats

    def at(self, chosen: NDArray[np.int64]) -> "Body":
        """The same for some of the points."""
        return Body(self.depth[chosen], self.onto[chosen], self.velocity[chosen])


def bodies_met(obstacles: Obstacles, places: Floats, moment: Moment) -> list[Body]:
    """What places meet at a moment. Raises CannotEvaluateError for an open shape."""
    found = []
    if obstacles.control is not None:
        one, other = moment.before.control(obstacles.control), moment.now.control(obstacles.control)
        moved = other.matrix - one.matrix
        between = Placed(other.form, one.matrix + moved * moment.part, other.points)
        depth, onto = by_control(places, between, obstacles.radius)
        own = onto.astype(np.float64) @ between.to_local[:, :3].T + between.to_local[:, 3]
        way = own @ moved[:, :3].T + moved[:, 3]
        found.append(Body(depth, onto, (way / moment.seconds).astype(np.float32)))
    if obstacles.shape is not None:
        one_mesh, other_mesh = moment.before.shape(obstacles.shape), moment.now.shape(obstacles.shape)
        same = len(one_mesh.points) == len(other_mesh.points)
        steps = other_mesh.points - one_mesh.points if same else np.zeros_like(other_mesh.points)
        mesh = other_mesh.moved(other_mesh.points - steps * np.float32(1.0 - moment.part))
        depth, onto = by_shape(places, mesh, max(obstacles.thickness, 1e-6))
        speed = steps.mean(axis=0) / np.float32(moment.seconds) if len(steps) else np.zeros(3, np.float32)
        found.append(Body(depth, onto, np.tile(speed, (len(places), 1))))
    return found


def pushed_out(
    places: Floats,
    start: Floats,
    velocities: Floats,
    body: Body,
    thickness: np.float32,
    friction: float,
    seconds: float,
) -> tuple[Floats, Floats]:
    """Places brought out of a body by a thickness, and their velocities: none into it, and less along it (Coulomb)."""
    away = np.where((body.depth > 0)[:, None], body.onto - places, places - body.onto)
    lengths = np.linalg.norm(away, axis=1, keepdims=True)
    normals = np.where(lengths > 1e-9, away / np.maximum(lengths, 1e-12), np.array([[0.0, 1.0, 0.0]], np.float32))
    moved = body.onto + normals * thickness
    relative = velocities - body.velocity
    into = np.einsum("ij,ij->i", relative, normals)[:, None]
    along = relative - into * normals
    speed = np.linalg.norm(along, axis=1, keepdims=True)
    stopped = np.maximum(-into, 0.0)
    kept = np.clip(1.0 - friction * stopped / np.maximum(speed, 1e-12), 0.0, 1.0)
    # What it slipped in these steps goes back by the same share, else it would creep where it should hold.
    slip = (places - start) - body.velocity * np.float32(seconds)
    slip = slip - np.einsum("ij,ij->i", slip, normals)[:, None] * normals
    moved = moved - slip * (1.0 - kept)
    changed = body.velocity + along * kept + np.maximum(into, 0.0) * normals
    return moved.astype(np.float32), changed.astype(np.float32)
