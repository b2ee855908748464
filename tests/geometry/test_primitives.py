"""Shapes made from nothing: closed where they should be, facing outwards, of the right size, with even quads."""

import numpy as np
import pytest

from estompe.geometry import Domain
from estompe.kinds.kind import ShapeSource
from estompe.kinds.registry import kinds
from estompe.shapes import primitives

PROFILE = np.array([[0.0, 0.0], [0.4, 0.1], [0.5, 0.6], [0.2, 1.0], [0.0, 1.1]])


def _volume(geometry) -> float:
    """By the divergence theorem over the triangles."""
    a, b, c = (geometry.points[geometry.topology.triangles[:, k]].astype(np.float64) for k in range(3))
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)


def test_sphere_is_round_closed_and_even():
    sphere = primitives.sphere(0.7, 24)
    assert np.allclose(np.linalg.norm(sphere.points, axis=1), 0.7, atol=1e-6)
    assert len(sphere.topology.open_edges) == 0
    assert (np.diff(sphere.topology.offsets) == 4).all()
    quads = sphere.points[sphere.topology.corners.reshape(-1, 4)]
    areas = np.linalg.norm(np.cross(quads[:, 2] - quads[:, 0], quads[:, 3] - quads[:, 1]), axis=1)
    assert areas.max() / areas.min() < 1.8
    assert _volume(sphere) == pytest.approx(4 / 3 * np.pi * 0.7**3, rel=0.01)


def test_sphere_normals_point_outwards():
    sphere = primitives.sphere(1.0, 32)
    assert (np.einsum("ij,ij->i", sphere.normals, sphere.points) > 0.999).all()


def test_box_has_its_size():
    box = primitives.box((1.0, 2.0, 3.0), 4)
    assert _volume(box) == pytest.approx(6.0, rel=1e-6)
    low, high = box.bounds
    assert np.allclose(high - low, [1, 2, 3])
    assert len(box.points) == 6 * 16 + 2


def test_grid_faces_up():
    grid = primitives.grid(4.0, 2.0, 8, 6)
    assert len(grid.points) == 9 * 7
    assert np.allclose(grid.normals, [0, 1, 0])
    assert len(grid.topology.open_edges) == 2 * (8 + 6)


def test_tube_is_open_at_both_ends():
    tube = primitives.tube(0.3, 1.0, 20, 5)
    assert len(tube.topology.open_edges) == 40
    assert np.allclose(np.hypot(tube.points[:, 0], tube.points[:, 2]), 0.3, atol=1e-6)


def test_lathe_closes_on_the_axis_and_passes_through_its_profile():
    lathe = primitives.lathe(PROFILE, 48, 200)
    assert len(lathe.topology.open_edges) == 0
    assert _volume(lathe) > 0
    radius = np.hypot(lathe.points[:, 0], lathe.points[:, 2])
    for wanted in PROFILE:
        assert np.hypot(radius - wanted[0], lathe.points[:, 1] - wanted[1]).min() < 0.01


def test_lathe_keeps_its_order():
    lathe = primitives.lathe(PROFILE, 12, 30)
    order = lathe.attribute(Domain.POINT, "order")
    assert order.min() == 0.0
    assert order.max() == 1.0
    assert np.corrcoef(order, lathe.points[:, 1])[0, 1] > 0.9


@pytest.mark.parametrize("made", [primitives.sphere(1, 3), primitives.grid(1, 1, 3, 2), primitives.box((1, 1, 1), 2)])
def test_every_corner_has_a_uv(made):
    uv = made.attribute(Domain.CORNER, "uv")
    assert uv.shape == (made.count(Domain.CORNER), 2)
    assert uv.min() >= 0
    assert uv.max() <= 1


def _made(tag, **settings):
    return kinds(ShapeSource)[tag](**settings).build({})


@pytest.mark.parametrize(
    ("tag", "settings", "volume"),
    [
        ("cone", {"radius": 0.5, "height": 1.2, "bevel": 0.0, "around": 200}, np.pi * 0.25 * 1.2 / 3),
        ("cone", {"radius": 0.5, "tip": 0.2, "bevel": 0.0, "around": 200}, np.pi / 3 * (0.25 + 0.1 + 0.04)),
        ("cylinder", {"radius": 0.4, "height": 2.0, "bevel": 0.0, "around": 200}, np.pi * 0.16 * 2.0),
        (
            "capsule",
            {"radius": 0.25, "height": 1.5, "around": 200, "along": 200},
            np.pi * 0.0625 + 4 / 3 * np.pi * 0.25**3,
        ),
        ("torus", {"radius": 0.6, "thickness": 0.2, "around": 200, "along": 200}, 2 * np.pi**2 * 0.6 * 0.04),
        ("pyramid", {"width": 1.0, "height": 0.9}, 0.3),
        ("octahedron", {"radius": 0.5}, 4 / 3 * 0.125),
    ],
)
def test_bodies_are_closed_and_hold_their_volume(tag, settings, volume):
    body = _made(tag, **settings)
    assert len(body.topology.open_edges) == 0
    assert _volume(body) == pytest.approx(volume, rel=0.003)
    assert body.attribute(Domain.CORNER, "uv").min() > -1e-6
    assert body.attribute(Domain.CORNER, "uv").max() < 1 + 1e-6


def test_a_bevel_rounds_edges_and_leaves_the_rest():
    sharp, round_ = (_made("cylinder", bevel=bevel) for bevel in (0.0, 0.1))
    assert 0.9 * _volume(sharp) < _volume(round_) < _volume(sharp)
    for body in (sharp, round_):
        low, high = body.bounds
        assert np.allclose(high - low, [0.8, 1.0, 0.8], atol=1e-6)


def test_a_disc_is_round_and_its_quads_are_even():
    disc = _made("disc", radius=0.5, divisions=40)
    border = disc.points[np.unique(disc.topology.open_edges)]
    assert np.allclose(np.hypot(border[:, 0], border[:, 2]), 0.5, atol=1e-6)
    assert np.allclose(disc.normals, [0, 1, 0])
    quads = disc.points[disc.topology.corners.reshape(-1, 4)]
    areas = np.linalg.norm(np.cross(quads[:, 2] - quads[:, 0], quads[:, 3] - quads[:, 1]), axis=1) / 2
    assert areas.sum() == pytest.approx(np.pi * 0.25, rel=0.005)
    assert areas.max() / areas.min() < 1.15


@pytest.mark.parametrize("tag", ["pyramid", "octahedron"])
def test_faces_of_polyhedra_are_flat_quads(tag):
    body = _made(tag)
    assert (np.diff(body.topology.offsets) == 4).all()
    assert np.allclose(
        np.einsum("ij,ij->i", body.corner_normals, body.attribute(Domain.CORNER, "normal")), 1.0, atol=1e-5
    )
