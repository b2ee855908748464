"""Kernels against peer libraries."""

from collections.abc import Iterator

import igl
import numpy as np
from pyfastnoiselite.pyfastnoiselite import FastNoiseLite, FractalType, NoiseType
from tests.kernels.test_noise import _reference as noise_reference

from bench.figures import Figure, in_turn
from estompe.document.scene import RampPoint
from estompe.falloffs.ramp import pieces
from estompe.kernels import displace, distance, noise, ramp
from estompe.shapes import primitives

_MILLION = 1_000_000


def figures() -> Iterator[Figure]:
    """All of them."""
    points = np.random.default_rng(1).uniform(-2, 2, (_MILLION, 3)).astype(np.float32)
    yield _push(points)
    yield from _noise(points)
    yield _normals()


def _push(points: np.ndarray) -> Figure:
    directions = points / np.linalg.norm(points, axis=1, keepdims=True)
    matrix = np.eye(4, dtype=np.float32)[:3]
    knots, cubics = pieces((RampPoint(0.0, 1.0), RampPoint(1.0, 0.0)))

    def ours() -> object:
        values = distance.distance(points, matrix, distance.Form.SPHERE)
        strength = ramp.remap(values, 0.2, 1.5, knots, cubics, True)
        return displace.displace_along(points, directions, strength, 0.1)

    # Points and normals are read and new points written: 36 bytes a point, as a copy of 18 bytes a point moves.
    block = np.ones(_MILLION * 18 // 4, np.float32)
    mine, copy = in_turn(ours, block.copy, 61)
    return Figure("distance + ramp + push, 1M points, to a memory copy", mine, copy, 1.6, "within")


def _noise(points: np.ndarray) -> Iterator[Figure]:
    peer = FastNoiseLite(1)
    peer.noise_type = NoiseType.NoiseType_Perlin
    peer.fractal_type = FractalType.FractalType_FBm
    peer.fractal_octaves = 4
    peer.frequency = 1.0
    coordinates = np.ascontiguousarray(points.T)
    for name, time, bar in (("3-D", None, 6.0), ("3-D plus time", 0.4, 3.5)):
        mine, theirs = in_turn(
            lambda time=time: noise.gradient_noise(points, 1.0, 4, 0.5, 1.0, 1, time),
            lambda: peer.gen_from_coords(coordinates),
        )
        yield Figure(f"gradient noise {name}, 4 octaves, 1M points, to pyfastnoiselite", mine, theirs, bar, "at least")
    some = points[:20_000]
    for name, time in (("3-D", None), ("3-D plus time", 0.4)):
        found = noise.gradient_noise(some, 1.0, 4, 0.5, 1.0, 1, time)
        off = float(np.abs(found - noise_reference(some, 1.0, 4, 0.5, 1.0, 1, time)).max())
        yield Figure(f"gradient noise {name}, largest difference from float64", off, 1e-5, 1.0, "within", "")


def _normals() -> Figure:
    sphere = primitives.sphere(1.0, 130)
    triangles = np.ascontiguousarray(sphere.topology.triangles)
    mesh = sphere.from_faces(sphere.points, triangles.reshape(-1), np.arange(0, triangles.size + 1, 3))
    points, faces = mesh.points.astype(np.float64), triangles.astype(np.int64)
    mesh.topology.point_normals(mesh.points)
    mine, theirs = in_turn(
        lambda: mesh.topology.point_normals(mesh.points),
        lambda: igl.per_vertex_normals(points, faces),
    )
    return Figure(f"vertex normals, {len(triangles):,} triangles, to libigl", mine, theirs, 5.0, "at least")
