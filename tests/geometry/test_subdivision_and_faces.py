"""Splitting, removing and joining faces, and enclosed volumes."""

import numpy as np
import pytest

from estompe.effects.subdivision import subdivided
from estompe.geometry import Domain, GeometryError
from estompe.geometry.faces import kept, laid_together, on_faces
from estompe.geometry.random import random_of
from estompe.geometry.volumes.volume import check_closed, towards_volume, volume
from estompe.kernels.volumes.enclosed import volume_along
from estompe.shapes import primitives


def _all(mesh):
    return np.ones(mesh.topology.faces, np.bool_)


def _round(mesh):
    return np.ones(len(mesh.points), np.float32)


def test_a_subdivided_cube_has_the_counts_and_places_of_catmull_and_clark():
    cube = primitives.box((2.0, 2.0, 2.0), 1, hard_edges=False)
    finer = subdivided(cube, _all(cube), _round(cube))
    assert (len(finer.points), finer.topology.faces) == (26, 24)
    assert finer.topology.closed
    # Corner of a cube of half width 1: (face middles + 2 edge middles) / valence, computed by hand.
    assert np.allclose(np.abs(finer.points[:8]), 5 / 9, atol=1e-6)
    middles = finer.points[8:20]
    assert np.allclose(np.sort(np.abs(middles), axis=1), [0, 0.75, 0.75], atol=1e-6)


def test_flat_and_straight_things_stay():
    sheet = primitives.grid(2.0, 2.0, 4, 4)
    finer = subdivided(sheet, _all(sheet), _round(sheet))
    assert np.abs(finer.points[:, 1]).max() == 0
    assert finer.bounds[0].tolist() == sheet.bounds[0].tolist()  # corners of the border stay
    assert np.allclose(
        finer.attribute(Domain.CORNER, "uv")[:, 0], finer.points[finer.topology.corners, 0] / 2 + 0.5, atol=1e-6
    )


def test_it_tends_to_the_limit_surface():
    mesh = primitives.box((2.0, 2.0, 2.0), 1, hard_edges=False)
    for _ in range(5):
        mesh = subdivided(mesh, _all(mesh), _round(mesh))
    # The limit of a point with four faces, from the places after the first split: (16 v + 4 sum(e) + sum(f)) / 36.
    assert mesh.bounds[1][0] == pytest.approx((16 * 1 + 4 * 4 * 0.75 + 4 * 5 / 9) / 36, abs=1e-3)


def test_splitting_some_faces_leaves_the_mesh_closed_and_its_volume_alone():
    sphere = primitives.sphere(1.0, 6)
    faces = sphere.points[sphere.topology.corners[sphere.topology.offsets[:-1]]][:, 1] > 0.2
    finer = subdivided(sphere, faces, None)
    assert finer.topology.closed
    assert finer.topology.faces == sphere.topology.faces + 3 * faces.sum()
    assert max(np.diff(finer.topology.offsets)) > 4  # neighbours took the middles as corners
    # Faces of the sphere are not flat, so splitting them about their middles moves the volume a little.
    assert volume(finer.points, finer.topology.triangles) == pytest.approx(
        volume(sphere.points, sphere.topology.triangles), rel=0.01
    )


def test_attributes_of_every_kind_go_along():
    mesh = primitives.grid(1.0, 1.0, 2, 2)
    mesh = mesh.with_attribute(Domain.POINT, "x", mesh.points[:, 0].copy())
    mesh = mesh.with_attribute(Domain.FACE, "group", np.array([True, False, False, True]))
    mesh = mesh.with_attribute(Domain.WHOLE, "one", np.array([3.0]))
    finer = subdivided(mesh, np.array([True, False, False, False]), None)
    assert np.allclose(finer.attribute(Domain.POINT, "x"), finer.points[:, 0], atol=1e-6)
    assert finer.attribute(Domain.FACE, "group").tolist() == [True] * 4 + [False, False, True]
    assert finer.attribute(Domain.WHOLE, "one").tolist() == [3.0]
    assert np.allclose(finer.rest, finer.points)


def test_every_frame_shares_the_finer_topology_and_what_did_not_change():
    mesh = primitives.sphere(1.0, 6)
    chosen = mesh.points[mesh.topology.corners[mesh.topology.offsets[:-1]]][:, 1] > 0.2
    first = subdivided(mesh, chosen, _round(mesh))
    moved = mesh.moved(mesh.points * np.float32(2.0))
    again = subdivided(moved, chosen.copy(), _round(mesh))
    assert again.topology is first.topology
    assert again.attribute(Domain.CORNER, "uv") is first.attribute(Domain.CORNER, "uv")
    assert again.rest is first.rest
    assert np.abs(again.points - 2 * first.points).max() < 1e-6
    assert subdivided(moved, ~chosen, None).topology is not first.topology
    other = mesh.with_attribute(Domain.CORNER, "uv", mesh.attribute(Domain.CORNER, "uv") * np.float32(0.5))
    halved = subdivided(other, chosen, _round(mesh)).attribute(Domain.CORNER, "uv")
    assert np.allclose(halved, first.attribute(Domain.CORNER, "uv") / 2)


def test_rounding_by_parts_lies_between_flat_and_round():
    mesh = primitives.box((1.0, 1.0, 1.0), 3)
    flat, round_ = (subdivided(mesh, _all(mesh), rounded).points for rounded in (None, _round(mesh)))
    half = subdivided(mesh, _all(mesh), np.full(len(mesh.points), 0.5, np.float32)).points
    assert np.abs(half - (flat + round_) / 2).max() < 1e-6


def test_a_topology_keeps_the_last_few_things_made_from_it():
    topology = primitives.grid(1.0, 1.0, 2, 2).topology
    made = []
    ask = lambda key: topology.derived(key, lambda: made.append(key) or object())  # noqa: E731
    first = ask("a")
    assert ask("a") is first
    assert made == ["a"]
    for number in range(10):
        ask(number)
    assert ask("a") is not first
    assert made.count("a") == 2


def test_faces_that_are_kept_again_share_their_topology():
    mesh = primitives.sphere(1.0, 4)
    faces = np.arange(mesh.topology.faces) % 3 > 0
    assert kept(mesh, faces).topology is kept(mesh.moved(mesh.points + np.float32(1)), faces.copy()).topology
    assert laid_together(mesh, mesh).topology is laid_together(mesh.moved(mesh.points * np.float32(2)), mesh).topology


def test_kept_faces_and_means_on_faces():
    mesh = primitives.grid(1.0, 1.0, 3, 1)
    fewer = kept(mesh, np.array([True, False, True]))
    assert fewer.topology.faces == 2
    assert len(fewer.points) == len(mesh.points)
    assert len(fewer.attribute(Domain.CORNER, "uv")) == 8
    assert kept(mesh, np.ones(3, np.bool_)) is mesh
    assert np.allclose(on_faces(mesh, mesh.points[:, 0].copy()), [-1 / 3, 0, 1 / 3], atol=1e-6)


def test_two_meshes_as_one():
    both = laid_together(primitives.sphere(1.0, 3), primitives.box((1, 1, 1), 2))
    assert both.topology.faces == 54 + 24
    assert both.topology.closed
    assert volume(both.points, both.topology.triangles) == pytest.approx(
        volume(primitives.sphere(1.0, 3).points, primitives.sphere(1.0, 3).topology.triangles) + 1.0, rel=1e-5
    )


def test_volumes():
    box = primitives.box((2.0, 3.0, 0.5), 4)
    assert volume(box.points, box.topology.triangles) == pytest.approx(3.0)
    assert volume(box.points + np.float32(10), box.topology.triangles) == pytest.approx(3.0, rel=1e-4)
    with pytest.raises(GeometryError, match="16 open edges"):
        check_closed(primitives.grid(1, 1, 4, 4))


def test_the_way_to_a_volume_is_exact():
    sphere = primitives.sphere(1.0, 20)
    triangles = sphere.topology.triangles
    wanted = volume(sphere.points, triangles) * 1.3
    step = towards_volume(sphere.points, sphere.normals, triangles, wanted)
    assert volume(sphere.points + sphere.normals * np.float32(step), triangles) == pytest.approx(wanted, rel=1e-5)


def test_the_volume_along_directions_is_a_cubic_of_the_way():
    sphere = primitives.sphere(0.8, 8)
    along = np.random.default_rng(4).normal(size=sphere.points.shape).astype(np.float32)
    cubic = volume_along(sphere.points, along, sphere.topology.triangles)
    for way in (-0.5, 0.0, 0.25, 1.5):
        exact = np.float64(sphere.points) + way * np.float64(along)
        corners = exact[sphere.topology.triangles]
        expected = np.einsum("ij,ij->", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])) / 6
        assert np.polynomial.Polynomial(cubic)(way) == pytest.approx(expected, rel=1e-9)


def test_attributes_move_from_faces_corners_and_the_whole_to_points():
    mesh = primitives.grid(2.0, 1.0, 2, 1)
    mesh = mesh.with_attribute(Domain.FACE, "f", np.array([1.0, 3.0], np.float32))
    mesh = mesh.with_attribute(Domain.WHOLE, "w", np.array([7.0], np.float32))
    assert mesh.on_points("f").tolist() == [1, 2, 3, 1, 2, 3]
    assert mesh.on_points("w").tolist() == [7] * 6
    assert np.allclose(mesh.on_points("uv")[:, 0], mesh.points[:, 0] / 2 + 0.5)
    assert mesh.on_points("none") is None


def test_random_numbers_are_even_and_fixed():
    values = random_of(np.arange(100_000), 3)
    assert np.histogram(values, 10, (0, 1))[0].min() > 9600
    assert np.array_equal(values[:10], random_of(np.arange(10), 3))
    assert abs(np.corrcoef(values[:-1], values[1:])[0, 1]) < 0.01
    assert (random_of(np.arange(10), 4) != values[:10]).all()


def test_meshes_laid_together_share_what_is_known_of_their_rest():
    sphere = primitives.sphere(1.0, 4)
    bent = sphere.moved(sphere.points * np.float32(2.0))
    first, second = laid_together(sphere, sphere), laid_together(bent, bent)
    assert first.at_rest is second.at_rest
    assert np.array_equal(first.rest, np.concatenate([sphere.rest, sphere.rest]))
    assert laid_together(bent, primitives.box((1.0, 1.0, 1.0), 1)).at_rest is not first.at_rest
