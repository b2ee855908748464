"""Cells of a fracture against convex geometry, sampling, and the surface they are cut from."""

import numpy as np
import pytest
from scipy.spatial import ConvexHull, HalfspaceIntersection, cKDTree

from estompe.geometry import Geometry
from estompe.geometry.fracture.cutting import FractureError, cut_into_cells
from estompe.kernels.volumes.enclosed import enclosed_volume
from estompe.shapes import primitives


def _box(low, high):
    points = np.array(
        [[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])], float
    )
    faces = [[0, 1, 3], [0, 3, 2], [4, 6, 7], [4, 7, 5], [0, 4, 5], [0, 5, 1],
             [2, 3, 7], [2, 7, 6], [0, 2, 6], [0, 6, 4], [1, 5, 7], [1, 7, 3]]  # fmt: skip
    return points, np.array(faces, np.int32)


def _torus(around=60, across=24, tube=0.35):
    u, v = np.meshgrid(np.arange(around) / around * 2 * np.pi, np.arange(across) / across * 2 * np.pi, indexing="ij")
    radius = 1 + tube * np.cos(v)
    points = np.stack([radius * np.cos(u), radius * np.sin(u), tube * np.sin(v)], axis=-1).reshape(-1, 3)
    i, j = np.meshgrid(np.arange(around), np.arange(across), indexing="ij")
    a, b = i * across + j, (i + 1) % around * across + j
    c, d = (i + 1) % around * across + (j + 1) % across, i * across + (j + 1) % across
    quads = np.stack([a, b, c, d], axis=-1).reshape(-1, 4)
    return points, np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]]).astype(np.int32)


def _volume_of_cell(seeds, which, low, high):
    """The volume of a cell inside a box: half spaces nearer to its seed, put together by another program."""
    own, others = seeds[which], np.delete(seeds, which, axis=0)
    normals = others - own
    offsets = -0.5 * (others**2 - own**2).sum(axis=1)
    sides = [[*np.eye(3)[k], -high[k]] for k in range(3)] + [[*-np.eye(3)[k], low[k]] for k in range(3)]
    found = HalfspaceIntersection(np.concatenate([np.column_stack([normals, offsets]), sides]), own)
    return ConvexHull(found.intersections).volume


def test_each_cell_of_a_box_has_the_volume_of_its_half_spaces():
    points, faces = _box((-1, -1, -1), (1, 1, 1))
    seeds = np.random.default_rng(3).uniform(-0.95, 0.95, (120, 3))
    cut = cut_into_cells(points, faces, seeds)
    assert cut.open == 0
    assert np.array_equal(cut.seeds, np.arange(120))
    expected = [_volume_of_cell(seeds, k, (-1, -1, -1), (1, 1, 1)) for k in range(120)]
    # Seeds are moved by a millionth of their spacing, which moves the borders as much.
    assert np.abs(cut.volumes / expected - 1).max() < 1e-4
    assert cut.volumes.sum() == pytest.approx(8.0, rel=1e-12)


def test_cells_of_a_ring_have_the_volumes_that_sampling_finds():
    points, faces = _torus()
    rng = np.random.default_rng(1)
    seeds = rng.uniform(points.min(axis=0), points.max(axis=0), (40, 3))
    cut = cut_into_cells(points, faces, seeds)
    assert cut.open == 0
    whole = enclosed_volume(points.astype(np.float32), faces)
    assert cut.volumes.sum() == pytest.approx(whole, rel=1e-6)
    samples = rng.uniform(points.min(axis=0), points.max(axis=0), (400_000, 3))
    around = np.hypot(samples[:, 0], samples[:, 1]) - 1
    inside = samples[np.hypot(around, samples[:, 2]) < 0.35]
    counts = np.bincount(cKDTree(seeds).query(inside)[1], minlength=40)
    expected = counts / len(inside) * whole
    assert np.abs(cut.volumes - expected[cut.seeds]).max() < 0.01 * whole


@pytest.mark.parametrize(
    "case", ["hollow", "two bodies", "overlapping", "seeds on a grid", "seeds on points", "far away", "two cells"]
)
def test_hard_bodies_give_closed_pieces(case):
    points, faces = _torus(36, 14)
    rng = np.random.default_rng(5)
    seeds = rng.uniform(-1.3, 1.3, (70, 3)) * (1, 1, 0.3)
    whole = enclosed_volume(points.astype(np.float32), faces)
    if case == "hollow":
        outer, sides = _box((-1, -1, -1), (1, 1, 1))
        inner, _ = _box((-0.6, -0.6, -0.6), (0.6, 0.6, 0.6))
        points, faces = np.concatenate([outer, inner]), np.concatenate([sides, sides[:, ::-1] + 8]).astype(np.int32)
        whole, seeds = 8 - 1.2**3, rng.uniform(-0.95, 0.95, (60, 3))
    elif case in ("two bodies", "overlapping"):
        shift = (4.0, 0.0, 0.0) if case == "two bodies" else (0.9, 0.0, 0.05)
        seeds = np.concatenate([seeds, seeds + shift])
        points, faces = np.concatenate([points, points + shift]), np.concatenate([faces, faces + len(points)])
        whole *= 2  # where bodies overlap they count as often as they cover
    elif case == "seeds on a grid":
        seeds = np.stack(np.meshgrid(*[np.linspace(-1.2, 1.2, 5)] * 3), axis=-1).reshape(-1, 3)
    elif case == "seeds on points":
        seeds = points[rng.choice(len(points), 60, replace=False)]
    elif case == "far away":
        points, seeds, whole = points * 1e-2 + 50.0, seeds * 1e-2 + 50.0, whole * 1e-6
    elif case == "two cells":
        seeds = seeds[:2]
    cut = cut_into_cells(points, faces, seeds)
    assert cut.open == 0
    assert (cut.volumes > 0).all()
    assert cut.volumes.sum() == pytest.approx(whole, rel=1e-5)


def test_the_skin_of_all_pieces_is_the_surface_they_were_cut_from():
    points, faces = _torus(48, 20)
    cut = cut_into_cells(points, faces, np.random.default_rng(2).uniform(-1.3, 1.3, (90, 3)) * (1, 1, 0.3))
    skin = np.flatnonzero(cut.source >= 0)
    areas = np.zeros(len(faces))
    for face in skin:
        ring = cut.points[cut.corners[cut.offsets[face] : cut.offsets[face + 1]]]
        fans = np.cross(ring[1:-1] - ring[0], ring[2:] - ring[0])
        areas[cut.source[face]] += np.linalg.norm(fans.sum(axis=0)) / 2
    a, b, c = (points[faces[:, k]] for k in range(3))
    expected = np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2
    assert np.abs(areas / expected - 1).max() < 1e-9


def test_the_same_seeds_give_the_same_bits():
    points, faces = _torus(40, 16)
    seeds = np.random.default_rng(9).uniform(-1, 1, (50, 3)) * (1, 1, 0.3)
    first, second = cut_into_cells(points, faces, seeds), cut_into_cells(points, faces, seeds)
    assert all(np.array_equal(a, b) for a, b in zip(first, second, strict=True))


def test_an_open_surface_is_refused_in_words():
    points, faces = _torus(40, 16)
    with pytest.raises(FractureError, match="cannot be closed"):
        cut_into_cells(points, faces[:-30], np.random.default_rng(1).uniform(-1, 1, (30, 3)) * (1, 1, 0.3))


def test_a_sphere_is_cut_as_a_geometry_is_stored():
    mesh: Geometry = primitives.sphere(0.5, 24)
    cut = cut_into_cells(mesh.points, mesh.topology.triangles, np.random.default_rng(4).uniform(-0.4, 0.4, (30, 3)))
    assert cut.open == 0
    assert cut.volumes.sum() == pytest.approx(enclosed_volume(mesh.points, mesh.topology.triangles), rel=1e-6)
