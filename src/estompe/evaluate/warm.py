"""Compiling every kernel once, so that the first drag is not the one that waits."""

import time
from collections.abc import Callable

import numpy as np

from estompe.geometry.primitives import grid
from estompe.kernels import PARALLEL_FROM, displace, distance, noise, obj_text, ramp
from estompe.kernels.types import Floats

_NOTICEABLE = 0.5


def warm_up(tell: Callable[[float, str], None] = lambda _share, _name: None) -> float:
    """Compile what is not in the cache on disk yet. Returns the seconds it took.

    tell: called with a share and a kernel's name once it takes noticeable time.
    """
    began = time.perf_counter()
    steps = _steps()
    for number, (name, step) in enumerate(steps):
        if time.perf_counter() - began > _NOTICEABLE:
            tell(number / len(steps), name)
        step()
    took = time.perf_counter() - began
    if took > _NOTICEABLE:
        tell(1.0, "everything")
    return took


def _steps() -> list[tuple[str, Callable[[], object]]]:
    """Each kernel on few and on many points, with read-only arrays as evaluation passes them."""
    steps: list[tuple[str, Callable[[], object]]] = []
    mesh = grid(1.0, 1.0, 2, 2)
    steps.append(("normals", lambda: mesh.normals))
    large = grid(1.0, 1.0, 130, 130)
    steps.append(("normals of large meshes", lambda: large.normals))
    steps.append(("triangles", lambda: mesh.topology.triangles))
    for points in (_frozen(np.zeros((8, 3), np.float32)), _frozen(np.zeros((PARALLEL_FROM, 3), np.float32))):
        steps += _point_steps(points)
    steps.append(("reading", _read_obj))
    return steps


def _point_steps(points: Floats) -> list[tuple[str, Callable[[], object]]]:
    values = _frozen(np.zeros(len(points), np.float32))
    matrix = np.eye(4, dtype=np.float32)[:3]
    knots, cubics = np.zeros(1, np.float32), np.zeros((1, 4), np.float32)
    return [
        ("distance", lambda: distance.distance(points, matrix, distance.Form.BALL)),
        ("ramp", lambda: ramp.remap(values, 0.0, 1.0, knots, cubics, True)),
        ("push", lambda: displace.displace_along(points, points, values, 1.0)),
        ("move", lambda: displace.displace_by(points, values, np.zeros(3, np.float32))),
        ("noise", lambda: noise.gradient_noise(points, 1.0, 1, 0.5, 1.0, 1)),
        ("noise in time", lambda: noise.gradient_noise(points, 1.0, 1, 0.5, 1.0, 1, 0.0)),
    ]


def _read_obj() -> None:
    text = np.frombuffer(b"v 0 0 0\nvt 0 0\nf 1 1 1\n", np.uint8)
    state = np.zeros(obj_text.STATE_SIZE, np.int64)
    obj_text.count(text, 0, len(text), state)


def _frozen(array: Floats) -> Floats:
    array.setflags(write=False)
    return array
