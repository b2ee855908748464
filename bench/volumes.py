"""Volumes: each step against a peer library on the same numbers, its error beside it, and what a frame and a drag cost."""

import statistics
import time
from collections.abc import Iterator

import igl
import numpy as np
import skfmm
import trimesh
from scipy.ndimage import gaussian_filter
from skimage.measure import marching_cubes

from bench.figures import Figure, in_turn
from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, RampPoint, Range, Route, Scene, Shape, Transform
from estompe.effects.coat import Coat
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.time.past import Past
from estompe.falloffs.distance import Distance
from estompe.geometry import Domain, Geometry
from estompe.geometry.topology import Topology
from estompe.geometry.volumes.closed_quads import ClosedQuads
from estompe.geometry.volumes.solid import solid_of, surface_of
from estompe.kernels.patterns import Pattern, pattern_noise
from estompe.kernels.volumes import band, eikonal, growth
from estompe.kernels.volumes.bricks import FAR, OUTSIDE, Bricks, Lattice, lattice_around
from estompe.kernels.volumes.isosurface import surface
from estompe.kernels.volumes.voxelize import Voxelized, binned, voxelized
from estompe.shapes.sphere import Sphere


def figures() -> Iterator[Figure]:
    """All of them."""
    mesh = _blob()
    for side, bar in ((192, 8.0), (128, 5.0)):
        yield from _voxelizing(mesh, side, bar)
    volume = _voxels(mesh, 192).bricks
    yield from _surface(volume)
    for side, bar in ((192, 8.0), (128, 5.0)):
        yield _arrival(side, bar)
    yield from _arrival_errors()
    yield from _growth(volume)
    yield from _band(volume)
    yield from _coat()


def _blob() -> tuple[np.ndarray, np.ndarray]:
    """A lumpy body of 20 480 triangles."""
    ball = trimesh.creation.icosphere(5)
    x, y, z = ball.vertices.T
    lumps = 1 + 0.15 * (np.sin(5 * x + 1) * np.cos(4 * y) + 0.5 * np.sin(9 * z + x * 3))
    return (ball.vertices * lumps[:, None] * 0.5).astype(np.float32), np.ascontiguousarray(ball.faces, np.int32)


def _as_faces() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    points, triangles = _blob()
    return points, triangles.reshape(-1), np.arange(0, triangles.size + 1, 3)


def _ball(radius: float, middle: tuple[float, float, float]) -> tuple[np.ndarray, np.ndarray]:
    ball = trimesh.creation.icosphere(5, radius=radius)
    return (ball.vertices + middle).astype(np.float32), np.ascontiguousarray(ball.faces, np.int32)


def _voxels(mesh: tuple[np.ndarray, np.ndarray], side: int) -> Voxelized:
    points, triangles = mesh
    size = float(np.ptp(points, axis=0).max()) / (side - 11)
    lattice = lattice_around(points.min(axis=0), points.max(axis=0), size, 5)
    return voxelized(points, triangles, binned(points, triangles, lattice, 4.0))


def _band_places(volume: Bricks) -> tuple[np.ndarray, np.ndarray]:
    """Where the voxels of the band are, float64 (n, 3), and which."""
    chosen = np.abs(volume.values) < 4.0 * 0.9999
    slot, at = np.nonzero(chosen)
    cells = volume.where[slot][:, ::-1] * 8 + np.stack([at & 7, at >> 3 & 7, at >> 6], axis=1)
    return cells * volume.lattice.size + volume.lattice.origin, chosen


def _voxelizing(mesh: tuple[np.ndarray, np.ndarray], side: int, bar: float) -> Iterator[Figure]:
    points, triangles = mesh
    volume = _voxels(mesh, side).bricks
    places, chosen = _band_places(volume)
    doubles = points.astype(np.float64)
    faces = triangles.astype(np.int64)
    mine, theirs = in_turn(
        lambda: _voxels(mesh, side), lambda: igl.point_mesh_squared_distance(places, doubles, faces), 5
    )
    name = f"signed band of 20,480 triangles at {side}³, to libigl's unsigned distances on the same band"
    yield Figure(name, mine, theirs, bar, "at least")
    if side == 128:
        return
    signed = igl.signed_distance(places, doubles, faces)[0] / volume.lattice.size
    off = float(np.abs(volume.values[chosen] - signed).max())
    yield Figure("worst error of it, voxels (peer: libigl's signed distances)", off, 1e-4, 1.0, "within", "")
    wrong = int(((volume.values[chosen] < 0) != (signed < 0)).sum())
    one, other = _ball(0.3, (-0.1, 0.01, 0.02)), _ball(0.25, (0.2, 0.003, 0.0))
    both = (
        np.concatenate([one[0], other[0]]),
        np.concatenate([one[1], other[1] + len(one[0])]).astype(np.int32),
    )
    for pair in (both, (one[0], one[1][:, ::-1].copy())):
        wrong += _wrong_signs(pair, one, other if pair is both else one)
    name = "wrong signs of it, of a part inside out, and of parts that overlap (0 wanted)"
    yield Figure(name, float(wrong), 0.5, 1.0, "within", "")
    yield Figure("memory of the band at 192³, to dense", volume.nbytes, 192**3 * 4, 0.35, "within", "B")


def _wrong_signs(mesh: tuple, one: tuple, other: tuple) -> int:
    """Voxels that lie in one of two closed parts and are not inside, or the other way round."""
    volume = _voxels(mesh, 96).bricks
    places, chosen = _band_places(volume)
    inside = np.zeros(len(places), bool)
    near = np.zeros(len(places), bool)
    for points, triangles in (one, other):
        signed = igl.signed_distance(places, points.astype(np.float64), triangles.astype(np.int64))[0]
        inside |= signed < 0
        near |= np.abs(signed) < 1e-6
    return int(((volume.values[chosen] < 0) != inside)[~near].sum())


def _uses(quads: np.ndarray) -> int:
    """Edges that are not used exactly twice."""
    sides = np.sort(np.concatenate([quads[:, [k, (k + 1) % 4]] for k in range(4)]), axis=1).astype(np.int64)
    _, counts = np.unique(sides[:, 0] << 32 | sides[:, 1], return_counts=True)
    return int((counts != 2).sum())


def _random_volume(seed: int) -> Bricks:
    dense = np.random.default_rng(seed).uniform(-1, 1, (32, 32, 32)).astype(np.float32)
    for axis in range(3):
        ends = np.moveaxis(dense, axis, 0)
        ends[0] = ends[-1] = 1.0
    return _of_dense(dense, 4.0)


def _of_dense(dense: np.ndarray, most: float) -> Bricks:
    shape = tuple(n // 8 for n in dense.shape)
    blocks = dense.reshape(shape[0], 8, shape[1], 8, shape[2], 8).transpose(0, 2, 4, 1, 3, 5).reshape(*shape, 512)
    stored = (np.abs(blocks) < most).any(axis=-1)
    table = np.where(blocks[..., 0] < 0, -2, OUTSIDE).astype(np.int32)
    where = np.argwhere(stored).astype(np.int32)
    table[stored] = np.arange(len(where))
    return Bricks(Lattice(np.zeros(3), 1.0, shape), table, where, np.ascontiguousarray(blocks[stored]), most)


def _surface(volume: Bricks) -> Iterator[Figure]:
    dense = volume.dense()
    mine, theirs = in_turn(lambda: surface(volume), lambda: marching_cubes(dense, 0.0), 7)
    yield Figure("surface with normals at 192³, to scikit-image on the dense array", mine, theirs, 3.5, "at least")
    wrong = _uses(surface(volume).quads) + sum(_uses(surface(_random_volume(seed)).quads) for seed in range(8))
    yield Figure(
        "edges not used exactly twice, there and on random values (0 wanted)", float(wrong), 0.5, 1.0, "within", ""
    )
    found = surface(volume)
    corners = found.quads.reshape(-1)

    def ours() -> object:
        topology = ClosedQuads(corners, len(found.places))
        return topology.edges, topology.neighbours

    def before() -> object:
        topology = Topology(corners, np.arange(0, len(corners) + 1, 4, dtype=np.int32), len(found.places))
        return topology.edges, topology.neighbours

    solid = solid_of(Geometry.from_faces(*_as_faces()), np.eye(4)[:3], volume.lattice.size)
    mine, making = in_turn(ours, lambda: surface_of(solid), 7)
    name = f"edges and neighbours of {len(found.quads):,} quads that are new each frame, to making the mesh"
    yield Figure(name, mine, making, 0.2, "within")
    mine, making = in_turn(ours, lambda: surface(volume), 7)
    yield Figure("the same, to its quads and normals alone", mine, making, 0.0, "told")
    mine, sorting = in_turn(ours, before, 3)
    yield Figure("the same, to finding them by sorting", mine, sorting, 0.0, "told")


def _arrival(side: int, bar: float) -> Figure:
    """The whole grid, outside and inside of a ball, at a speed of cells."""
    grid = np.stack(np.meshgrid(*[np.arange(side) - (side - 1) / 2] * 3, indexing="ij"), axis=-1)
    distance = np.linalg.norm(grid, axis=-1) - 0.22 * side
    places = np.ascontiguousarray(grid.reshape(-1, 3)[:, ::-1], np.float32)
    cells = pattern_noise(places, Pattern.NEAREST, 0.2 * side, 1, 0.5, 1, 0.0, 0.8)
    speed = (0.2 + 0.8 * np.clip(cells, 0, 1)).reshape(distance.shape).astype(np.float64)
    away, cost = _of_dense(np.abs(distance).astype(np.float32), 1e9), _of_dense((1 / speed).astype(np.float32), 1e9)
    start = np.where(away.values <= 1.5, away.values * cost.values, FAR).astype(np.float32)
    slow = np.where(away.values <= 1.5, np.float32(0), cost.values).astype(np.float32)
    window = 2.0 * float(np.median(slow))

    def ours() -> np.ndarray:
        times = start.copy()
        eikonal.arrival(away.table, away.where, times, slow, 1e29, window)
        return times

    mine, theirs = in_turn(ours, lambda: skfmm.travel_time(distance, speed, order=2), 3)
    name = f"arrival times, second order, {side}³, a speed of cells, to scikit-fmm's second order"
    return Figure(name, mine, theirs, bar, "at least")


def _exact_ball(radius: float, room: float) -> tuple[Bricks, np.ndarray]:
    side = int(np.ceil((2 * radius + 2 * room + 16) / 8)) * 8
    middle = np.array([side / 2 + 0.31, side / 2 - 0.17, side / 2 + 0.08])
    grid = np.stack(np.meshgrid(*[np.arange(side)] * 3, indexing="ij"), axis=-1)[..., ::-1]
    away = np.linalg.norm(grid - middle, axis=-1) - radius
    return _of_dense(np.clip(away, -4, 4).astype(np.float32), 4.0), middle


def _places(where: np.ndarray) -> np.ndarray:
    at = np.arange(512)
    return where[:, None, ::-1] * 8.0 + np.stack([at & 7, at >> 3 & 7, at >> 6], axis=-1)


def _arrival_errors() -> Iterator[Figure]:
    start, middle = _exact_ball(24.0, 40.0)
    region = growth.region_around(start, 38.0)
    front = growth.front_of(start, region, np.ones((len(region.where), 512), np.float32), 36.0)
    exact = np.linalg.norm(_places(region.where) - middle, axis=-1) - 24.0
    known = (exact > 0) & (exact < 34.0)
    worst = float(np.abs(front.times - exact)[known].max())
    yield Figure(
        "worst error of arrival, a ball growing 34 voxels, voxels (peer: 0.15)", worst, 0.15, 1.0, "within", ""
    )
    gradient, radius = 0.015, 8.0
    begun = np.arcsinh(gradient * radius) / gradient
    source = -(np.cosh(gradient * begun) - 1.0) / gradient
    start, middle = _exact_ball(radius, 40.0)
    region = growth.region_around(start, 38.0)
    ways = _places(region.where) - middle - [source, 0.0, 0.0]
    speed = np.maximum(1.0 + gradient * ways[..., 0], 0.2)
    front = growth.front_of(start, region, (1.0 / speed).astype(np.float32), 30.0)
    known = (front.times > 0.0) & (front.times < 28.0)
    bent = 1.0 + gradient**2 * (ways**2).sum(axis=-1)[known] / (2.0 * speed[known])
    worst = float(np.abs((front.times[known] - (np.arccosh(bent) / gradient - begun)) * speed[known]).max())
    yield Figure("the same at a speed that rises linearly, voxels (peer: 0.5)", worst, 0.5, 1.0, "within", "")


def _mean_radius(volume: Bricks, middle: np.ndarray) -> float:
    return float(np.linalg.norm(surface(volume).places - middle, axis=1).mean())


def _growth(volume: Bricks) -> Iterator[Figure]:
    ways = []
    for radius in (16.0, 24.0, 40.0):
        start, middle = _exact_ball(radius, 0.7 * radius)
        region = growth.region_around(start, 0.5 * radius + 3)
        front = growth.front_of(start, region, np.ones((len(region.where), 512), np.float32), 0.5 * radius)
        way = _mean_radius(front.at(0.5 * radius), middle) - _mean_radius(start, middle)
        ways.append(way / radius)
    worst = max(abs(way / 0.5 - 1.0) for way in ways) * 100
    yield Figure("grown length at three sizes of voxels, % off (peer: 0.1)", worst, 0.1, 1.0, "within", "%")
    start, middle = _exact_ball(12.0, 20.0)
    before = _mean_radius(start, middle)
    for _ in range(40):
        start = growth.grown_by_step(start, lambda _, where: np.ones((len(where), 512), np.float32), 0.4)
    worst = abs((_mean_radius(start, middle) - before) / 16.0 - 1.0) * 100
    yield Figure("the same in 40 steps, % off (peer: 0.3)", worst, 0.3, 1.0, "within", "%")
    wide = growth.region_around(_with_room(volume), 24.0)
    front = growth.front_of(_with_room(volume), wide, np.ones((len(wide.where), 512), np.float32), 22.0)
    held = front.at(12.3)
    mine, theirs = in_turn(lambda: surface(front.at(12.3)), lambda: surface(held), 9)
    yield Figure("a frame of a solved growth at 192³, to its surface alone", mine, theirs, 1.3, "within")


def _with_room(volume: Bricks) -> Bricks:
    from estompe.kernels.volumes.bricks import on_lattice, placed_lattice

    shape = tuple(n + 8 for n in volume.lattice.shape)
    return on_lattice(volume, placed_lattice(volume.lattice.first - 4, volume.lattice.size, shape))


def _band(volume: Bricks) -> Iterator[Figure]:
    dense = volume.dense().astype(np.float64)
    mine, theirs = in_turn(lambda: band.redistanced(volume), lambda: skfmm.distance(dense, narrow=4.0, order=2), 3)
    yield Figure("redistancing at 192³, to scikit-fmm's narrow band, second order", mine, theirs, 5.0, "at least")
    exact, middle = _exact_ball(24.0, 0.0)
    near = np.abs(exact.values) < 3.0
    worst = float(np.abs(band.redistanced(exact).values - exact.values)[near].max())
    yield Figure("how far it moves a distance at worst, voxels (peer: 0.1)", worst, 0.1, 1.0, "within", "")
    single = dense.astype(np.float32)
    mine, theirs = in_turn(lambda: band.blurred(volume, 1.2), lambda: gaussian_filter(single, 1.2, truncate=2.5), 7)
    yield Figure("blur of the band at 192³, to scipy on the dense array", mine, theirs, 3.5, "at least")
    flowing, way = exact, 15.0
    before = _mean_radius(exact, middle)
    for _ in range(10):
        flowing = band.redistanced(band.rebricked(band.curved(flowing, way / 10)))
    gone, wanted = before - _mean_radius(flowing, middle), 24.0 - np.sqrt(24.0**2 - 4 * way)
    yield Figure(
        "curvature flow of a ball, % off the way (peer: 0.5)", abs(gone / wanted - 1) * 100, 0.5, 1.0, "within", "%"
    )


_BULGING = (RampPoint(0.0, 1.0), RampPoint(0.5, 0.86), RampPoint(0.8, 0.6), RampPoint(1.0, 0.0))
_STRAIGHT = (RampPoint(0.0, 1.0, "linear"), RampPoint(1.0, 0.0, "linear"))
_SMOOTH = (RampPoint(0.0, 1.0), RampPoint(1.0, 0.0))


def _coat() -> Iterator[Figure]:
    for name, ramp, bar in (("bulging", _BULGING, 1.0), ("straight", _STRAIGHT, 2.0), ("smooth", _SMOOTH, 2.0)):
        off = _edge_off(ramp)
        yield Figure(
            f"edge of a coat off its reach on average, {name} ramp, voxels (peer: {bar:g})", off, bar, 1.0, "within", ""
        )
    for name, rough, bar in (("as it is dragged, rough (8 wanted)", 2.0, 8.0), ("at rest", 1.0, 0.0)):
        rate = _drag(rough)
        yield Figure(
            f"a drag of a coat's control at automatic voxels, pictures a second, {name}", rate, bar, 0.0, "told", ""
        )


def _drag(rough: float) -> float:
    """Pictures a second while a coat's control moves."""
    project, memo, times = _coated(_BULGING, 0.0), Memo(), []
    for step in range(24):
        place = Transform((0.02 * step, 0.5, 0.3))
        moved = Project(edits.put(project.scene, ("controls", "lamp", "transform"), place))
        began = time.perf_counter()
        evaluate(moved, 1, memo, past=Past(moved, memo, rough=rough))["body"].prepare()
        times.append(time.perf_counter() - began)
    return 1.0 / statistics.median(times)


def _coated(ramp: tuple[RampPoint, ...], voxel: float) -> Project:
    near = Falloff("near", "Near", (Layer("reach", Distance("lamp")),), Range(0.0, 0.45), ramp)
    lamp = Control("lamp", "Lamp", transform=Transform((0.0, 0.5, 0.0)))
    slot = EffectSlot("coat", Coat(0.06, smooth=0.0, voxel=voxel), (Route("near"),))
    return Project(Scene((Shape("body", "Body", Sphere(0.5, 60), effects=(slot,)),), (lamp,), (near,)))


def _edge_off(ramp: tuple[RampPoint, ...]) -> float:
    """How far, in voxels, the edge of a coat on a ball lies off its reach on average."""
    voxel = 0.008
    mesh: Geometry = evaluate(_coated(ramp, voxel), 1)["body"]
    layer = mesh.attribute(Domain.FACE, "coat")
    assert layer is not None
    quads = mesh.topology.corners.reshape(-1, 4)[layer]
    sides = np.concatenate([quads[:, [k, (k + 1) % 4]] for k in range(4)])
    high = np.linalg.norm(mesh.points, axis=1) - 0.5
    a, b = high[sides[:, 0]], high[sides[:, 1]]
    through = (a < 0) != (b < 0)
    part = (a / np.where(a == b, 1.0, a - b))[through][:, None]
    edge = mesh.points[sides[:, 0]][through] * (1 - part) + mesh.points[sides[:, 1]][through] * part
    return float(np.abs(0.45 - np.linalg.norm(edge - [0, 0.5, 0], axis=1)).mean()) / voxel
