"""Sheets that grow: areas as they are asked, no crossing by an exact test, held points, ids, UVs and seams."""

import numpy as np
import pytest
from scipy.spatial import Delaunay
from tests.crossings import crossings

from estompe.geometry import Domain, Geometry
from estompe.geometry.ruffle.sheet import LONGEST, First, Growth, advanced, begun, held_points, longest, thickness_of
from estompe.geometry.ruffle.shown import as_mesh
from estompe.kernels.surface import tree_of
from estompe.shapes import primitives

pytestmark = pytest.mark.thorough


def _first(mesh):
    triangles = mesh.topology.triangles
    tree = tree_of(mesh.rest, triangles, mesh.at_rest.triangle_order(mesh.topology))
    return First(mesh.rest.astype(np.float64), triangles, tree)


def _free(places, velocities, _part):
    return places, velocities


def _grown(mesh, strength, steps, **numbers):
    """The sheets after each of some steps."""
    growth = Growth(**({"rate": 0.02, "most": 9.0, "thickness": 0.05, "stiff": 0.05, "seed": 1} | numbers))
    first, sheet, sheets = _first(mesh), begun(mesh), []
    strength = strength.astype(np.float32)
    for _ in range(steps):
        sheet = advanced(sheet, first, strength, growth, _free, lambda: None)
        sheets.append(sheet)
    return first, sheets


def _half(mesh):
    return np.clip((mesh.rest[:, 0] + 0.1) / 0.6, 0.0, 1.0)


def _areas(places, triangles):
    a, b, c = (places[triangles[:, k]] for k in range(3))
    return 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1)


def _rest_area(sheet):
    a, b, c = sheet.rests.T
    s = 0.5 * (a + b + c)
    return np.sqrt(np.maximum(s * (s - a) * (s - b) * (s - c), 0.0)).sum()


def _disk(rings):
    """A round sheet of nearly even triangles."""
    points = [np.zeros((1, 2))]
    for ring in range(1, rings + 1):
        turn = np.arange(6 * ring) * 2.0 * np.pi / (6 * ring)
        points.append(np.stack([np.cos(turn), np.sin(turn)], axis=1) * ring / rings)
    flat = np.concatenate(points)
    triangles = Delaunay(flat).simplices
    places = np.stack([flat[:, 0], np.zeros(len(flat)), -flat[:, 1]], axis=1)
    return Geometry.from_faces(places, triangles.reshape(-1), np.arange(0, 3 * len(triangles) + 1, 3))


def test_the_counter_of_crossings_finds_them_and_touching_neighbours_are_none():
    points = [[0, 0, 0], [1, 0, 0], [0, 1, 0], [0.2, 0.2, -1], [0.2, 0.2, 1], [0.9, 0.9, 1]]
    assert crossings(points, np.array([[0, 1, 2], [3, 4, 5]])) == 1
    sheet = primitives.grid(1.0, 1.0, 6, 6)
    assert crossings(sheet.points, sheet.topology.triangles) == 0


def _cases():
    sheet = primitives.grid(1.0, 1.0, 20, 20)
    yield "half of a sheet", sheet, _half(sheet), {"rate": 0.03}, 24
    yield "fast", sheet, _half(sheet), {"rate": 0.08}, 9
    disk = _disk(14)
    yield (
        "rim of a disk",
        disk,
        np.clip((np.hypot(*disk.rest[:, [0, 2]].T) - 0.5) / 0.5, 0, 1),
        {"thickness": 1 / 14},
        30,
    )


@pytest.mark.parametrize("case", list(_cases()), ids=lambda case: case[0])
def test_areas_are_as_asked_and_nothing_crosses(case):
    _, mesh, strength, numbers, steps = case
    first, sheets = _grown(mesh, strength, steps, **numbers)
    asked = _areas(mesh.points.astype(np.float64), mesh.topology.triangles)
    rate, thickness = numbers.get("rate", 0.02), numbers.get("thickness", 0.05)
    held = strength <= 1e-3
    for number, sheet in enumerate(sheets, 1):
        wanted = (asked * np.exp(2.0 * rate * number * strength[mesh.topology.triangles].mean(axis=1))).sum()
        assert abs(_rest_area(sheet) / wanted - 1.0) < 0.015
        assert abs(_areas(sheet.places, sheet.triangles).sum() / wanted - 1.0) < 0.03
        assert np.array_equal(sheet.places[: len(held)][held], mesh.points[held].astype(np.float64))
        if number % 3 == 0:
            assert crossings(sheet.places, sheet.triangles) == 0
    last = sheets[-1]
    assert len(last.places) > 1.3 * len(mesh.points)
    assert len(np.unique(last.ids)) == len(last.ids)
    assert longest(last, held_points(last, first, strength.astype(np.float32))) < 1.05 * LONGEST * thickness
    assert np.ptp(last.places[:, 1]) > 2.0 * thickness


def test_two_meshes_of_one_sheet_ruffle_alike():
    areas = []
    for across in (20, 29):
        mesh = primitives.grid(1.0, 1.0, across, across)
        _, sheets = _grown(mesh, _half(mesh), 24, rate=0.03)
        areas.append(_areas(sheets[-1].places, sheets[-1].triangles).sum())
        assert np.ptp(sheets[-1].places[:, 1]) > 0.1
    assert abs(areas[1] / areas[0] - 1.0) < 0.1


def test_it_grows_up_to_a_size_and_rests():
    mesh = primitives.grid(1.0, 1.0, 16, 16)
    first, sheets = _grown(mesh, np.ones(len(mesh.points)), 24, rate=0.05, most=np.log(1.5), thickness=1 / 16)
    growth = [sheet.growth.max() for sheet in sheets]
    assert growth[-1] == pytest.approx(np.log(1.5), abs=1e-12)
    assert _rest_area(sheets[-1]) == pytest.approx(1.5**2, rel=0.01)
    assert len(sheets[-1].places) == len(sheets[12].places) or len(sheets[-1].places) < 1.2 * len(sheets[12].places)
    again = _grown(mesh, np.ones(len(mesh.points)), 24, rate=0.05, most=np.log(1.5), thickness=1 / 16)[1][-1]
    assert all(np.array_equal(one, other) for one, other in zip(sheets[-1], again, strict=True))
    assert not held_points(sheets[-1], first, np.zeros(len(mesh.points), np.float32)).any()


def test_attributes_and_uvs_are_carried_and_seams_stay():
    mesh = primitives.grid(1.0, 1.0, 16, 16)
    corners = mesh.rest[mesh.topology.corners]
    middles = corners.reshape(-1, 4, 3).mean(axis=1).repeat(4, axis=0)
    # Two islands of UVs that meet along x = 0.
    uv = np.stack([corners[:, 0] + np.where(middles[:, 0] > 0.0, 5.0, 0.0), corners[:, 2]], axis=1).astype(np.float32)
    mesh = mesh.with_attribute(Domain.CORNER, "uv", uv)
    mesh = mesh.with_attribute(Domain.POINT, "heat", mesh.rest[:, 0].copy())
    mesh = mesh.with_attribute(Domain.FACE, "column", np.arange(mesh.topology.faces, dtype=np.int32))
    mesh = mesh.with_attribute(Domain.POINT, "left", mesh.rest[:, 0] < 0.0)
    first, sheets = _grown(mesh, np.ones(len(mesh.points)), 20, rate=0.03, thickness=1 / 16)
    grown = as_mesh(sheets[-1], first, mesh, sheets[-1].places.astype(np.float32))
    assert grown.topology.is_sound
    rest = grown.rest[grown.topology.corners]
    carried = grown.attribute(Domain.CORNER, "uv")
    side = carried[:, 0] > 2.5
    assert (side.reshape(-1, 3).all(axis=1) | ~side.reshape(-1, 3).any(axis=1)).all()
    assert np.abs(carried[:, 0] - np.where(side, 5.0, 0.0) - rest[:, 0]).max() < 1e-4
    assert np.abs(carried[:, 1] - rest[:, 2]).max() < 1e-4
    across = grown.rest[grown.topology.triangles][:, :, 0]
    assert (np.sign(np.round(across, 5)).min(axis=1) * np.sign(np.round(across, 5)).max(axis=1) >= 0).all()
    assert np.abs(grown.attribute(Domain.POINT, "heat") - grown.rest[:, 0]).max() < 1e-5
    assert grown.attribute(Domain.POINT, "left").dtype == np.bool_
    assert set(grown.attribute(Domain.FACE, "column").tolist()) == set(range(mesh.topology.faces))
    assert np.array_equal(grown.point_ids[: len(mesh.points)], np.arange(len(mesh.points)))


def test_the_thickness_of_a_mesh_is_about_its_edges():
    assert thickness_of(primitives.grid(1.0, 1.0, 20, 20)) == pytest.approx(0.05 * (2.0 + np.sqrt(2.0)) / 3.0, rel=0.1)
