"""Volumes in voxels against closed forms: distances, surfaces, arrival times, what changes a band."""

import itertools
import os
import subprocess
import sys

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from estompe.kernels.compile import use_threads
from estompe.kernels.volumes import band, growth
from estompe.kernels.volumes.bricks import OUTSIDE, Bricks, Lattice, lattice_around, on_lattice, sampled
from estompe.kernels.volumes.eikonal import feet_of
from estompe.kernels.volumes.feet import feet_at
from estompe.kernels.volumes.isosurface import surface
from estompe.kernels.volumes.refine import refined
from estompe.kernels.volumes.voxelize import binned, voxelized


def _ball(radius=0.4, middle=(0.0, 0.0, 0.0), fineness=4):
    mesh = trimesh.creation.icosphere(fineness, radius=radius)
    points = (mesh.vertices + np.asarray(middle)).astype(np.float32)
    return points, np.ascontiguousarray(mesh.faces, np.int32)


def _together(*parts):
    starts = np.cumsum([0, *(len(points) for points, _ in parts)])
    triangles = [faces + start for (_, faces), start in zip(parts, starts, strict=False)]
    return np.concatenate([points for points, _ in parts]), np.concatenate(triangles).astype(np.int32)


def _voxels(mesh, size=0.02, most=4.0, room=6.0):
    points, triangles = mesh
    lattice = lattice_around(points.min(axis=0), points.max(axis=0), size, room)
    return voxelized(points, triangles, binned(points, triangles, lattice, most))


def _places(lattice):
    counts = [8 * n for n in lattice.shape]
    grid = np.stack(np.meshgrid(*map(np.arange, counts), indexing="ij"), axis=-1)
    return grid[..., ::-1] * lattice.size + lattice.origin


def _exact_ball(radius, count, room=0.0):
    """Bricks with the exact distances of a ball of so many voxels radius, its middle off the voxels."""
    bricks = int(np.ceil((2 * radius + 2 * room + 16) / 8))
    shape = (bricks, bricks, bricks)
    lattice = Lattice(np.zeros(3), 1.0, shape)
    middle = np.array([4.0 * bricks + 0.31, 4.0 * bricks - 0.17, 4.0 * bricks + 0.08])
    away = np.linalg.norm(_places(lattice) - middle, axis=-1) - radius
    return _of_dense(np.clip(away, -count, count).astype(np.float32), count), middle


def _of_dense(dense, most):
    shape = tuple(n // 8 for n in dense.shape)
    blocks = dense.reshape(shape[0], 8, shape[1], 8, shape[2], 8).transpose(0, 2, 4, 1, 3, 5).reshape(*shape, 512)
    stored = (np.abs(blocks) < most).any(axis=-1)
    table = np.where(blocks[..., 0] < 0, -2, OUTSIDE).astype(np.int32)
    where = np.argwhere(stored).astype(np.int32)
    table[stored] = np.arange(len(where))
    return Bricks(Lattice(np.zeros(3), 1.0, shape), table, where, np.ascontiguousarray(blocks[stored]), most)


def _radii(bricks, middle):
    made = surface(bricks)
    return np.linalg.norm(made.places - middle, axis=1), made


def _uses(quads):
    sides = np.concatenate([quads[:, [k, (k + 1) % 4]] for k in range(4)]).astype(np.int64)
    ways = sides[:, 0] << 32 | sides[:, 1]
    back = sides[:, 1] << 32 | sides[:, 0]
    return len(ways) == len(np.unique(ways)) and set(ways.tolist()) == set(back.tolist())


def _euler(quads):
    edges = len(np.unique(np.sort(np.concatenate([quads[:, [k, (k + 1) % 4]] for k in range(4)]), axis=1), axis=0))
    return len(np.unique(quads)) - edges + len(quads)


def _volume(places, quads):
    places = places.astype(np.float64)
    triangles = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])
    a, b, c = (places[triangles[:, k]] for k in range(3))
    return float(np.einsum("ij,ij->", a, np.cross(b, c)) / 6.0)


# Meshes to distances


def test_distances_of_a_box_are_flat_over_faces_and_round_over_edges():
    mesh = trimesh.creation.box((0.6, 0.5, 0.4))
    found = _voxels((mesh.vertices.astype(np.float32), np.ascontiguousarray(mesh.faces, np.int32)))
    away = np.abs(_places(found.bricks.lattice)) - np.array([0.3, 0.25, 0.2])
    exact = np.linalg.norm(np.maximum(away, 0.0), axis=-1) + np.minimum(away.max(axis=-1), 0.0)
    dense = found.bricks.dense()
    assert np.abs(dense - np.clip(exact / 0.02, -4, 4)).max() < 1e-4
    assert not ((dense < 0) != (exact < 0))[np.abs(exact) > 1e-6].sum()
    assert found.winding == 1


def test_signs_come_out_right_where_parts_overlap_lie_inside_out_and_run_through_themselves():
    one, other = _ball(0.3, (-0.1, 0.01, 0.02)), _ball(0.25, (0.2, 0.0, 0.0))
    found = _voxels(_together(one, other))
    places = _places(found.bricks.lattice)
    inside = (np.linalg.norm(places - [-0.1, 0.01, 0.02], axis=-1) < 0.3) | (
        np.linalg.norm(places - [0.2, 0.0, 0.0], axis=-1) < 0.25
    )
    assert found.winding == 2
    assert ((found.bricks.dense() < 0) != inside).mean() < 2e-4  # facets lie a little inside the balls
    turned = _voxels((one[0], one[1][:, ::-1].copy()))
    assert turned.winding == 1
    assert np.abs(turned.bricks.dense() - _voxels(one).bricks.dense()).max() < 1e-4
    cavity = _ball(0.2, (-0.1, 0.01, 0.02), 3)
    hollow = _voxels(_together(one, (cavity[0], cavity[1][:, ::-1])))
    enclosed = band.filled(hollow.bricks) * 0.02**3
    assert enclosed == pytest.approx(4 / 3 * np.pi * (0.3**3 - 0.2**3), rel=0.02)


def test_a_mesh_that_is_open_is_told_by_its_winding():
    points, triangles = _ball()
    assert _voxels((points, triangles[:-40])).winding == 99


def test_the_lattice_does_not_follow_the_bounds():
    volumes = []
    for step in range(8):
        points, triangles = _ball(0.4, (step * 0.02 / 8, step * 0.02 / 11, 0.0))
        bricks = _voxels((points, triangles)).bricks
        assert np.allclose(np.round(bricks.lattice.origin / 0.16), bricks.lattice.origin / 0.16, atol=1e-9)
        made = surface(bricks)
        volumes.append(_volume(made.places, made.quads))
    assert np.std(volumes) / np.mean(volumes) < 1e-5


# Surfaces


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 2**31 - 1))
def test_every_edge_is_used_once_each_way_whatever_the_values(seed):
    dense = np.random.default_rng(seed).uniform(-1, 1, (16, 16, 16)).astype(np.float32)
    for axis in range(3):
        ends = np.moveaxis(dense, axis, 0)
        ends[0] = ends[-1] = 1.0
    made = surface(_of_dense(dense, 4.0))
    assert _uses(made.quads)
    assert len(np.unique(made.quads)) == len(made.places)


def test_a_surface_lies_where_the_ball_is_and_its_normals_point_away():
    bricks, middle = _exact_ball(20.0, 4.0)
    radii, made = _radii(bricks, middle)
    assert np.sqrt(((radii - 20.0) ** 2).mean()) < 0.02
    outwards = (made.places - middle) / radii[:, None]
    assert np.degrees(np.arccos(np.clip((made.normals * outwards).sum(axis=1), -1, 1))).mean() < 0.1
    assert _euler(made.quads) == 2
    fine, finer = _radii(refined(bricks), middle * 2.0)
    assert np.sqrt(((fine / 2.0 - 20.0) ** 2).mean()) < 0.006
    assert len(finer.quads) == pytest.approx(4 * len(made.quads), rel=0.05)


def test_three_balls_in_one_enclose_what_their_union_does_and_have_no_inner_walls():
    manifold3d = pytest.importorskip("manifold3d")
    parts = [_ball(0.3, (-0.2, 0.01, 0.0)), _ball(0.28, (0.15, 0.0, 0.02)), _ball(0.25, (0.0, 0.3, -0.01))]
    bricks = band.redistanced(_voxels(_together(*parts), 0.01).bricks)
    made = surface(bricks)
    exact = sum(
        (manifold3d.Manifold(manifold3d.Mesh(points, triangles.astype(np.uint32))) for points, triangles in parts),
        start=manifold3d.Manifold(),
    )
    assert _volume(made.places, made.quads) * 0.01**3 == pytest.approx(exact.volume(), rel=2e-3)
    assert _euler(made.quads) == 2


def test_a_surface_that_leaves_the_stored_voxels_raises():
    bricks, _ = _exact_ball(12.0, 4.0)
    table = bricks.table.copy()
    crossed = (bricks.values.min(axis=1) < 0) & (bricks.values.max(axis=1) > 0)
    table[tuple(bricks.where[np.argmax(crossed)])] = OUTSIDE
    with pytest.raises(ValueError, match="leaves the voxels"):
        surface(bricks._replace(table=table))


# Arrival times


def _grown(radius, reach, slow_of=None, inwards=False):
    bricks, middle = _exact_ball(radius, 4.0, 0.0 if inwards else reach)
    region = growth.region_around(bricks, reach + 2.0, inwards)
    slow = np.ones((len(region.where), 512), np.float32) if slow_of is None else slow_of(region, middle)
    return growth.front_of(bricks, region, slow, reach, inwards), middle


def test_a_ball_grows_and_shrinks_by_the_way_at_constant_speed():
    for inwards, moment in itertools.product((False, True), (0.0, 3.3, 9.0)):
        front, middle = _grown(14.0, 10.0, inwards=inwards)
        radii, made = _radii(front.at(moment), middle)
        assert np.abs(radii - (14.0 + (-moment if inwards else moment))).max() < 0.15
        assert _uses(made.quads)


def test_speed_that_rises_linearly_is_met_in_closed_form():
    # With speed 1 + g x a front from a point is a ball of radius sinh(g T) / g, whose middle has moved by (cosh(g T) - 1) / g.
    gradient, radius = 0.02, 6.0
    begun = np.arcsinh(gradient * radius) / gradient
    source = -(np.cosh(gradient * begun) - 1.0) / gradient

    def slow_of(region, middle):
        along = _region_places(region)[..., 0] - middle[0] - source
        return (1.0 / np.maximum(1.0 + gradient * along, 0.2)).astype(np.float32)

    front, middle = _grown(radius, 16.0, slow_of)
    ways = _region_places(front.region) - middle - [source, 0.0, 0.0]
    squares = (ways**2).sum(axis=-1)
    known = (front.times > 0.0) & (front.times < 12.0)
    bent = 1.0 + gradient**2 * squares[known] / (2.0 * (1.0 + gradient * ways[..., 0][known]))
    assert np.abs(front.times[known] - (np.arccosh(bent) / gradient - begun)).max() < 0.3


def _region_places(region):
    at = np.arange(512)
    offsets = np.stack([at & 7, at >> 3 & 7, at >> 6], axis=-1)
    return (region.where[:, None, ::-1] * 8 + offsets).astype(np.float64)


def test_times_agree_with_another_program_on_random_speeds():
    skfmm = pytest.importorskip("skfmm")
    rng = np.random.default_rng(3)
    coarse = rng.uniform(0.4, 1.0, (7, 7, 7))
    from scipy.ndimage import zoom

    bricks, middle = _exact_ball(8.0, 4.0, 12.0)
    dense_shape = tuple(8 * n for n in bricks.table.shape)
    speed = zoom(coarse, np.array(dense_shape) / 7.0, order=1)

    def slow_of(region, _middle):
        places = _region_places(region).astype(int)
        return (1.0 / speed[places[..., 2], places[..., 1], places[..., 0]]).astype(np.float32)

    region = growth.region_around(bricks, 14.0)
    front = growth.front_of(bricks, region, slow_of(region, middle), 10.0)
    distance = np.linalg.norm(_places(bricks.lattice) - middle, axis=-1) - 8.0
    theirs = skfmm.travel_time(distance, speed, order=2)
    places = _region_places(region).astype(int)
    there = np.asarray(theirs)[places[..., 2], places[..., 1], places[..., 0]]
    asked = (front.times > 2.0) & (front.times < 9.0)
    assert np.abs(front.times - there)[asked].max() < 1.0
    assert np.abs(front.times - there)[asked].mean() < 0.2


def test_feet_of_a_growing_ball_lie_straight_below():
    front, middle = _grown(14.0, 12.0)
    region = front.region
    feet = feet_of(region.table, region.where, front.times, front.cost, 12.0)
    made = surface(front.at(10.0))
    found = feet_at(region.table, feet, made.places)
    ways, below = made.places - middle, found - middle
    cosines = (ways * below).sum(axis=1) / np.linalg.norm(ways, axis=1) / np.linalg.norm(below, axis=1)
    assert np.degrees(np.arccos(np.clip(cosines, -1, 1))).mean() < 1.0
    assert np.abs(np.linalg.norm(below, axis=1) - 14.0).max() < 2.0


def test_growth_by_steps_goes_as_far_as_its_speed_over_time():
    bricks, middle = _exact_ball(10.0, 4.0, 14.0)
    rates = [0.3 * (1.0 + 0.9 * np.sin(0.7 * step)) for step in range(32)]
    for rate in rates:
        slow = np.float32(1.0 / rate)
        bricks = growth.grown_by_step(bricks, lambda _, where, s=slow: np.full((len(where), 512), s), 1.0)
    radii, _ = _radii(bricks, middle)
    assert radii.mean() == pytest.approx(10.0 + sum(rates), abs=0.02 * sum(rates))
    assert np.abs(radii - radii.mean()).max() < 0.1


# Changing a band


def test_curvature_takes_a_ball_to_the_radius_of_the_closed_form():
    bricks, middle = _exact_ball(16.0, 4.0)
    before, way = _radii(bricks, middle)[0].mean(), 12.0
    for _ in range(8):
        bricks = band.redistanced(band.rebricked(band.curved(bricks, way / 8)))
    exact = np.sqrt(16.0**2 - 4.0 * way)
    assert _radii(bricks, middle)[0].mean() - exact == pytest.approx(0.0, abs=0.02 * (before - exact))


def test_distances_anew_are_those_that_were_there():
    bricks, middle = _exact_ball(14.0, 4.0)
    bent = bricks._replace(values=(bricks.values * (1.0 + 0.2 * np.sin(bricks.values))).astype(np.float32))
    made = band.redistanced(bent)
    exact = bricks.values
    near = np.abs(exact) < 3.0
    assert np.abs(made.values - exact)[near].max() < 0.15
    assert np.abs(band.redistanced(bricks).values - exact)[near].max() < 0.1
    del middle


def test_a_blur_is_that_of_a_dense_array():
    from scipy.ndimage import gaussian_filter

    bricks, _ = _exact_ball(12.0, 4.0)
    made = band.blurred(bricks, 1.0).dense()
    dense = bricks.dense()
    exact = gaussian_filter(dense, 1.0, truncate=3.0, mode="nearest")
    stored = band.gathered(bricks, bricks.where)
    assert stored.shape == bricks.values.shape
    inner = np.abs(dense) < 2.0
    assert np.abs(made - exact)[inner].max() < 0.01


def test_the_volume_is_kept_by_one_number():
    bricks, middle = _exact_ball(14.0, 4.0)
    bricks = band.redistanced(bricks)
    wanted = band.filled(bricks) * 1.1
    made = band.with_volume(bricks, wanted)
    assert band.filled(made) == pytest.approx(wanted, rel=1e-6)
    assert _radii(made, middle)[0].mean() == pytest.approx(14.0 * 1.1 ** (1 / 3), abs=0.02)


def test_turned_trimmed_and_moved_lattices_are_the_same_volume():
    bricks, middle = _exact_ball(12.0, 4.0)
    assert np.array_equal(band.turned(band.turned(bricks)).dense(), bricks.dense())
    less = band.trimmed(bricks, 2.0)
    assert np.array_equal(less.dense(), np.clip(bricks.dense(), -2.0, 2.0))
    wider = Lattice(np.full(3, -16.0), 1.0, tuple(n + 4 for n in bricks.lattice.shape))
    moved = on_lattice(bricks, wider)
    assert np.array_equal(moved.dense()[16:-16, 16:-16, 16:-16], bricks.dense())
    line = np.array([[middle[0] + 12.0 + k * 0.3, middle[1], middle[2]] for k in range(-8, 9)], np.float32)
    assert np.abs(sampled(bricks, line) - [k * 0.3 for k in range(-8, 9)]).max() < 0.06


def test_the_same_bits_on_one_thread_and_on_two():
    def everything():
        bricks = _voxels(_together(_ball(0.3), _ball(0.25, (0.3, 0.0, 0.0))), 0.02, room=20.0).bricks
        region = growth.region_around(bricks, 10.0)
        rng = np.random.default_rng(1)
        slow = rng.uniform(1.0, 3.0, (len(region.where), 512)).astype(np.float32)
        front = growth.front_of(bricks, region, slow, 8.0)
        return [
            band.redistanced(bricks).values,
            band.blurred(bricks, 1.0).values,
            front.times,
            surface(front.at(4.0)).places,
            feet_of(region.table, region.where, front.times, front.cost, 8.0),
        ]

    many = everything()
    try:
        use_threads(1)
        few = everything()
    finally:
        use_threads(0)
    for one, other in zip(many, few, strict=True):
        assert np.array_equal(one, other)


def test_a_process_that_compiles_blurs_to_the_same_bits_as_one_that_loads(tmp_path):
    bits = [_blurred_elsewhere(tmp_path) for _ in range(2)]
    assert any(tmp_path.rglob("*.nbc"))
    assert bits[0] == bits[1] != ""


def _blurred_elsewhere(cache):
    """The hash of a blur in another process, which compiles what is not in the cache."""
    code = """
import hashlib
import numpy as np
from estompe.kernels.volumes import band
from estompe.kernels.volumes.bricks import Bricks, Lattice, numbered
table, where = numbered(np.ones((3, 3, 3), np.bool_), np.zeros((3, 3, 3), np.int32))
values = np.random.default_rng(0).uniform(-4, 4, (27, 512)).astype(np.float32)
made = band.blurred(Bricks(Lattice(np.zeros(3), 1.0, (3, 3, 3)), table, where, values, 4.0), 1.09)
print(hashlib.sha256(made.values.tobytes()).hexdigest())
"""
    environment = {**os.environ, "NUMBA_CACHE_DIR": str(cache)}
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False, env=environment)
    assert done.returncode == 0, done.stderr
    return done.stdout.strip()
