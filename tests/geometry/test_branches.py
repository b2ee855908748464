"""Branches: places, trees, lines, growth and skin, against closed forms and against plain counting of their own."""

from collections import Counter

import numpy as np
import pytest
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from estompe.geometry.branches.body import body_of
from estompe.geometry.branches.growth import Growing, as_lines, as_tubes, at_moment
from estompe.geometry.branches.places import in_body, surface_places
from estompe.geometry.branches.skin import skinned
from estompe.geometry.branches.tree import over_surface, through_body
from estompe.geometry.geometry import Domain, Geometry, GeometryError
from estompe.geometry.rest import Rest
from estompe.geometry.topology import Lines, Topology
from estompe.kernels.branches.joining import Habit
from estompe.kernels.surface import feet, nearest_on_surface, tree_of
from estompe.shapes import primitives
from estompe.shapes.box import Box

_HABIT = Habit(0.03, 0.25, 0.6, 0.0, 1e12)


@pytest.fixture(scope="module")
def ball():
    return primitives.sphere(1.0, 24)


@pytest.fixture(scope="module")
def crown(ball):
    """A tree in a ball."""
    body = body_of(ball)
    return through_body(body, np.array([[0.0, -0.9, 0.0]]), in_body(body, 900, 1), _HABIT)


def _over(mesh, count, root, habit=_HABIT, seed=1):
    near = np.array([root], np.float32)
    triangles = mesh.topology.triangles
    found = nearest_on_surface(near, tree_of(mesh.rest, triangles, mesh.at_rest.triangle_order(mesh.topology)))
    begun = feet(near, mesh.rest, triangles, found).astype(np.float64)
    return over_surface(mesh, begun, found.triangle, surface_places(mesh, count, seed), habit)


def _full(tree, **numbers):
    growing = Growing(**{"share": 1.0, "thin": 0.01, "taper": 0.05, "wait": 0.0, "gather": 2.5} | numbers)
    ones = np.ones(len(tree.order), np.float32)
    return at_moment(tree.rest.positions, tree.topology.branching, ones, ones, growing)


def _children(branching):
    children = [[] for _ in branching.parent]
    for vertex, parent in enumerate(branching.parent):
        if parent >= 0:
            children[parent].append(vertex)
    return children


def test_places_lie_inside_and_any_beginning_is_the_same_and_even(ball):
    body = body_of(ball)
    many, few = in_body(body, 4000, 1), in_body(body, 500, 1)
    assert np.array_equal(many.positions[:500], few.positions)
    assert np.array_equal(many.ids[:500], few.ids)
    assert len(np.unique(many.ids)) == 4000
    assert np.linalg.norm(many.positions, axis=1).max() < 1.0
    for count in (200, 4000):
        near = cKDTree(many.positions[:count]).query(many.positions[:count], 2)[0][:, 1]
        alike = np.cbrt(4.0 / 3.0 * np.pi / count)
        assert near.min() > 0.3 * alike
        # Each eighth of the ball has about an eighth of them.
        octants = Counter(map(tuple, many.positions[:count] > 0.0))
        assert max(octants.values()) < 1.35 * count / 8


def test_places_on_a_surface_hardly_depend_on_its_mesh(ball):
    coarse = surface_places(ball, 2000, 3)
    fine = surface_places(primitives.sphere(1.0, 48), 2000, 3)
    assert np.isin(coarse.ids, fine.ids).mean() > 0.93
    assert np.abs(np.linalg.norm(fine.positions, axis=1) - 1.0).max() < 2e-3
    assert not np.isin(surface_places(ball, 2000, 4).ids, coarse.ids).any()


def test_more_places_leave_every_branch_as_it_was(ball):
    body = body_of(ball)
    root = np.array([[0.0, -0.9, 0.0]])
    few = through_body(body, root, in_body(body, 600, 1), _HABIT)
    more = through_body(body, root, in_body(body, 630, 1), _HABIT)
    old = {bytes(row) for row in few.rest.positions}
    assert old <= {bytes(row) for row in more.rest.positions}
    assert len(more.order) > len(few.order)


def test_vertices_come_after_their_parents_and_steps_are_short(crown):
    branching = crown.topology.branching
    vertices = np.arange(len(branching.parent))
    assert (branching.parent < vertices).all()
    inner = branching.parent >= 0
    steps = np.linalg.norm(crown.rest.positions[inner] - crown.rest.positions[branching.parent[inner]], axis=1)
    assert steps.max() < 3.0 * _HABIT.step
    assert np.allclose(steps, (branching.way[inner] - branching.way[branching.parent[inner]]), atol=1e-5)
    assert len(branching.tips) + crown.left == 900
    ends = crown.topology.lines.offsets[1:] - 1
    assert set(ends.tolist()) <= set(branching.tips.tolist())
    assert len(np.unique(crown.topology.pieces.ids)) == len(ends)


def test_a_line_goes_on_with_the_child_that_carries_most(crown):
    branching, lines = crown.topology.branching, crown.topology.lines
    children = _children(branching)
    weight = np.ones(len(branching.parent), int)
    first = np.zeros(len(branching.parent), bool)
    first[lines.offsets[:-1]] = True
    weight[first & (branching.parent >= 0)] = 0  # forks stand there a second time
    for vertex in range(len(children) - 1, -1, -1):
        weight[vertex] += sum(weight[child] for child in children[vertex])
    for vertex, own in enumerate(children):
        others = [child for child in own if first[child]]
        if own and vertex + 1 in own and not first[vertex + 1]:
            assert all(weight[vertex + 1] >= weight[other] for other in others)


def test_nothing_leaves_the_body_it_fills():
    ring = primitives.torus(0.7, 0.25, 64, 32)
    body = body_of(ring)
    tree = through_body(body, np.array([[0.7, 0.0, 0.0]]), in_body(body, 1500, 1), _HABIT)
    x, y, z = tree.rest.positions.astype(np.float64).T
    assert (np.hypot(np.hypot(x, z) - 0.7, y) <= 0.25 + 1e-3).all()
    branching = tree.topology.branching
    middles = 0.5 * (tree.rest.positions[1:] + tree.rest.positions[branching.parent[1:]])[branching.parent[1:] >= 0]
    assert (np.hypot(np.hypot(middles[:, 0], middles[:, 2]) - 0.7, middles[:, 1]) <= 0.26).all()
    assert tree.left < 30


def test_on_a_surface_every_vertex_lies_on_the_triangle_it_names(ball):
    tree = _over(ball, 1500, (0.0, -1.0, 0.0))
    corners = ball.rest[ball.topology.triangles[tree.triangle]].astype(np.float64)
    places = (corners * tree.shares[:, :, None]).sum(axis=1)
    assert np.abs(places - tree.rest.positions).max() < 1e-5
    assert tree.left < 15
    branching = tree.topology.branching
    steps = (branching.way - branching.way[np.maximum(branching.parent, 0)])[branching.parent >= 0]
    assert steps.max() < 1.3 * _HABIT.step


def test_a_way_over_a_folded_sheet_is_about_as_long_as_it_is_unfolded():
    sheet = primitives.grid(2.0, 0.4, 40, 8)
    points = sheet.points.copy()
    folded = points[:, 0] > 0.0
    points[folded, 1], points[folded, 0] = points[folded, 0], 0.0
    bent = Geometry(points, sheet.topology)
    tree = _over(bent, 300, (-0.9, 0.0, 0.0), Habit(0.01, 1.0, 0.0, 0.0, 1e12))
    top = np.argmax(tree.rest.positions[:, 1])
    unfolded = np.hypot(0.9 + tree.rest.positions[top, 1], tree.rest.positions[top, 2])
    assert unfolded <= tree.topology.branching.way[top] * (1.0 + 1e-6)
    assert tree.topology.branching.way[top] < 1.25 * unfolded


def test_a_thin_plate_is_not_gone_through():
    plate = Box(1.0, 0.02, 1.0, 12).build({})
    tree = _over(plate, 800, (0.0, 0.01, 0.0), Habit(0.01, 0.2, 0.5, 0.0, 1e12))
    branching = tree.topology.branching
    inner = branching.parent >= 0
    here, there = tree.rest.positions[inner], tree.rest.positions[branching.parent[inner]]
    through = (here[:, 1] * there[:, 1] < 0.0) & (np.abs(here[:, [0, 2]]).max(axis=1) < 0.48)
    assert not through.any()


def test_places_nearer_than_the_gap_get_no_twig(ball):
    body = body_of(ball)
    root, ranked = np.array([[0.0, -0.9, 0.0]]), in_body(body, 900, 1)
    whole = through_body(body, root, ranked, _HABIT)
    sparse = through_body(body, root, ranked, _HABIT._replace(gap=0.1))
    assert 0.1 < len(sparse.topology.branching.tips) / len(whole.topology.branching.tips) < 0.9
    short = through_body(body, root, ranked, _HABIT._replace(leap=0.25))
    assert short.left >= 0
    lengths = np.diff(short.topology.branching.way[short.topology.lines.offsets[:-1]])
    assert np.isfinite(lengths).all()


def test_murrays_law_holds_at_every_fork_of_what_is_full_grown(crown):
    gather, thin = 2.5, 0.01
    moment, _ = _full(crown, gather=gather, thin=thin)
    branching = crown.topology.branching
    children = _children(branching)
    is_tip = np.zeros(len(branching.parent), bool)
    is_tip[branching.tips] = True
    power = (moment.width.astype(np.float64) / thin) ** gather
    forks = [vertex for vertex, own in enumerate(children) if len(own) > 1]
    assert len(forks) > 100
    for vertex in forks:
        out = sum(power[child] for child in children[vertex]) + is_tip[vertex]
        assert abs(out - power[vertex]) < 1e-5 * power[vertex]
    roots = branching.parent < 0
    assert moment.flow[roots].sum() == pytest.approx(len(branching.tips), abs=1e-3)


@pytest.mark.parametrize("share", [0.0, 0.15, 0.5, 0.9])
def test_what_the_front_has_not_reached_waits_at_the_tip(crown, share):
    moment, arrival = _full(crown, share=share)
    branching = crown.topology.branching
    reached = moment.past > 0.0
    assert np.array_equal(moment.positions[reached], crown.rest.positions[reached])
    waits = ~reached & (moment.width == 0.0)
    parent = np.maximum(branching.parent, 0)
    beyond = waits & waits[parent] & (branching.parent >= 0) & (arrival[parent] > share)
    assert np.array_equal(moment.positions[beyond], moment.positions[parent[beyond]])
    assert (arrival[moment.past > 1e-6] <= share).all()


def test_growth_is_continuous_and_full_at_one(crown):
    one, two = _full(crown, share=0.5)[0], _full(crown, share=0.5001)[0]
    whole = crown.topology.branching.way.max() + 0.1
    assert np.linalg.norm(one.positions - two.positions, axis=1).max() < 2.0 * 0.0001 * whole
    full = _full(crown)[0]
    assert np.array_equal(full.positions, crown.rest.positions)
    assert full.width.min() == pytest.approx(0.01, rel=1e-6)


def test_hasted_twigs_come_sooner_and_forks_can_wait(crown):
    branching = crown.topology.branching
    ones = np.ones(len(crown.order), np.float32)
    growing = Growing(0.5, 0.01, 0.05, 0.0, 2.5)
    plain = at_moment(crown.rest.positions, branching, ones, ones, growing)
    fast = np.where(crown.rest.positions[:, 0] > 0.0, np.float32(4.0), np.float32(1.0))
    hasted = at_moment(crown.rest.positions, branching, ones, fast, growing)
    right = crown.rest.positions[:, 0] > 0.3
    assert (hasted.moment.past[right] > 0).mean() > 1.2 * (plain.moment.past[right] > 0).mean()
    waited = at_moment(crown.rest.positions, branching, ones, ones, growing._replace(wait=0.4))
    late = branching.generation > 3
    assert (waited.moment.past[late] > 0).mean() < (plain.moment.past[late] > 0).mean()


def test_a_falloff_prunes_late_twigs_first_and_what_stays_keeps_every_bit(crown):
    branching = crown.topology.branching
    ones = np.ones(len(crown.order), np.float32)
    growing = Growing(1.0, 0.01, 0.05, 0.0, 2.5)
    before = None
    for strength in (0.1, 0.3, 0.35, 1.0):
        moment, _ = at_moment(crown.rest.positions, branching, ones * np.float32(strength), ones, growing)
        there = moment.width > 0.0
        assert np.array_equal(moment.positions[there], crown.rest.positions[there])
        tips = there[branching.tips] & (moment.flow[branching.tips] > 0.0)
        led = branching.shares < strength
        assert (tips | ~led).all()
        if before is not None:
            assert (there | ~before).all()
        before = there
    nothing, _ = at_moment(crown.rest.positions, branching, 0.0 * ones, ones, growing)
    assert not nothing.width.any()
    half = np.where(crown.rest.positions[:, 0] > 0.0, np.float32(1.0), np.float32(0.0))
    one_side, _ = at_moment(crown.rest.positions, branching, half, ones, growing)
    kept = one_side.width[branching.tips] > 0.0
    assert kept[crown.rest.positions[branching.tips, 0] > 0.0].all()


def _closed(mesh):
    """Whether each edge is used once each way, the Euler number, and how many parts there are."""
    sizes = np.diff(mesh.topology.offsets)
    corners = mesh.topology.corners
    following = np.arange(1, len(corners) + 1)
    following[mesh.topology.offsets[1:] - 1] = mesh.topology.offsets[:-1]
    edges = np.stack([corners, corners[following]], axis=1)
    one, back = {tuple(edge) for edge in edges.tolist()}, {tuple(edge[::-1]) for edge in edges.tolist()}
    used = np.unique(corners)
    graph = coo_matrix((np.ones(len(edges)), edges.T), (len(mesh.points),) * 2)
    parts = connected_components(graph, directed=False)[1][used]
    euler = len(used) - len(one) // 2 + len(sizes)
    return one == back and len(one) == len(edges), euler, len(np.unique(parts))


def _volume(mesh):
    a, b, c = (mesh.points[mesh.topology.triangles[:, k]].astype(np.float64) for k in range(3))
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6.0)


def test_tubes_are_closed_and_have_the_volume_of_prisms(crown):
    moment, _ = _full(crown)
    mesh = as_tubes(_grown(crown), moment.positions, moment.width, 6, {})
    closed, euler, parts = _closed(mesh)
    lines = crown.topology.lines
    count = len(lines.offsets) - 1
    assert (closed, euler, parts) == (True, 2 * count, count)
    assert mesh.topology is as_tubes(_grown(crown), moment.positions, moment.width, 6, {}).topology
    assert mesh.topology.is_sound
    straight = _line(np.array([[0.0, 0.0, 0.0], [0.0, 0.5, 0.0], [0.0, 1.0, 0.0]], np.float32), 0.2)
    tube = as_tubes(straight, straight.points, np.full(3, 0.2, np.float32), 8, {})
    area = 0.5 * 8 * 0.1**2 * np.sin(2.0 * np.pi / 8)
    assert _volume(tube) == pytest.approx(area, rel=1e-5)


def _grown(tree):
    return Geometry(tree.rest.positions, tree.topology, {}, tree.rest)


def _line(points, width):
    lines = Lines(np.arange(len(points), dtype=np.int32), np.array([0, len(points)], np.int32))
    topology = Topology(np.zeros(0, np.int32), np.zeros(1, np.int32), len(points), None, lines)
    attributes = {(Domain.POINT, "width"): np.full(len(points), width, np.float32)}
    return Geometry(points, topology, attributes, Rest(points))


def test_a_skin_is_closed_and_in_one_part_while_it_grows(crown):
    for share in (0.3, 1.0):
        moment, _ = _full(crown, share=share, thin=0.012)
        lines = as_lines(_grown(crown), moment.positions, {"width": moment.width})
        mesh = skinned(lines, np.ones(len(lines.points), np.float32), np.eye(4)[:3], 0.016, 2.0)
        closed, _, parts = _closed(mesh)
        assert (closed, parts) == (True, 1)
        assert mesh.spine is lines


def test_the_skin_of_a_simple_fork_is_a_ball_that_was_pulled():
    points = np.array([[0, 0, 0], [0, 0.5, 0], [0.3, 1, 0], [0, 0.5, 0], [-0.3, 1, 0]], np.float32)
    lines = Lines(np.arange(5, dtype=np.int32), np.array([0, 3, 5], np.int32))
    topology = Topology(np.zeros(0, np.int32), np.zeros(1, np.int32), 5, None, lines)
    fork = Geometry(points, topology, {(Domain.POINT, "width"): np.full(5, 0.12, np.float32)}, Rest(points))
    mesh = skinned(fork, np.ones(5, np.float32), np.eye(4)[:3], 0.01, 2.0)
    assert _closed(mesh) == (True, 2, 1)


def test_the_skin_of_one_segment_is_a_capsule():
    capsule = _line(np.array([[0.0, -0.5, 0.0], [0.0, 0.5, 0.0]], np.float32), 0.3)
    mesh = skinned(capsule, np.ones(2, np.float32), np.eye(4)[:3], 0.02, 2.0)
    exact = np.pi * 0.15**2 * 1.0 + 4.0 / 3.0 * np.pi * 0.15**3
    assert _volume(mesh) == pytest.approx(exact, rel=0.01)
    off = mesh.points.astype(np.float64)
    off[:, 1] -= np.clip(off[:, 1], -0.5, 0.5)
    assert np.abs(np.linalg.norm(off, axis=1) - 0.15).max() < 2e-3


def test_a_skin_of_nothing_and_of_too_much_says_so():
    capsule = _line(np.array([[0.0, -0.5, 0.0], [0.0, 0.5, 0.0]], np.float32), 0.3)
    ones = np.ones(2, np.float32)
    with pytest.raises(GeometryError, match="none of its lines has a width"):
        skinned(capsule, 0.0 * ones, np.eye(4)[:3], 0.02, 2.0)
    with pytest.raises(GeometryError, match="use voxels of"):
        skinned(capsule, ones, np.eye(4)[:3], 1e-4, 2.0)
    with pytest.raises(GeometryError, match="covers strands or branches"):
        skinned(primitives.sphere(1.0, 4), ones, np.eye(4)[:3], 0.02, 2.0)
