"""Sources and deformers: each against a peer library or a memory copy of the bytes it must move."""

from collections.abc import Iterator

import igl
import numpy as np
from pyfastnoiselite.pyfastnoiselite import CellularReturnType, FastNoiseLite, FractalType, NoiseType
from scipy.sparse import csr_matrix

from bench.figures import Figure, in_turn
from estompe.geometry import Geometry, frozen
from estompe.kernels import skin, smooth
from estompe.kernels.patterns import Pattern, pattern_noise
from estompe.kernels.polyline import nearest_on_polyline
from estompe.kernels.surface import nearest_on_surface, tree_of, triangle_order
from estompe.shapes import primitives

_MILLION = 1_000_000


def figures() -> Iterator[Figure]:
    """All of them."""
    rng = np.random.default_rng(1)
    points = frozen(rng.uniform(-2, 2, (_MILLION, 3)).astype(np.float32))
    yield from _noise(points)
    yield _surface(points[:100_000].copy())
    yield _polyline(points)
    sphere = primitives.sphere(1.0, 204)
    yield _smoothing(sphere)
    yield _skinning(sphere)
    yield from _memory(sphere)


def _noise(points: np.ndarray) -> Iterator[Figure]:
    coordinates = np.ascontiguousarray(points.T)
    kinds = (
        ("value", Pattern.VALUE, NoiseType.NoiseType_Value, 4, 1.0),
        ("simplex", Pattern.SIMPLEX, NoiseType.NoiseType_OpenSimplex2, 4, 1.0),
        ("cellular, second minus nearest", Pattern.DIFFERENCE, NoiseType.NoiseType_Cellular, 1, 4.5),
    )
    for name, pattern, kind, octaves, bar in kinds:
        peer = FastNoiseLite(1)
        peer.noise_type, peer.frequency = kind, 1.0
        peer.cellular_return_type = CellularReturnType.CellularReturnType_Distance2Sub
        if octaves > 1:
            peer.fractal_type, peer.fractal_octaves = FractalType.FractalType_FBm, octaves
        mine, theirs = in_turn(
            lambda pattern=pattern, octaves=octaves: pattern_noise(points, pattern, 1.0, octaves, 0.5, 1),
            lambda peer=peer: peer.gen_from_coords(coordinates),
            7,
        )
        yield Figure(f"{name} noise, {octaves} octaves, 1M points, to pyfastnoiselite", mine, theirs, bar, "at least")
    mine, _ = in_turn(lambda: pattern_noise(points, Pattern.SPARSE, 1.0, 1, 0.5, 1), lambda: None, 5)
    yield Figure("sparse convolution noise, 1 octave, 1M points (the peer has none)", mine, 0, 0, "told")


def _surface(points: np.ndarray) -> Figure:
    sphere = primitives.sphere(1.0, 65)
    triangles = np.ascontiguousarray(sphere.topology.triangles)
    tree = tree_of(sphere.points, triangles, triangle_order(sphere.points, triangles))
    doubles, mesh, faces = points.astype(np.float64), sphere.points.astype(np.float64), triangles.astype(np.int64)
    peer_tree = igl.AABB()
    peer_tree.init(mesh, faces)
    mine, theirs = in_turn(
        lambda: nearest_on_surface(points, tree),
        lambda: peer_tree.squared_distance(mesh, faces, doubles),
        7,
    )
    name = f"nearest point on {len(triangles):,} triangles, 100k points, tree built, to libigl"
    return Figure(name, mine, theirs, 2.0, "at least")


def _polyline(points: np.ndarray) -> Figure:
    line = np.cumsum(np.random.default_rng(3).normal(0, 0.1, (201, 3)), axis=0).astype(np.float32)
    some = frozen(points[:100_000].copy())
    mesh = line.astype(np.float64)
    edges = np.stack([np.arange(200), np.arange(1, 201)], axis=1).astype(np.int64)
    doubles = some.astype(np.float64)
    mine, theirs = in_turn(
        lambda: nearest_on_polyline(some, line), lambda: igl.point_mesh_squared_distance(doubles, mesh, edges), 7
    )
    return Figure("nearest on a polyline of 200 segments, 100k points, to libigl", mine, theirs, 7.0, "at least")


def _smoothing(sphere: Geometry) -> Figure:
    starts, members = sphere.topology.neighbours
    n = len(sphere.points)
    sums = csr_matrix((np.ones(len(members), np.float32), members, starts), (n, n))
    over = (1.0 / np.diff(starts)).astype(np.float32)[:, None]
    weight = frozen(np.ones(n, np.float32))
    points = sphere.points

    def peer() -> object:
        return points + np.float32(0.5) * ((sums @ points) * over - points)

    mine, theirs = in_turn(lambda: smooth.towards_neighbours(points, starts, members, weight, 0.5), peer)
    return Figure(f"one round of smoothing, {n:,} points, to a scipy product", mine, theirs, 1.0, "at least")


def _skinning(sphere: Geometry) -> Figure:
    begins = np.array([[0, k / 4 - 0.5, 0] for k in range(4)], np.float32)
    ends = begins + np.array([0, 0.25, 0], np.float32)
    real = np.tile(np.array([[1, 0, 0, 0]], np.float32), (4, 1))
    bones = skin.Bones(begins, ends, real, np.zeros((4, 4), np.float32))
    same, strength = np.eye(4)[:3], frozen(np.ones(len(sphere.points), np.float32))
    points = sphere.points

    def peer() -> object:
        steps = ends - begins
        apart = points[:, None] - begins
        along = np.clip((apart * steps).sum(2) / (steps * steps).sum(1), 0, 1)
        away = np.linalg.norm(apart - along[..., None] * steps, axis=2)
        t = np.maximum(1 - (away - away.min(axis=1, keepdims=True)) / np.float32(0.2), 0)
        weights = t * t * (3 - 2 * t)
        weights /= weights.sum(axis=1, keepdims=True)
        q, d = weights @ bones.real, weights @ bones.dual
        over = 1.0 / np.linalg.norm(q, axis=1, keepdims=True)
        q, d = q * over, d * over
        w, v, dw, dv = q[:, :1], q[:, 1:], d[:, :1], d[:, 1:]
        turned = points + 2 * np.cross(v, np.cross(v, points) + w * points)
        return turned + 2 * (w * dv - dw * v + np.cross(v, dv))

    mine, theirs = in_turn(lambda: skin.skinned(points, points, bones, 0.2, same, same, strength), peer)
    return Figure(
        f"skinning by 4 bones, influence found, {len(points):,} points, to NumPy", mine, theirs, 1.0, "at least"
    )


def _memory(sphere: Geometry) -> Iterator[Figure]:
    sphere.normals  # noqa: B018
    yield Figure(
        "memory of a deformed state, a point (places and normals)",
        sphere.nbytes / len(sphere.points),
        0,
        0,
        "told",
        "B",
    )
    whole = sphere.nbytes + sum(array.nbytes for array in sphere.attributes.values())
    whole += sphere.topology.corners.nbytes + sphere.topology.offsets.nbytes
    yield Figure("memory of a mesh with its topology and UVs, a point", whole / len(sphere.points), 0, 0, "told", "B")
