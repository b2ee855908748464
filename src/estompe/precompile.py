"""Compiling every kernel once, so that the first drag is not the one that waits."""

import contextlib
import gc
import hashlib
import multiprocessing
import os
import platform
import sys
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from importlib.metadata import version
from pathlib import Path

import numpy as np
import platformdirs

from estompe import kernels
from estompe.geometry import Domain, Geometry, carrying, over_surface
from estompe.geometry.branches import growth as branch_growth
from estompe.geometry.branches import tree as branch_trees
from estompe.geometry.branches.body import body_of
from estompe.geometry.branches.places import in_body, surface_places
from estompe.geometry.branches.skin import skinned
from estompe.geometry.cloth import fabric
from estompe.geometry.copies import Copies
from estompe.geometry.fracture.cutting import cut_into_cells
from estompe.geometry.rigid import bodies as rigid_bodies
from estompe.geometry.rigid import motion, obstacles, stepping
from estompe.geometry.ruffle import sheet as ruffles
from estompe.geometry.volumes import joining, offsets, solid
from estompe.geometry.volumes.voxel_places import VoxelPlaces
from estompe.kernels import (
    PARALLEL_FROM,
    angles,
    blend,
    deform,
    displace,
    distance,
    drift,
    mattes,
    mixing,
    noise,
    obj_text,
    patterns,
    polyline,
    press,
    ramp,
    ridges,
    sampling,
    scatter,
    sides,
    skin,
    smooth,
    spread,
    surface,
    transform,
    wind,
)
from estompe.kernels.bounds import bounds
from estompe.kernels.branches.joining import Habit
from estompe.kernels.topology import face_means, point_means
from estompe.kernels.types import Array, Floats, Indices
from estompe.kernels.volumes import band, eikonal, enclosed, growth
from estompe.kernels.volumes.feet import feet_at
from estompe.kernels.volumes.refine import refined
from estompe.shapes.primitives import box, grid, sphere

_NOTICEABLE = 0.5
# The longest first, and what others build on before them: two processes that need the same loop at once would both compile it.
_EARLY = (
    "distances to surfaces",
    "volumes of meshes",
    "rigid bodies",
    "surfaces of volumes",
    "fractures",
    "branches",
    "cloth",
    "distances anew",
    "ruffles",
    "patterns",
    "pieces",
    "sway",
    "noise",
    "noise in time",
)


def precompile(progress: Callable[[float, str], None] = lambda _fraction, _name: None) -> float:
    """Compile what is not in the cache on disk yet. Returns the seconds it took.

    progress: called with a fraction and a kernel's name once it takes noticeable time.
    """
    began = time.perf_counter()
    steps = _steps()
    for number, (name, step) in enumerate(steps):
        if time.perf_counter() - began > _NOTICEABLE:
            progress(number / len(steps), name)
        step()
    took = time.perf_counter() - began
    if took > _NOTICEABLE:
        progress(1.0, "everything")
    return took


def prepare() -> float:
    """Compile everything with as many processes as there are cores. Returns the seconds it took."""
    began = time.perf_counter()
    parts = os.cpu_count() or 1
    with ProcessPoolExecutor(parts, multiprocessing.get_context("spawn")) as pool:
        # A free process takes the next one; the longest come first, so that all end at about the same time.
        list(pool.map(_step, _longest_first(), chunksize=1))
    with contextlib.suppress(OSError):
        mark = _mark()
        mark.parent.mkdir(parents=True, exist_ok=True)
        mark.write_text(_kernels_digest(), encoding="utf-8")
    return time.perf_counter() - began


def is_prepared() -> bool:
    """Return whether everything was compiled on this machine for these kernels, as far as that was noted."""
    try:
        return _mark().read_text(encoding="utf-8") == _kernels_digest()
    except OSError:
        return False


def _mark() -> Path:
    return platformdirs.user_cache_path("estompe") / "prepared.txt"


def _kernels_digest() -> str:
    """What tells compiled kernels from others: their source, where it lies, the libraries and the processor."""
    root = Path(kernels.__file__).parent
    whole = hashlib.blake2b(f"{root} {sys.version} {platform.processor()} {version('numba')}".encode(), digest_size=16)
    for file in sorted(root.rglob("*.py")):
        whole.update(file.read_bytes())
    return whole.hexdigest()


def _longest_first() -> list[int]:
    names = [name for name, _ in _steps()]
    rank = {name: place for place, name in enumerate(_EARLY)}
    return sorted(range(len(names)), key=lambda number: (rank.get(names[number], len(rank)), number))


def _step(number: int) -> None:
    # The compiler's many small objects live until a kernel is done: looking for dead ones among them finds none.
    gc.disable()
    _steps()[number][1]()
    gc.enable()


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
    for points in (_frozen(np.zeros((8, 3), np.float32)), _frozen(np.zeros((PARALLEL_FROM, 3), np.float32))):
        steps += _later_steps(points)
    steps += _surface_steps()
    steps += _volume_steps()
    steps.append(("reading", _read_obj))
    return steps


def _point_steps(points: Floats) -> list[tuple[str, Callable[[], object]]]:
    values = _frozen(np.zeros(len(points), np.float32))
    matrix = np.eye(4, dtype=np.float32)[:3]
    knots, cubics = np.zeros(1, np.float32), np.zeros((1, 4), np.float32)
    return [
        ("bounds", lambda: bounds(points)),
        ("distance", lambda: distance.distance(points, matrix, distance.Form.SPHERE)),
        ("ramp", lambda: ramp.remap(values, 0.0, 1.0, knots, cubics, True)),
        ("joined ramp", lambda: ramp.remap_joined(values, values, ramp.Joining.ADD, 0.0, 1.0, knots, cubics, True)),
        ("push", lambda: displace.displace_along(points, points, values, 1.0)),
        ("move", lambda: displace.displace_by(points, values, np.zeros(3, np.float32))),
        ("noise", lambda: noise.gradient_noise(points, 1.0, 1, 0.5, 1.0, 1)),
        ("noise in time", lambda: noise.gradient_noise(points, 1.0, 1, 0.5, 1.0, 1, 0.0)),
    ]


def _later_steps(points: Floats) -> list[tuple[str, Callable[[], object]]]:
    """What most scenes do not need at once."""
    values = _frozen(np.zeros(len(points), np.float32))
    same, line = np.eye(4)[:3], np.array([[0, 0, 0], [1, 0, 0]], np.float32)
    return [
        ("patterns", lambda: patterns.pattern_noise(points, patterns.Pattern.VALUE, 1.0, 1, 0.5, 1)),
        ("levels", lambda: patterns.levels(values, 0.0, 1.0, 1.0, 0.0, 1.0, True)),
        (
            "turns and bends",
            lambda: deform.deform(points, values, deform.Deformation.ROTATE, same, same, [0.0, 0.0, 1.0]),
        ),
        ("paths", lambda: polyline.nearest_on_polyline(points, line)),
        ("long paths", lambda: polyline.nearest_on_polyline(points, np.tile(line, (5, 1)))),
    ]


def _surface_steps() -> list[tuple[str, Callable[[], object]]]:
    """Kernels that look at neighbours, on a small and a large mesh."""
    steps: list[tuple[str, Callable[[], object]]] = []
    for mesh in (grid(1.0, 1.0, 2, 2), grid(1.0, 1.0, 130, 130)):
        values = _frozen(np.zeros(len(mesh.points), np.float32))
        starts, members = mesh.topology.neighbours
        steps.append(("smoothing", partial(smooth.towards_neighbours, mesh.points, starts, members, values, 0.5)))
        steps.append(("blurring", partial(smooth.blurred, values, starts, members, 1)))
        steps.append(("spreading", partial(_spread, starts, members, values)))
    small = grid(1.0, 1.0, 2, 2)
    steps.append(("ways over surfaces", _march))
    steps.append(("cloth", _hang))
    steps.append(("rigid bodies", _fall))
    steps.append(("branches", _branch))
    steps.append(("ruffles", _ruffle))
    steps.append(("drift", _drift))
    steps.append(("distances to surfaces", lambda: _to_surface(small)))
    steps.append(("volumes", lambda: _volumes(small)))
    few = _frozen(np.zeros(len(small.points), np.float32))
    steps.append(("joints", lambda: _skin(small.points)))
    steps.append(("new points", lambda: _mix(small.points, few)))
    steps.append(("pressing", lambda: _touch(small.points, few)))
    steps.append(("colours and poses", lambda: _blend(small.points, few)))
    steps.append(("sway", lambda: wind.swayed(small.points, few, None, (1.0, 0.0, 0.0), 1.0, 0.0, 1)))
    steps.append(("ridges", lambda: ridges.grooves(small.points, few, few, 1, 0.0, 2.0, 0.1)))
    steps.append(("means on points", lambda: point_means(few, *small.topology.neighbours)))
    steps.append(("pictures", lambda: _look(small.points, few)))
    steps.append(("means on faces", lambda: face_means(few, small.topology.corners, small.topology.offsets)))
    steps.append(("pieces", lambda: _carry(small)))
    steps.append(("copies", lambda: _scatter(small)))
    steps.append(("fractures", _break))
    many = _frozen(np.zeros((8192, 3), np.float32))
    steps.append(("own spaces", lambda: transform.transformed(many, np.eye(4)[:3])))
    return steps


def _volume_steps() -> list[tuple[str, Callable[[], object]]]:
    """What effects on volumes need, in parts of about the same length."""
    body = box((1.0, 1.0, 1.0), 2)
    frame = np.eye(4)[:3]

    def voxels() -> solid.Solid:
        return solid.solid_of(body, frame, 0.1, 0.5)

    def surface_of() -> Geometry:
        return solid.surface_of(voxels())

    return [
        ("volumes of meshes", voxels),
        ("surfaces of volumes", surface_of),
        ("edges of surfaces", lambda: _look_at_edges(surface_of())),
        ("distances anew", lambda: band.redistanced(voxels().bricks)),
        ("blurred volumes", lambda: band.blurred(voxels().bricks, 1.0)),
        ("rounded volumes", lambda: band.rebricked(band.curved(voxels().bricks, 0.1))),
        ("finer volumes", lambda: refined(voxels().bricks)),
        ("steps of growth", lambda: _grow(voxels())),
        ("growth", lambda: _grow_once(voxels())),
        ("layers", lambda: _lay_over(surface_of())),
        ("joined volumes", lambda: _join(voxels(), body)),
        ("open volumes", lambda: solid.solid_of(grid(1.0, 1.0, 2, 2), frame, 0.1, half=0.1)),
    ]


def _look_at_edges(mesh: Geometry) -> None:
    mesh.topology.edges, mesh.topology.neighbours, mesh.topology.triangle_edges  # noqa: B018


def _grow(start: solid.Solid) -> None:
    growth.grown_by_step(start.bricks, lambda _, where: np.ones((len(where), 512), np.float32), 0.5)
    band.filled(band.with_volume(start.bricks, band.filled(start.bricks)))


def _grow_once(start: solid.Solid) -> None:
    for inwards in (False, True):
        region = growth.region_around(start.bricks, 3.0, inwards)
        places = VoxelPlaces(start, region)
        slow = np.ones((len(region.where), 512), np.float32)
        front = growth.front_of(start.bricks, region, slow, 3.0, inwards)
        front.at(1.0)
        feet = eikonal.feet_of(region.table, region.where, front.times, front.cost, 3.0)
        feet_at(region.table, feet, places.points[:8])


def _lay_over(mesh: Geometry) -> None:
    heights = np.full(len(mesh.points), 0.3, np.float32)
    offsets.moved_out(mesh, heights)
    offsets.moved_out(mesh, heights * np.float32(0.1))


def _join(start: solid.Solid, body: Geometry) -> None:
    part = joining.Part(start.bricks, body)
    joining.together([part, part], start.frame, 0.2)


def _spread(starts: Indices, members: Indices, values: Floats) -> None:
    spread.spread(values, values, (starts, members), spread.neighbour_blocks(starts, members), values, values, 1)


def _hang() -> None:
    """A few steps of cloth that holds and of cloth that tears."""
    mesh = grid(1.0, 1.0, 6, 6)
    held = np.arange(len(mesh.points)) < 7
    for size, holds in ((0.0, np.inf), (0.3, 1e-3)):
        made = fabric.Fabric(mesh.points, mesh.topology.triangles, size)
        push = np.full((made.copies, 3), 9.0, np.float32)
        strong = _frozen(np.full(made.points, holds, np.float32))
        forces = fabric.Forces(push, 0.1, 0.9, 0.0, 1e-6, strong, 9.81)
        motion = made.step(made.begun(mesh.points, held), mesh.points, (0.0, 1.0), 0.04, 4, forces)
        made.torn(motion, np.zeros_like(motion.velocities), 0.04, forces, np.zeros(made.copies, np.bool_))
        made.kept_apart(motion, mesh.points[made.weld], made.near_pairs(motion, 0.1), 0.1, 0.04)


def _branch() -> None:
    """Branches over a mesh and through it, grown and covered."""
    ball = sphere(1.0, 6)
    habit, first = Habit(0.2, 0.2, 0.5, 0.0, 1e12), np.zeros(1, np.int32)
    over = branch_trees.over_surface(
        ball, ball.rest[ball.topology.triangles[0, :1]].astype(np.float64), first, surface_places(ball, 20, 1), habit
    )
    body = body_of(ball)
    branch_trees.through_body(body, np.zeros((1, 3)), in_body(body, 20, 1), habit)
    grown, branching = Geometry(over.rest.positions, over.topology, {}, over.rest), over.topology.branching
    assert branching is not None
    ones = np.ones(len(over.order), np.float32)
    growing = branch_growth.Growing(0.5, 0.1, 0.1, 0.0, 2.5)
    moment = branch_growth.at_moment(grown.points, branching, ones, ones, growing).moment
    tubes = branch_growth.as_tubes(grown, moment.positions, moment.width, 6, {"width": moment.width})
    skinned(tubes, np.ones(len(tubes.points), np.float32), np.eye(4)[:3], 0.1, 2.0)


def _ruffle() -> None:
    """A sheet that grows once."""
    mesh = grid(1.0, 1.0, 2, 2)
    triangles = mesh.topology.triangles
    tree = surface.tree_of(mesh.rest, triangles, mesh.at_rest.triangle_order(mesh.topology))
    first = ruffles.First(mesh.rest.astype(np.float64), triangles, tree)
    growth, ones = ruffles.Growth(0.5, 2.0, ruffles.thickness_of(mesh), 0.05, 1), np.ones(len(mesh.points), np.float32)
    ruffles.advanced(
        ruffles.begun(mesh), first, ones, growth, lambda places, still, _part: (places, still), lambda: None
    )


def _fall() -> None:
    """Two boxes that fall on the ground, on each other, on a ball and on a shape, few and many at a time."""
    body = box((0.4, 0.4, 0.4), 1)
    fallen = body.transformed(np.column_stack([np.eye(3), (0.0, 0.3, 0.0)]))
    upright = np.tile(np.eye(3, dtype=np.float32).reshape(1, 9), (2, 1))
    places = np.array([[0.0, 0.2, 0.0], [0.02, 0.6, 0.0]], np.float32)
    form, ids = np.zeros(2, np.int32), np.arange(2)
    copies = Copies((body,), form, places, upright, np.ones((2, 3), np.float32), ids, np.zeros(2, np.float32))
    pieces = rigid_bodies.copies_as_bodies(copies, jointed=True)
    ones, none = np.ones(2), np.zeros(2)
    ball = obstacles.control_as_obstacles("sphere", np.eye(4)[:3], places, 0.1)
    moment = motion.Moment(
        pieces.poses(copies), ones, none, none, np.zeros((2, 3)), (obstacles.level_ground(0.0), *ball)
    )
    met = obstacles.Surface(fallen, np.eye(4)[:3], np.eye(4)[:3], lambda _points, _mesh, nearest: nearest.distance)
    laws, begun = motion.Laws(holds=1.0, looks=2), motion.begun(pieces, moment.poses)
    for few in (True, False):
        stepping.stepped(pieces, none > 0.0, laws, begun, (moment, moment), (met,), 0.04, lambda: None, few=few)


def _drift() -> None:
    """Things in eddies of the air."""
    places, axes = np.zeros((2, 3), np.float32), np.tile(np.eye(3, dtype=np.float32).reshape(1, 9), (2, 1))
    air = drift.eddies(places, 1.0, 1.0, 1)
    drift.flown(places, places, air, (0.0, -1.0, 0.0), 1.0, np.ones(2, np.float32))
    drift.rotated(axes, places)


def _march() -> None:
    mesh = grid(1.0, 1.0, 2, 2)
    over_surface.from_place(mesh, Domain.POINT, np.eye(3), np.zeros(3), None)


def _volumes(mesh: Geometry) -> None:
    enclosed.enclosed_volume(mesh.points, mesh.topology.triangles)
    enclosed.volume_along(mesh.points, mesh.points, mesh.topology.triangles)


def _to_surface(mesh: Geometry) -> None:
    found = surface.nearest_on_surface(mesh.points, mesh.tree)
    sides.signs(mesh.points, mesh.points, mesh.topology.triangles, mesh.topology.triangle_edges, mesh.outwards, found)
    surface.feet(mesh.points, mesh.points, mesh.topology.triangles, found)


def _look(points: Floats, values: Floats) -> None:
    angles.degrees_of(values)
    angles.degrees_towards(points, points, points[0])
    pixels, weights = np.zeros((1, 1, 4), np.float32), np.zeros(4, np.float32)
    ids, counts = np.zeros((1, 8), np.uint64), np.zeros((1, 8), np.uint16)
    mattes.count(np.ones(1, np.uint64), ids, counts)
    mattes.rank(ids, counts)
    sampling.sampled(pixels, np.zeros((1, 2), np.float32), 1.0, weights)


def _skin(points: Floats) -> None:
    begins, one = np.zeros((1, 3), np.float32), np.array([[1, 0, 0, 0]], np.float32)
    bones = skin.Bones(begins, begins + np.float32(1.0), one, one)
    same, values = np.eye(4)[:3], _frozen(np.zeros(len(points), np.float32))
    skin.skinned(points, points, bones, 1.0, same, same, values)


def _mix(points: Floats, values: Floats) -> None:
    one: Indices = _frozen(np.arange(2, dtype=np.int32))
    mix = mixing.Mix(one, one[:1], _frozen(np.ones(1, np.float32)))
    mixing.mixed(points, mix)
    mixing.mixed(values[:, None], mix)


def _touch(points: Floats, values: Floats) -> None:
    same = np.eye(4)[:3]
    depth, onto = press.touched(points, same, same, press.Body.SPHERE, 1.0)
    press.pressed(points, points, onto, depth, values, values, 1.0)


def _blend(points: Floats, values: Floats) -> None:
    blend.towards(points, np.zeros(3, np.float32), values)
    blend.differences(points, [(points, 1.0)])
    blend.moved_by(points, points, np.eye(3, dtype=np.float32), values)


def _carry(mesh: Geometry) -> None:
    """Faces and copies moved, rotated and scaled."""
    strength = _frozen(np.ones(mesh.topology.faces, np.float32))
    whole = _frozen(np.ones(1, np.float32))
    ways: tuple[carrying.Carries, ...] = ("position", "all")
    for carries in ways:
        carrying.carried(mesh, Domain.FACE, False, carries, strength, lambda elements, _: elements.points.copy())
        carrying.carried(mesh, Domain.PIECE, False, carries, whole, lambda elements, _: elements.points.copy())


def _scatter(mesh: Geometry) -> None:
    """Places on a mesh, and copies of it made real."""
    triangles = mesh.topology.triangles
    areas = scatter.areas_of(mesh.rest, triangles)
    owner, shares, places = scatter.candidates(mesh.rest, triangles, np.cumsum(areas), 8, 1)
    scatter.ranked(places, 1.0, 2, 2, 0.0)
    scatter.followed(mesh.points, mesh.normals, triangles, _frozen(owner), _frozen(shares))
    one = np.eye(3, dtype=np.float32).reshape(1, 9)
    ids = np.zeros(1, np.int64)
    form, zero = np.zeros(1, np.int32), np.zeros((1, 3), np.float32)
    Copies((mesh,), form, zero, one, zero + np.float32(1.0), ids, np.zeros(1, np.float32)).points  # noqa: B018


def _break() -> None:
    body = box((1.0, 1.0, 1.0), 1)
    seeds = np.random.default_rng(1).uniform(-0.4, 0.4, (6, 3))
    cut_into_cells(body.points, body.topology.triangles, seeds)


def _read_obj() -> None:
    text = np.frombuffer(b"v 0 0 0\nvt 0 0\nf 1 1 1\n", np.uint8)
    state = np.zeros(obj_text.STATE_SIZE, np.int64)
    obj_text.count(text, 0, len(text), state)


def _frozen(array: Array) -> Array:
    array.setflags(write=False)
    return array
