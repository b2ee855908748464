"""Hard edges: normals at corners tell them, and what is shaded follows the points."""

import numpy as np
import pytest

from estompe.effects.subdivision import subdivided
from estompe.geometry import Domain, Geometry
from estompe.geometry.faces import kept
from estompe.geometry.shading import AUTHORED
from estompe.shapes.primitives import box, grid, sphere

NORMAL = (Domain.CORNER, AUTHORED)


def flat(mesh: Geometry) -> Geometry:
    """Every face faces its own way."""
    faces = mesh.topology.face_normals(mesh.points)
    return mesh.with_attribute(*NORMAL, faces[mesh.topology.corner_faces])


def by_face(mesh: Geometry) -> np.ndarray:
    """The normal of each corner's face, computed apart from the product's kernels."""
    made = []
    for begin, end in zip(mesh.topology.offsets[:-1], mesh.topology.offsets[1:], strict=True):
        a, b, c = mesh.points[mesh.topology.corners[begin : begin + 3]].astype(np.float64)
        normal = np.cross(b - a, c - a)
        made += [normal / np.linalg.norm(normal)] * (end - begin)
    return np.array(made)


def test_a_box_of_flat_faces_has_24_shaded_points_and_the_normals_of_its_faces():
    mesh = flat(box((1.0, 2.0, 3.0), 1))
    assert len(mesh.points) == 8
    assert len(mesh.shading.sources) == 24
    assert np.allclose(mesh.corner_normals, by_face(mesh), atol=1e-6)
    bent = mesh.moved(mesh.points * np.float32([1.0, 2.0, 0.5]) + mesh.points[:, ::-1] * np.float32(0.3))
    assert np.allclose(bent.corner_normals, by_face(bent), atol=1e-6)
    assert bent.__dict__["shading"] is mesh.shading, "what is moved is not looked at again"


def test_points_that_no_hard_edge_parts_are_shaded_as_before():
    mesh = sphere(1.0, 16)
    assert mesh.shading is None
    smooth = mesh.with_attribute(*NORMAL, mesh.normals[mesh.topology.corners])
    assert smooth.shading is None
    assert smooth.shaded_normals is smooth.normals
    authored = np.array(mesh.normals[mesh.topology.corners])
    first = slice(int(mesh.topology.offsets[40]), int(mesh.topology.offsets[41]))
    authored[first] = mesh.topology.face_normals(mesh.points)[40]
    dent = mesh.with_attribute(*NORMAL, authored)
    around = np.unique(mesh.topology.corners[first])
    assert set(dent.shading.sources[dent.shading.parted]) == set(around.tolist())
    others = np.setdiff1d(np.arange(len(mesh.points)), around)
    assert np.array_equal(dent.shaded_normals[dent.shading.first[others]], mesh.normals[others])


def test_it_does_not_matter_whether_smooth_normals_are_known():
    rng = np.random.default_rng(4)
    mesh = flat(box((1.0, 2.0, 3.0), 3))
    hard = np.array(mesh.attribute(*NORMAL))
    hard[len(hard) // 2 :] = mesh.normals[mesh.topology.corners[len(hard) // 2 :]]
    bent = mesh.with_attribute(*NORMAL, hard).moved(
        mesh.points + rng.normal(0, 0.05, mesh.points.shape).astype(np.float32)
    )
    again = bent.moved(bent.points)
    again.normals  # noqa: B018
    assert np.array_equal(bent.shaded_normals, again.shaded_normals)
    assert "normals" not in bent.__dict__


def test_a_crease_in_a_sheet_parts_only_the_points_along_it():
    mesh = grid(4.0, 1.0, 4, 1)
    middle = mesh.points[:, 0] == 0.0
    folded = mesh.moved(np.where(mesh.points[:, :1] > 0, mesh.points[:, [0, 0, 2]], mesh.points).astype(np.float32))
    sides = folded.points[folded.topology.corners].reshape(-1, 4, 3)[..., 0].mean(axis=1) > 0
    facing = np.where(sides[:, None], [[-1.0, 1.0, 0.0]], [[0.0, 1.0, 0.0]]).astype(np.float32)
    creased = folded.with_attribute(*NORMAL, np.repeat(facing, 4, axis=0))
    assert len(creased.shading.sources) == len(mesh.points) + middle.sum()
    assert np.allclose(creased.corner_normals, by_face(creased), atol=1e-6)
    assert len(np.unique(creased.shading.sources[creased.shading.parted])) == middle.sum()


@pytest.mark.parametrize("change", [
    lambda mesh: kept(mesh, np.arange(mesh.topology.faces) != 2),
    lambda mesh: subdivided(mesh, np.ones(mesh.topology.faces, np.bool_), None),
])  # fmt: skip
def test_hard_edges_go_along_when_faces_change(change):
    made = change(flat(box((1.0, 1.0, 1.0), 2)))
    assert made.shading is not None
    assert np.allclose(made.corner_normals, by_face(made), atol=1e-5)


def test_edges_and_points_of_nothing_name_shaded_points():
    box_with_a_loose_point = flat(box((1.0, 1.0, 1.0), 1))
    topology = box_with_a_loose_point.topology
    loose = Geometry.from_faces(
        np.concatenate([box_with_a_loose_point.points, [[9.0, 9.0, 9.0]]]), topology.corners, topology.offsets
    ).with_attribute(*NORMAL, box_with_a_loose_point.attribute(*NORMAL))
    shading = loose.shading
    pairs = loose.topology.edges
    assert np.array_equal(shading.sources[shading.edges(pairs)], pairs)
    assert shading.sources[shading.first[8]] == 8
    assert np.array_equal(shading.sources[shading.topology.corners], topology.corners)


def test_rounding_keeps_hard_edges_and_rounds_what_is_smooth():
    every = np.ones
    crate = box((2.0, 2.0, 2.0), 2)
    finer = subdivided(crate, every(crate.topology.faces, np.bool_), every(len(crate.points), np.float32))
    # All edges of a box are hard, so its faces stay flat and its corners where they are.
    assert np.isclose(np.abs(finer.points), 1.0, atol=1e-6).any(axis=1).all()
    assert {tuple(corner) for corner in np.round(crate.points[np.abs(crate.points).min(axis=1) == 1.0])} <= {
        tuple(corner) for corner in np.round(finer.points, 6)
    }
    soft = box((2.0, 2.0, 2.0), 2, hard_edges=False)
    round_ = subdivided(soft, every(soft.topology.faces, np.bool_), every(len(soft.points), np.float32))
    assert np.linalg.norm(round_.points, axis=1).max() < 1.4  # the corners were at 1.73
    assert np.array_equal(round_.topology.corners, finer.topology.corners)


def test_a_rim_that_is_hard_stays_a_curve_in_its_plane():
    """A drum: smooth around, with two hard rims. Rounding moves a rim's points along it only, as cubic B-splines say."""
    around = np.linspace(0.0, 2 * np.pi, 8, endpoint=False)
    ring = np.stack([np.cos(around), np.sin(around)], axis=1)
    points = np.concatenate([np.insert(ring, 1, height, axis=1) for height in (0.0, 1.0)]).astype(np.float32)
    quads = [[k, k + 8, (k + 1) % 8 + 8, (k + 1) % 8] for k in range(8)]
    caps = [list(range(8)), list(range(15, 7, -1))]
    corners = np.concatenate([np.array(quads).reshape(-1), *caps]).astype(np.int32)
    offsets = np.concatenate([np.arange(0, 33, 4), [40, 48]]).astype(np.int32)
    drum = Geometry.from_faces(points, corners, offsets)
    outward = points[corners] * np.float32([1, 0, 1])
    outward[32:40], outward[40:48] = (0, -1, 0), (0, 1, 0)
    hard = drum.with_attribute(*NORMAL, np.ascontiguousarray(outward, np.float32))
    assert len(hard.shading.sources) == 32
    finer = subdivided(hard, np.ones(10, np.bool_), np.ones(16, np.float32))
    before, after = points[:8].astype(np.float64), finer.points[:8]
    wanted = 0.75 * before + 0.125 * (np.roll(before, 1, axis=0) + np.roll(before, -1, axis=0))
    assert np.allclose(after, wanted, atol=1e-6)
    assert set(np.round(finer.points[:, 1], 6).tolist()) == {0.0, 0.5, 1.0}
    assert len(np.unique(finer.shading.sources[finer.shading.parted])) == 32
