"""Nearest places on surfaces and lines against brute force and closed forms."""

import numpy as np
import pytest

from estompe.kernels.polyline import nearest_on_polyline
from estompe.kernels.sides import signs
from estompe.kernels.surface import feet, nearest_on_surface, tree_of, triangle_order
from estompe.shapes import primitives


@pytest.fixture(scope="module")
def queries():
    return np.random.default_rng(1).uniform(-1.5, 1.5, (4000, 3)).astype(np.float32)


def test_distance_to_a_box_is_the_closed_form(queries):
    box = primitives.box((1.0, 1.0, 1.0), 5)
    found = nearest_on_surface(queries, box.tree)
    outside = np.abs(queries) - 0.5
    exact = np.linalg.norm(np.maximum(outside, 0), axis=1) + np.minimum(outside.max(axis=1), 0)
    assert np.abs(found.distance - np.abs(exact)).max() < 1e-5
    signed = _signs(queries, box, found)
    clear = np.abs(exact) > 1e-5
    assert np.array_equal(signed[clear] < 0, exact[clear] < 0)


def test_the_nearest_place_is_where_it_says(queries):
    sphere = primitives.sphere(0.8, 12)
    triangles = sphere.topology.triangles
    found = nearest_on_surface(queries, tree_of(sphere.points, triangles, triangle_order(sphere.points, triangles)))
    corners = sphere.points[triangles[found.triangle]]
    v, w = found.weights[:, :1], found.weights[:, 1:]
    place = corners[:, 0] * (1 - v - w) + corners[:, 1] * v + corners[:, 2] * w
    assert np.abs(np.linalg.norm(queries - place, axis=1) - found.distance).max() < 1e-5
    assert np.abs(feet(queries, sphere.points, triangles, found) - place).max() < 1e-6
    assert found.weights.min() >= 0
    assert found.weights.sum(axis=1).max() <= 1 + 1e-6
    to_points = np.linalg.norm(queries[:200, None] - sphere.points[None], axis=2).min(axis=1)
    assert (found.distance[:200] <= to_points + 1e-6).all()


def test_signs_of_a_ring_with_a_hole_through_it():
    ring = primitives.lathe(_circle(0.7, 0.2, 24), 48, 48)
    mesh = _welded(ring)
    rng = np.random.default_rng(5)
    points = rng.uniform(-1, 1, (3000, 3)).astype(np.float32)
    found = nearest_on_surface(points, mesh.tree)
    signed = _signs(points, mesh, found) * found.distance
    exact = np.hypot(np.hypot(points[:, 0], points[:, 2]) - 0.7, points[:, 1]) - 0.2
    clear = np.abs(exact) > 0.02
    assert mesh.topology.closed
    assert np.array_equal(signed[clear] < 0, exact[clear] < 0)


def _signs(places, mesh, found):
    topology = mesh.topology
    return signs(places, mesh.points, topology.triangles, topology.triangle_edges, mesh.outwards, found)


def _circle(middle, radius, count):
    angle = np.linspace(-np.pi / 2, 1.5 * np.pi, count + 1)
    return np.stack([middle + radius * np.cos(angle), radius * np.sin(angle)], axis=1)


def _welded(mesh):
    """The profile's last ring joined to its first."""
    _, first, same = np.unique(np.round(mesh.points, 4), axis=0, return_index=True, return_inverse=True)
    return mesh.from_faces(mesh.points[first], same.reshape(-1)[mesh.topology.corners], mesh.topology.offsets)


def test_nothing_is_looked_for_beyond_the_farthest_distance(queries):
    sphere = primitives.sphere(0.5, 12)
    everything = nearest_on_surface(queries, sphere.tree)
    near = nearest_on_surface(queries, sphere.tree, most=0.3)
    within = everything.distance < 0.3 - 1e-6
    assert np.array_equal(near.distance[within], everything.distance[within])
    beyond = everything.distance > 0.3 + 1e-6
    assert (near.triangle[beyond] == -1).all()
    assert np.array_equal(feet(queries, sphere.points, sphere.topology.triangles, near)[beyond], queries[beyond])


@pytest.mark.parametrize("count", [1, 3, 4, 5, 15, 16, 17, 255, 256, 257, 273])
def test_any_number_of_places_and_of_triangles(queries, count):
    """Packets, leaves and chunks that are not full, against every triangle tried with a general solver."""
    sphere = primitives.sphere(0.8, 7)
    triangles = np.ascontiguousarray(sphere.topology.triangles[:count])
    tree = tree_of(sphere.points, triangles, triangle_order(sphere.points, triangles))
    found = nearest_on_surface(queries[:count], tree)
    exact = _to_triangles(queries[:count].astype(np.float64), sphere.points[triangles].astype(np.float64))
    assert np.abs(found.distance - exact.min(axis=1)).max() < 1e-6
    assert np.abs(exact[np.arange(count), found.triangle] - exact.min(axis=1)).max() < 1e-6


def _to_triangles(places, corners):
    """Distances of all places from all triangles: to the plane where the foot is within, else to the nearest side."""
    a, b, c = corners[None, :, 0], corners[None, :, 1], corners[None, :, 2]
    sides = np.stack([_to_line(places[:, None], *ends) for ends in ((a, b), (b, c), (c, a))]).min(axis=0)
    normal = np.cross(b - a, c - a)
    normal /= np.linalg.norm(normal, axis=2, keepdims=True)
    height = ((places[:, None] - a) * normal).sum(axis=2)
    foot = places[:, None] - height[..., None] * normal
    turns = [(np.cross(q - p, foot - p) * normal).sum(axis=2) for p, q in ((a, b), (b, c), (c, a))]
    return np.where(np.min(turns, axis=0) >= 0, np.abs(height), sides)


def _to_line(places, begin, end):
    step = end - begin
    fraction = np.clip(((places - begin) * step).sum(axis=2) / (step**2).sum(axis=2), 0, 1)
    return np.linalg.norm(places - begin - fraction[..., None] * step, axis=2)


def test_a_tree_in_the_order_of_other_places_finds_the_same(queries):
    sphere = primitives.sphere(0.8, 12)
    bent = sphere.moved(sphere.points * np.array([0.3, 2.0, 1.0], np.float32) + np.sin(3 * sphere.points[:, ::-1]))
    own = tree_of(bent.points, bent.topology.triangles, triangle_order(bent.points, bent.topology.triangles))
    assert np.array_equal(nearest_on_surface(queries, bent.tree).distance, nearest_on_surface(queries, own).distance)
    assert not np.array_equal(bent.tree.order, own.order)


def test_triangles_without_area_do_no_harm(queries):
    """A sliver and a triangle that is one point lie in the sheet whose distance is known."""
    points = np.array([[-1, 0, -1], [1, 0, -1], [1, 0, 1], [-1, 0, 1], [0, 0, 1]], np.float32)
    triangles = np.array([[0, 1, 2], [2, 2, 2], [0, 2, 3], [3, 4, 2]], np.int32)
    found = nearest_on_surface(queries, tree_of(points, triangles, triangle_order(points, triangles)))
    over = queries - np.clip(queries, [-1, 0, -1], [1, 0, 1])
    assert np.abs(found.distance - np.linalg.norm(over, axis=1)).max() < 1e-6


def test_inside_the_box_it_may_be_looked_farther(queries):
    sphere = primitives.sphere(0.5, 12)
    everything = nearest_on_surface(queries, sphere.tree)
    found = nearest_on_surface(queries, sphere.tree, most=0.1, within=np.inf)
    inside = (np.abs(queries) < 0.5 - 1e-3).all(axis=1)
    assert inside.any()
    assert np.array_equal(found.triangle[inside], everything.triangle[inside])
    far = ~(np.abs(queries) < 0.5 + 1e-3).all(axis=1) & (everything.distance > 0.1 + 1e-6)
    assert far.any()
    assert (found.triangle[far] == -1).all()


def test_a_polyline_against_every_segment(queries):
    line = np.cumsum(np.random.default_rng(2).normal(0, 0.3, (40, 3)), axis=0).astype(np.float32)
    distance, along = nearest_on_polyline(queries, line)
    begin, step = line[:-1].astype(np.float64), np.diff(line.astype(np.float64), axis=0)
    gaps = queries[:, None] - begin[None]
    fraction = np.clip((gaps * step).sum(axis=2) / (step**2).sum(axis=1), 0, 1)
    all_distances = np.linalg.norm(gaps - fraction[..., None] * step, axis=2)
    assert np.abs(distance - all_distances.min(axis=1)).max() < 1e-5
    lengths = np.linalg.norm(step, axis=1)
    best = np.argmin(all_distances, axis=1)
    rows = np.arange(len(queries))
    exact = (np.concatenate([[0], np.cumsum(lengths)])[best] + fraction[rows, best] * lengths[best]) / lengths.sum()
    clear = np.sort(all_distances, axis=1)[:, 1] - all_distances.min(axis=1) > 1e-4
    assert np.abs(along - exact)[clear].max() < 1e-4
    assert along.min() >= 0
    assert along.max() <= 1
