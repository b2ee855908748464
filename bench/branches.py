"""Branches: solving, growing and covering, beside trees of general libraries and space colonisation over the same places."""

import math
import statistics
import time
from collections.abc import Callable, Iterator

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components, dijkstra
from scipy.spatial import cKDTree

from bench.figures import Figure
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Falloff, Layer, RampPoint, Range, Route, Scene, Shape
from estompe.effects.skin import Skin
from estompe.effects.sprout import Sprout
from estompe.evaluation import Memo, evaluate
from estompe.falloffs.formula import FormulaSource
from estompe.geometry.branches.body import body_of
from estompe.geometry.branches.growth import Growing, at_moment
from estompe.geometry.branches.places import in_body, surface_places
from estompe.geometry.branches.tree import Tree, over_surface, through_body
from estompe.geometry.topology import Branching
from estompe.kernels.branches.joining import Habit
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes import primitives
from estompe.shapes.branches_space import BranchesThroughSpace
from estompe.shapes.sphere import Sphere

_ROOT = np.array([[0.0, -0.9, 0.0]])
_SAME = (RampPoint(0.0, 1.0, "linear"), RampPoint(1.0, 0.0, "linear"))
Places = NDArray[np.float64]


def figures() -> Iterator[Figure]:
    """All of them."""
    for count, step, solve, frame in ((20_000, 0.012, 600.0, 15.0), (100_000, 0.008, 4500.0, 80.0)):
        yield from _in_space(count, step, solve)
        yield from _on_surface(count, step, 2.0 * solve)
        yield from _frames(count, step, frame)
    yield from _stability()
    yield _murray()
    yield from _skin()


def _cores(task: Callable[[], object], rounds: int = 3) -> float:
    """Cores' time of a task in milliseconds, the least of some rounds after one that compiles."""
    task()
    taken = []
    for _ in range(rounds):
        began = time.process_time()
        task()
        taken.append((time.process_time() - began) * 1000.0)
    return min(taken)


def _in_space(count: int, step: float, bar: float) -> Iterator[Figure]:
    body = body_of(primitives.sphere(1.0, 24))
    ranked = in_body(body, count, 1)
    habit = Habit(step, 0.25, 0.6, 0.0, 1e12)
    yield Figure(f"places in space, {count:,}", _cores(lambda: in_body(body, count, 1)), 0.0, 0.0, "told")
    solved = _cores(lambda: through_body(body, _ROOT, ranked, habit), 2)
    yield Figure(f"branches through space solved, {count:,} places (bar: {bar:g} ms)", solved, bar, 1.0, "within")
    shortest = _cores(lambda: _shortest_ways(ranked.positions), 1)
    yield Figure(f"SciPy's shortest ways, straight edges only, the same {count:,} places", shortest, 0.0, 0.0, "told")
    apart = float(ranked.radii[-1])
    colonised = _cores(lambda: _colonised(ranked.positions, _ROOT, step, 3.0 * apart, apart), 1)
    yield Figure(f"space colonisation by NumPy, the same {count:,} places", colonised, 0.0, 0.0, "told")


def _on_surface(count: int, step: float, bar: float) -> Iterator[Figure]:
    ball = primitives.sphere(1.0, 64)
    habit, root = Habit(step, 0.25, 0.6, 0.0, 1e12), ball.rest[:1].astype(np.float64)
    first = np.array([int(np.flatnonzero((ball.topology.triangles == 0).any(axis=1))[0])], np.int32)

    def solve() -> Tree:
        return over_surface(ball, root, first, surface_places(ball, count, 1), habit)

    yield Figure(
        f"places on a surface and branches over it, {count:,} (bar: {bar:g} ms)", _cores(solve, 2), bar, 1.0, "within"
    )


def _project(count: int, step: float, sprout: Sprout, more: tuple[EffectSlot, ...] = ()) -> Project:
    """A ball full of branches that a falloff thins out a little more on every frame."""
    thins = Falloff("thins", "Thins", (Layer("l", FormulaSource("0.9 + frame / 1000")),), Range(1.0, 0.0), _SAME)
    slots = (EffectSlot("sprout", sprout, (Route("thins"),)), *more)
    source = BranchesThroughSpace(inside="ball", twigs=count, step=step)
    shapes = (Shape("ball", "Ball", Sphere(1.0, 24), visible=False), Shape("tree", "Tree", source, effects=slots))
    return Project(Scene(shapes, (), (thins,), first=1, last=101))


def _frame_times(project: Project) -> float:
    memo, taken = Memo(), []
    for number in range(20, 32):
        began = time.process_time()
        frame = evaluate(project, number, memo)
        taken.append((time.process_time() - began) * 1000.0)
        assert not frame.problems, frame.problems
    return statistics.median(taken[2:])


def _frames(count: int, step: float, bar: float) -> Iterator[Figure]:
    grown = Keyed((Key(1, 0.0, "linear"), Key(101, 1.0, "linear")))
    drawn = _frame_times(_project(count, step, Sprout(grown=grown, drawn="lines")))
    yield Figure(
        f"a grown frame that a falloff thins, {count:,} places, lines (bar: {bar:g} ms)", drawn, bar, 1.0, "within"
    )
    tubes = _frame_times(_project(count, step, Sprout(grown=grown)))
    yield Figure(f"a grown frame that a falloff thins, {count:,} places, tubes of six sides", tubes, 0.0, 0.0, "told")


def _stability() -> Iterator[Figure]:
    """What stays to the bit with 5 % more places, and with a falloff that widens."""
    body = body_of(primitives.sphere(1.0, 24))
    habit = Habit(0.012, 0.25, 0.6, 0.0, 1e12)
    few, more = (through_body(body, _ROOT, in_body(body, count, 1), habit) for count in (20_000, 21_000))
    rows = np.dtype((np.void, 12))
    old, new = (np.ascontiguousarray(tree.rest.positions).view(rows).reshape(-1) for tree in (few, more))
    lost = 1.0 - float(np.isin(old, new).mean())
    yield Figure("old branches that 5 % more places change (bar: none)", lost, 1e-9, 1.0, "within", "")
    branching = few.topology.branching
    assert branching is not None
    ones = np.ones(len(few.order), np.float32)
    narrow, wide = (
        at_moment(few.rest.positions, branching, np.float32(s) * ones, ones, Growing(1.0, 0.01, 0.05, 0.0, 2.5)).moment
        for s in (0.5, 0.525)
    )
    there = narrow.width > 0.0
    changed = float((narrow.positions[there] != wide.positions[there]).any(axis=1).mean())
    yield Figure("branches that a falloff wider by 5 % changes (bar: none)", changed, 1e-9, 1.0, "within", "")


def _murray() -> Figure:
    """How far the widths at forks are from Murray's law, full grown, at worst."""
    body = body_of(primitives.sphere(1.0, 24))
    tree = through_body(body, _ROOT, in_body(body, 20_000, 1), Habit(0.012, 0.25, 0.6, 0.0, 1e12))
    branching = tree.topology.branching
    assert branching is not None
    ones = np.ones(len(tree.order), np.float32)
    grown = at_moment(tree.rest.positions, branching, ones, ones, Growing(1.0, 1.0, 0.05, 0.0, 2.5)).moment
    power = grown.width.astype(np.float64) ** 2.5
    return Figure("Murray's law at forks, off by at worst (bar: 1e-5)", _off(branching, power), 1e-5, 1.0, "within", "")


def _off(branching: Branching, power: Places) -> float:
    inner = branching.parent >= 0
    out = np.bincount(branching.parent[inner], power[inner], len(power))
    out[branching.tips] += 1.0
    forks = np.bincount(branching.parent[inner], minlength=len(power)) > 1
    return float(np.abs(out / power - 1.0)[forks].max())


def _skin() -> Iterator[Figure]:
    """A skin over two thousand twigs: what it costs, and whether it is closed, in one part and without handles."""
    grown = Keyed((Key(1, 0.3, "linear"), Key(101, 1.0, "linear")))
    slot = EffectSlot("skin", Skin(voxel=0.008))
    project = _project(400, 0.02, Sprout(grown=grown, width=0.012), (slot,))
    yield Figure("a frame of the skin of 400 twigs, voxels of 0.008", _frame_times(project), 0.0, 0.0, "told")
    topology = evaluate(project, 101)["tree"].topology
    quads = topology.corners.reshape(-1, 4)
    edges = np.stack([quads, np.roll(quads, -1, axis=1)], axis=-1).reshape(-1, 2)
    points = int(quads.max()) + 1
    graph = coo_matrix((np.ones(len(edges)), (edges[:, 0], edges[:, 1])), (points, points))
    parts = connected_components(graph, directed=False)[0]
    euler = points - len(edges) // 2 + len(quads)
    yield Figure("parts of that skin (bar: 1)", float(parts), 1.0, 1.0, "within", "")
    yield Figure("handles of that skin (told)", float(parts - euler / 2), 0.0, 0.0, "told", "")
    yield Figure("edges of that skin that are not used twice", float(len(topology.open_edges)), 0.0, 0.0, "told", "")


def _shortest_ways(places: Places) -> NDArray[np.int32]:
    """The parent of each place on the shortest way home, of lengths squared, among its twelve nearest."""
    distance, near = cKDTree(places).query(places, 13)
    begins = np.repeat(np.arange(len(places)), 12)
    weights = (distance[:, 1:] ** 2).ravel()
    graph = coo_matrix((weights, (begins, near[:, 1:].ravel())), (len(places),) * 2).tocsr()
    _, parent = dijkstra(graph.maximum(graph.T), indices=0, return_predecessors=True)
    return np.asarray(parent)


@njit(cache=True)
def _pulled(places, nodes, near, far, alive, pull, pulls):  # type: ignore[no-untyped-def]
    """What pulls at each node: places that have it as their nearest."""
    for i in range(places.shape[0]):
        j = near[i]
        if alive[i] and j >= 0:
            length = math.sqrt(far[i]) + 1e-12
            for axis in range(3):
                pull[j, axis] += (places[i, axis] - nodes[j, axis]) / length
            pulls[j] += 1


def _colonised(places: Places, roots: Places, step: float, reach: float, gap: float) -> int:
    """Space colonisation (Runions, Lane and Prusinkiewicz 2007, doi:10.2312/NPH/NPH07/063-070), after its text."""
    tree, nodes, count = cKDTree(places), np.empty((4_000_000, 3)), len(roots)
    nodes[:count] = roots
    near, far = np.full(len(places), -1), np.full(len(places), np.inf)
    alive, fresh = np.ones(len(places), np.bool_), np.arange(count)
    pull, pulls = np.zeros_like(nodes), np.zeros(len(nodes), np.int32)
    # The first node takes all, so that the tree begins whatever the reach.
    far[:], near[:] = ((places - roots[0]) ** 2).sum(axis=1), 0
    for _ in range(2000):
        around = tree.query_ball_point(nodes[fresh], reach)
        for j, members in zip(fresh, around, strict=True):
            own = np.asarray(members, int)
            squared = ((places[own] - nodes[j]) ** 2).sum(axis=1)
            closer = squared < far[own]
            near[own[closer]], far[own[closer]] = j, squared[closer]
        alive &= far > gap * gap
        pull[:count], pulls[:count] = 0.0, 0
        _pulled(places, nodes, near, far, alive, pull, pulls)
        growing = np.flatnonzero(pulls[:count])
        ways = pull[growing]
        lengths = np.linalg.norm(ways, axis=1)
        growing, ways, lengths = growing[lengths > 1e-9], ways[lengths > 1e-9], lengths[lengths > 1e-9]
        if not len(growing) or count + len(growing) > len(nodes):
            break
        nodes[count : count + len(growing)] = nodes[growing] + step * ways / lengths[:, None]
        fresh = np.arange(count, count + len(growing))
        count += len(growing)
    return count
