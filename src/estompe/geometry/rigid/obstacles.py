"""What rigid bodies meet besides each other: controls, the ground, and the surfaces of shapes."""

from collections.abc import Callable
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.geometry import Geometry
from estompe.geometry.rigid import rotations
from estompe.geometry.rigid.bodies import Poses
from estompe.geometry.rigid.hulls import Solids, solids_of
from estompe.geometry.transforms import Matrix, inverse
from estompe.kernels.rigid.arrays import Form
from estompe.kernels.surface import Nearest, feet, nearest_on_surface
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats

Reals = NDArray[np.float64]
SignedDistance = Callable[[Floats, Geometry, Nearest], Floats]
_SIDES, _RINGS = 24, 7


class Obstacle(NamedTuple):
    """A control or the ground as a body that nothing moves. radius: of a ball; solid: of a hull."""

    form: Form
    position: Reals
    rotation: Reals
    radius: float = 0.0
    solid: Solids | None = None


class Surface(NamedTuple):
    """A shape that is met. mesh: as it is now; before, now: its matrices; signed: gives distances, negative inside."""

    mesh: Geometry
    before: Matrix
    now: Matrix
    signed: SignedDistance


def rigid_part(matrix: Matrix) -> tuple[Reals, Reals, Reals]:
    """The position, the unit quaternion and the three scales of a matrix; the first scale of a mirrored one is negative."""
    linear = matrix[:, :3]
    scales = np.maximum(np.linalg.norm(linear, axis=0), 1e-12)
    turn = linear / scales
    if np.linalg.det(turn) < 0.0:
        turn[:, 0] *= -1.0
        scales[0] *= -1.0
    left, _, right = np.linalg.svd(turn)
    return matrix[:, 3].copy(), rotations.quaternions((left @ right)[None])[0], scales


def level_ground(height: float) -> Obstacle:
    """All that lies under a height."""
    return Obstacle(Form.PLANE, np.array([0.0, height, 0.0]), np.array([1.0, 0.0, 0.0, 0.0]))


def control_as_obstacles(form: str, matrix: Matrix, points: Floats, radius: float) -> list[Obstacle]:
    """A control as bodies: the places nearer than a radius to it, in its own units; all that lies under a plane.

    Parameters
    ----------
    form : str
        As scenes name the forms of controls.
    matrix : float64 (3, 4)
        Its local space to world.
    points : float32 (k, 3)
        A path's, in local space.
    radius : float
        In its own units.
    """
    position, rotation, scales = rigid_part(matrix)
    sizes = tuple(float(scale) for scale in scales)
    if form == "plane":
        return [Obstacle(Form.PLANE, position, rotation)]
    even = max(map(abs, sizes)) - min(map(abs, sizes)) < 1e-4 * max(map(abs, sizes))
    if form in ("sphere", "wind") and even:
        return [Obstacle(Form.BALL, position, rotation, radius * abs(sizes[0]))]
    if form == "path":
        ends = zip(points[:-1].tolist(), points[1:].tolist(), strict=True)
        solids = [_rod(tuple(one), tuple(other), radius, sizes) for one, other in ends]
    else:
        solids = [_solid(form, radius, sizes)]
    turn = rotations.matrices(rotation[None])[0]
    return [Obstacle(Form.HULL, position + turn @ solid.centre[0], rotation, 0.0, solid) for solid in solids]


@lru_cache(maxsize=64)
def _solid(form: str, radius: float, sizes: tuple[float, ...]) -> Solids:
    """The hull of a sphere, a box or a cylinder as it is scaled."""
    if form == "box":
        corners = np.stack(np.meshgrid(*[[-1.0, 1.0]] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    elif form == "cylinder":
        around = np.arange(_SIDES) * (2.0 * np.pi / _SIDES)
        ring = np.stack([np.cos(around), np.ones(_SIDES), np.sin(around)], axis=1)
        corners = np.concatenate([ring, ring * (1.0, -1.0, 1.0)])
    else:
        corners = _globe(8)
    return solids_of([corners * radius * np.array(sizes)])


@lru_cache(maxsize=512)
def _rod(one: tuple[float, ...], other: tuple[float, ...], radius: float, sizes: tuple[float, ...]) -> Solids:
    """The hull of the places near a segment of a path."""
    ball = _globe(6) * radius
    return solids_of([np.concatenate([ball + one, ball + other]) * np.array(sizes)])


def _globe(around: int) -> Reals:
    """Points on the unit sphere, in rings."""
    heights = np.cos(np.linspace(0.0, np.pi, _RINGS))[1:-1]
    turn = np.arange(around) * (2.0 * np.pi / around)
    rings = [
        np.stack([np.sqrt(1 - y * y) * np.cos(turn), np.full(around, y), np.sqrt(1 - y * y) * np.sin(turn)], axis=1)
        for y in heights
    ]
    return np.concatenate([[(0.0, 1.0, 0.0), (0.0, -1.0, 0.0)], *rings])


def moved_between(surface: Surface, share: float) -> tuple[Poses, Matrix]:
    """The pose of a surface a share of the way from the frame before to this one, and what leads from the shape now to then."""
    first, second = rigid_part(surface.before), rigid_part(surface.now)
    position = first[0] + share * (second[0] - first[0])
    rotation = rotations.between(first[1][None], second[1][None], share)
    turn, now = rotations.matrices(rotation)[0], rotations.matrices(second[1][None])[0]
    linear = turn @ now.T
    return Poses(position[None], rotation), np.column_stack([linear, position - linear @ second[0]])


def near_surface(surface: Surface, places: Reals, then: Matrix, most: float) -> tuple[Reals, Reals]:
    """How far places in the world lie from a surface as it is at a moment, and the unit vectors out of it there.

    Parameters
    ----------
    surface : Surface
    places : float64 (n, 3)
    then : float64 (3, 4)
        What leads from the shape now to that moment.
    most : float
        Beyond this, outside, distances are as large as that.

    Returns
    -------
    distances, outwards : float64 (n,), float64 (n, 3)
    """
    mesh = surface.mesh
    here = transformed(np.ascontiguousarray(places, np.float32), inverse(then))
    nearest = nearest_on_surface(here, mesh.tree, most=most, within=np.inf)
    distance = surface.signed(here, mesh, nearest).astype(np.float64)
    way = (here - feet(here, mesh.points, mesh.topology.triangles, nearest)).astype(np.float64)
    length = np.linalg.norm(way, axis=1)
    corners = mesh.points[mesh.topology.triangles[np.maximum(nearest.triangle, 0)]].astype(np.float64)
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    across /= np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-30)
    sign = np.where(distance < 0.0, -1.0, 1.0)[:, None]
    clear = (length > 1e-5 * max(most, 1e-9))[:, None]
    outwards = np.where(clear, sign * way / np.maximum(length, 1e-30)[:, None], across)
    return distance, outwards @ then[:, :3].T
