"""Trees that reach places one after the other: each joins where it costs least, so that later ones change nothing.

The cost of joining is after Cuntz, Forstner, Borst and Häusser, "One rule to grow them all" (2010),
doi:10.1371/journal.pcbi.1000877, with the straight distance to the root instead of the way along the tree.
"""

import math
from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from estompe.kernels.branches.ground import Ground, Track, flattened, new_track, pushed_inside, walked
from estompe.kernels.cells import cell_of
from estompe.kernels.compile import inlined, inner, kernel
from estompe.kernels.types import Indices, Matrix

_FEW = 256
"""Nodes up to which all of them are looked at."""
_ROUNDS = 2048
"""Places between two questions whether to go on."""
# What a solve keeps between two calls: the number of nodes, the next place, the place before which nodes are filed anew, the next
# waiting place to try again, the number of places to try again, and the number of places that have begun to wait since.
_COUNT, _NEXT, _OCTAVE, _RETRY, _AGAIN, _STILL, _STATE = range(7)


class Habit(NamedTuple):
    """How a tree joins places.

    step: between nodes, scene units; homeward: the share of the straight distance to the root in the cost; sweep: how much
    branches leave along what they leave, 0..1; gap: nearer to a branch no twig begins, scene units; leap: the farthest a twig
    springs, scene units.
    """

    step: float
    homeward: float
    sweep: float
    gap: float
    leap: float


class Nodes(NamedTuple):
    """The nodes of a tree, parents first.

    positions, along: float64 (n, 3), along being the unit direction from the parent; parent: int32 (n,), -1 at roots; way, home:
    float64 (n,), the length back to the root and the straight distance to it; place: int32 (n,), the place a node was made for,
    -1 at roots; generation: int32 (n,), forks back to the root; triangle: int32 (n,); is_end: bool (n,); following: int32 (n,),
    the next node in the same cell.
    """

    positions: Matrix
    along: Matrix
    parent: Indices
    way: Matrix
    home: Matrix
    place: Indices
    generation: Indices
    triangle: Indices
    is_end: np.ndarray
    following: Indices


class Places(NamedTuple):
    """What is reached for: positions, float64 (n, 3), in order; radii: float64 (n,), what each is apart from earlier ones;
    normals: float64 (n, 3) and triangle: int32 (n,) on a surface."""

    positions: Matrix
    radii: Matrix
    normals: Matrix
    triangle: Indices


def new_nodes(most: int) -> Nodes:
    """Room for so many nodes; memory that is not written costs nothing."""
    return Nodes(
        np.empty((most, 3)), np.empty((most, 3)), np.empty(most, np.int32), np.empty(most), np.empty(most),
        np.empty(most, np.int32), np.empty(most, np.int32), np.empty(most, np.int32), np.zeros(most, np.bool_),
        np.empty(most, np.int32),
    )  # fmt: skip


@inner
def _filed(nodes, count, over, cells):
    """Nodes by the cell they lie in: the last of each, int32 (cells,), and `following`."""
    head = np.full(cells, -1, np.int32)
    positions, following, mask = nodes.positions, nodes.following, cells - 1
    for i in range(count):
        h = cell_of(
            math.floor(positions[i, 0] * over), math.floor(positions[i, 1] * over), math.floor(positions[i, 2] * over), mask
        )  # fmt: skip
        following[i] = head[h]
        head[h] = i
    return head


@inner
def _nearest(nodes, count, head, over, x, y, z, reach):
    """The nearest node and its squared distance, in rings of cells outwards; of equals the earlier."""
    positions, following = nodes.positions, nodes.following
    mask = head.shape[0] - 1
    cx, cy, cz = math.floor(x * over), math.floor(y * over), math.floor(z * over)
    best, near = 1e300, -1
    if count < _FEW:
        for j in range(count):
            d = (positions[j, 0] - x) ** 2 + (positions[j, 1] - y) ** 2 + (positions[j, 2] - z) ** 2
            if d < best:
                best, near = d, j
        return near, best
    for ring in range(1, min(int(reach * over) + 1, 12) + 1):
        for a in range(-ring, ring + 1):
            for b in range(-ring, ring + 1):
                shell = ring > 1 and abs(a) < ring and abs(b) < ring
                for c in range(-ring, ring + 1):
                    if shell and abs(c) < ring:
                        continue
                    j = head[cell_of(cx + a, cy + b, cz + c, mask)]
                    while j >= 0:
                        d = (positions[j, 0] - x) ** 2 + (positions[j, 1] - y) ** 2 + (positions[j, 2] - z) ** 2
                        if d < best or (d == best and j < near):
                            best, near = d, j
                        j = following[j]
        if near >= 0 and best * over * over <= ring * ring:
            break
    return near, best


@inlined
def _cost(dx, dy, dz, d, ax, ay, az, home, sweep, homeward):
    """What it costs to join a node from which a place lies so far away."""
    turn = 1.0 - (dx * ax + dy * ay + dz * az) / max(d, 1e-12)
    return d * (1.0 + sweep * turn) + homeward * home


@inner
def _may_face(nodes, j, places, i, normals):
    """Whether a place faces as the surface at a node does: thin sheets are not gone through to their other side."""
    t = nodes.triangle[j]
    return (
        places.normals[i, 0] * normals[t, 0]
        + places.normals[i, 1] * normals[t, 1]
        + places.normals[i, 2] * normals[t, 2]
    ) >= 0.0


@inner
def _cheapest_of_all(nodes, count, places, i, habit, normals, limit):
    """The node that costs least, looking at each; of equals the earlier, -1 where none is within the limit."""
    best, chosen = 1e299, -1
    positions, along, home = nodes.positions, nodes.along, nodes.home
    x, y, z = places.positions[i, 0], places.positions[i, 1], places.positions[i, 2]
    for j in range(count):
        dx, dy, dz = x - positions[j, 0], y - positions[j, 1], z - positions[j, 2]
        d = math.sqrt(dx * dx + dy * dy + dz * dz)
        if d <= limit:
            cost = _cost(
                dx, dy, dz, d, along[j, 0], along[j, 1], along[j, 2], home[j], habit.sweep, habit.homeward
            )  # fmt: skip
            near = normals.shape[0] > 0 and d < 4.0 * habit.step
            if cost < best and (not near or _may_face(nodes, j, places, i, normals)):
                best, chosen = cost, j
    return chosen


@inner
def _cheapest(nodes, head, over, places, i, habit, normals, limit):
    """The same, looking at cells within the limit."""
    best, chosen = 1e299, -1
    positions, along, home, following = nodes.positions, nodes.along, nodes.home, nodes.following
    x, y, z = places.positions[i, 0], places.positions[i, 1], places.positions[i, 2]
    sweep, homeward, beside = habit.sweep, habit.homeward, 4.0 * habit.step if normals.shape[0] > 0 else 0.0
    mask, ring, square = head.shape[0] - 1, int(limit * over) + 1, limit * limit
    cx, cy, cz = math.floor(x * over), math.floor(y * over), math.floor(z * over)
    for a in range(-ring, ring + 1):
        for b in range(-ring, ring + 1):
            for c in range(-ring, ring + 1):
                j = head[cell_of(cx + a, cy + b, cz + c, mask)]
                while j >= 0:
                    dx, dy, dz = x - positions[j, 0], y - positions[j, 1], z - positions[j, 2]
                    squared = dx * dx + dy * dy + dz * dz
                    if squared <= square:
                        d = math.sqrt(squared)
                        cost = _cost(dx, dy, dz, d, along[j, 0], along[j, 1], along[j, 2], home[j], sweep, homeward)
                        if (cost < best or (cost == best and j < chosen)) and (
                            d >= beside or _may_face(nodes, j, places, i, normals)
                        ):
                            best, chosen = cost, j
                    j = following[j]
    return chosen


@inner
def _bow_through_space(nodes, q, places, i, habit, ground, track):
    """A Hermite curve from a node to a place, begun along the branch; its count of nodes, 0 where it leaves the volume."""
    px, py, pz = nodes.positions[q, 0], nodes.positions[q, 1], nodes.positions[q, 2]
    dx, dy, dz = places.positions[i, 0] - px, places.positions[i, 1] - py, places.positions[i, 2] - pz
    d = math.sqrt(dx * dx + dy * dy + dz * dz)
    parts = min(max(1, int(d / habit.step + 0.5)), track.triangles.shape[0])
    sweep, bow = habit.sweep, habit.sweep * d
    lx, ly, lz = px, py, pz
    for m in range(parts):
        t = (m + 1) / parts
        rise, begin, end = t * t * (3.0 - 2.0 * t), t * (1.0 - t) * (1.0 - t), t * t * (t - 1.0)
        x = px + rise * dx + begin * ((1.0 - sweep) * dx + bow * nodes.along[q, 0]) + end * dx
        y = py + rise * dy + begin * ((1.0 - sweep) * dy + bow * nodes.along[q, 1]) + end * dy
        z = pz + rise * dz + begin * ((1.0 - sweep) * dz + bow * nodes.along[q, 2]) + end * dz
        x, y, z, inside = pushed_inside(ground, x, y, z)
        if not inside or (x - lx) ** 2 + (y - ly) ** 2 + (z - lz) ** 2 > 9.0 * max(habit.step, d / parts) ** 2:
            return 0
        track.positions[m, 0], track.positions[m, 1], track.positions[m, 2] = x, y, z
        track.triangles[m] = -1
        lx, ly, lz = x, y, z
    return parts


@inner
def _towards(position, before, places, i, sweep, way):
    """A direction to a place, leaning by a share to the direction before; how far the place is."""
    x = places.positions[i, 0] - position[0]
    y = places.positions[i, 1] - position[1]
    z = places.positions[i, 2] - position[2]
    left = max(math.sqrt(x * x + y * y + z * z), 1e-12)
    way[0], way[1], way[2] = x / left + sweep * before[0], y / left + sweep * before[1], z / left + sweep * before[2]
    return left


@inner
def _bow_over_surface(nodes, q, places, i, habit, ground, track):
    """Steps over the surface from a node to a place, begun along the branch; their count, 0 where it is not come to."""
    position, way, before = np.empty(3), np.empty(3), np.empty(3)
    for axis in range(3):
        position[axis], before[axis] = nodes.positions[q, axis], nodes.along[q, axis]
    triangle, step = nodes.triangle[q], habit.step
    left = _towards(position, before, places, i, 0.0, way)
    parts = max(1, int(left / step + 0.5))
    most = min(3 * parts + 8, track.triangles.shape[0] - 1)
    count = 0
    while left >= 1.25 * step:
        if count >= most:
            return 0
        left = _towards(position, before, places, i, habit.sweep * max(0.0, 1.0 - 2.0 * count / parts), way)
        if not flattened(ground, triangle, way):
            return 0
        triangle = walked(ground, triangle, position, way, step)
        if triangle < 0:
            return 0
        for axis in range(3):
            track.positions[count, axis], before[axis] = position[axis], way[axis]
        track.triangles[count] = triangle
        count += 1
        left = _towards(position, before, places, i, 0.0, way)
    # The place itself stands for the last step, unless that lies on it nearly.
    count -= 1 if count and left < 0.25 * step else 0
    for axis in range(3):
        track.positions[count, axis] = places.positions[i, axis]
    track.triangles[count] = places.triangle[i]
    return count + 1


@inner
def _taken(nodes, count, q, i, track, steps, roots, head, over):
    """The nodes of a bow taken into the tree; the new count."""
    mask, last = head.shape[0] - 1, q
    forks = 0 if nodes.is_end[q] or nodes.parent[q] < 0 else 1
    for m in range(steps):
        x, y, z = track.positions[m, 0], track.positions[m, 1], track.positions[m, 2]
        dx, dy, dz = x - nodes.positions[last, 0], y - nodes.positions[last, 1], z - nodes.positions[last, 2]
        d = math.sqrt(dx * dx + dy * dy + dz * dz)
        under = 1.0 / max(d, 1e-12)
        nodes.positions[count, 0], nodes.positions[count, 1], nodes.positions[count, 2] = x, y, z
        nodes.along[count, 0], nodes.along[count, 1], nodes.along[count, 2] = dx * under, dy * under, dz * under
        nodes.parent[count], nodes.way[count], nodes.place[count] = last, nodes.way[last] + d, i
        nodes.generation[count], nodes.triangle[count] = nodes.generation[q] + forks, track.triangles[m]
        home = 1e300
        for r in range(roots):
            s = nodes.positions[r]
            home = min(home, (x - s[0]) ** 2 + (y - s[1]) ** 2 + (z - s[2]) ** 2)
        nodes.home[count] = math.sqrt(home)
        h = cell_of(math.floor(x * over), math.floor(y * over), math.floor(z * over), mask)
        nodes.following[count] = head[h]
        head[h] = count
        last = count
        count += 1
    nodes.is_end[q], nodes.is_end[last] = False, True
    return count


@inner
def _joined_one(nodes, count, head, over, places, i, habit, ground, track, roots):
    """Join one place: the new count of nodes; the old one negated where it has to wait, or as it is where it is not wanted."""
    x, y, z = places.positions[i, 0], places.positions[i, 1], places.positions[i, 2]
    near, squared = _nearest(nodes, count, head, over, x, y, z, habit.leap)
    apart = math.sqrt(squared)
    if near >= 0 and (apart < habit.gap or apart < 1e-9):
        return count
    if near < 0 or apart > habit.leap:
        return -count
    limit = min(1.7 * apart + habit.step, habit.leap)
    if count < _FEW:
        q = _cheapest_of_all(nodes, count, places, i, habit, ground.normals, limit)
    else:
        q = _cheapest(nodes, head, over, places, i, habit, ground.normals, limit)
    if q < 0:
        return -count
    if ground.normals.shape[0]:
        steps = _bow_over_surface(nodes, q, places, i, habit, ground, track)
    else:
        steps = _bow_through_space(nodes, q, places, i, habit, ground, track)
    if steps == 0 or count + steps > nodes.way.shape[0]:
        return -count
    return _taken(nodes, count, q, i, track, steps, roots, head, over)


@kernel
def _joined(nodes, roots, places, habit, ground, track, waiting, head, over, state, rounds):
    """Go on by so many places from where `state` stands; the table of nodes and its scale are handed back for the next call."""
    n = places.radii.shape[0]
    count, k, octave, retry = state[_COUNT], state[_NEXT], state[_OCTAVE], state[_RETRY]
    again, still = state[_AGAIN], state[_STILL]
    if octave == 0:
        octave = 1
        head = _filed(nodes, count, over, 64)
    while rounds > 0 and (k < n or retry < again):
        rounds -= 1
        if retry < again:
            i = waiting[retry]
            retry += 1
        else:
            # At every power of two: cells as large as places are apart by then, and those that wait come again.
            if k >= octave:
                octave *= 2
                over = 1.0 / max(places.radii[min(k, n - 1)], 1.5 * habit.step)
                cells = 64
                while cells < 2 * count + 64:
                    cells *= 2
                head = _filed(nodes, count, over, cells)
                again, retry, still = still, 0, 0
                if again:
                    continue
            i = k
            k += 1
        after = _joined_one(nodes, count, head, over, places, i, habit, ground, track, roots)
        if after < 0:
            waiting[still] = i
            still += 1
        else:
            count = after
    state[_COUNT], state[_NEXT], state[_OCTAVE], state[_RETRY] = count, k, octave, retry
    state[_AGAIN], state[_STILL] = again, still
    return head, over


def joined(
    roots: Matrix,
    root_triangles: Indices,
    places: Places,
    habit: Habit,
    ground: Ground,
    most: int,
    go_on: Callable[[], None],
) -> tuple[Nodes, int]:
    """Grow a tree from roots to places, in their order.

    Parameters
    ----------
    roots : float64 (r, 3)
        Where it begins, scene units; at least one.
    root_triangles : int32 (r,)
        The triangles that they lie on, on a surface.
    places : Places
        What is reached for, an order of which any beginning is even. What a place adds depends on earlier ones alone.
    habit : Habit
        How it grows.
    ground : Ground
        Where it may be.
    most : int
        Nodes that there is room for.
    go_on : callable
        Raises when the tree is no longer wanted; asked every few milliseconds.

    Returns
    -------
    Nodes, int
        The tree, and how many places it could not come to.
    """
    nodes = new_nodes(most)
    count = len(roots)
    nodes.positions[:count], nodes.along[:count] = roots, 0.0  # no direction of their own
    nodes.parent[:count], nodes.place[:count] = -1, -1
    nodes.way[:count] = nodes.home[:count] = 0.0
    nodes.generation[:count], nodes.triangle[:count] = 0, root_triangles
    track: Track = new_track()
    wanted = len(places.radii)
    waiting, head, over = np.empty(wanted, np.int32), np.empty(0, np.int32), 1.0
    state = np.zeros(_STATE, np.int64)
    state[_COUNT] = count
    while state[_NEXT] < wanted or state[_RETRY] < state[_AGAIN]:
        go_on()
        head, over = _joined(nodes, count, places, habit, ground, track, waiting, head, over, state, _ROUNDS)
    grown = int(state[_COUNT])
    return Nodes._make(array[:grown].copy() for array in nodes), int(state[_STILL])
