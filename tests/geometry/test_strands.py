"""Strands: where they begin and end, how they stray, and how they are drawn."""

import numpy as np
import pytest
from msgspec import structs

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Camera, EffectSlot, Scene, Transform
from estompe.effects.scale import Scale
from estompe.evaluation import evaluate
from estompe.geometry import Domain
from estompe.geometry.samples import samples_of
from estompe.setups.adding import add_control, add_shape
from estompe.shapes.box import Box
from estompe.shapes.grid import Grid
from estompe.shapes.strands_between import StrandsBetween
from estompe.shapes.strands_path import StrandsAlongPath
from estompe.shapes.strands_surface import StrandsFrom


def _between(**settings):
    scene, first = add_shape(
        Scene(camera=Camera("Shot", (1.0, 0.0, 8.0), (1.0, 0.0, 0.0))), "First", Box(0.2, 0.2, 0.2, 1)
    )
    scene, second = add_shape(scene, "Second", Box(0.2, 0.2, 0.2, 1))
    scene = edits.put(scene, ("shapes", second, "transform"), Transform((2.0, 0.0, 0.0)))
    return add_shape(scene, "Arcs", StrandsBetween(from_shape=first, to_shape=second, **settings))


def _lines(geometry):
    lines = geometry.topology.lines
    return np.split(geometry.points[lines.points], lines.offsets[1:-1])


@pytest.mark.parametrize(("pairs", "expected"), [("nearest", 8), ("in turn", 8), ("all", 64)])
def test_their_ends_stay_on_what_they_are_strung_between(pairs, expected):
    scene, arcs = _between(pairs=pairs, lines=3, amplitude=0.2)
    for number in (1, 9):
        frame = evaluate(Project(scene), number)
        ends = {tuple(np.round(point, 5)) for name in ("First", "Second") for point in frame[name].points}
        lines = _lines(frame[arcs])
        assert len(lines) == 3 * expected
        for line in lines:
            assert {tuple(np.round(line[0], 5)), tuple(np.round(line[-1], 5))} <= ends
    assert np.abs(lines[0] - np.linspace(lines[0][0], lines[0][-1], len(lines[0]))).max() > 0.02


def test_flat_ones_stray_across_the_camera_only():
    scene, arcs = _between(amplitude=0.3, round=0.0, pairs="in turn")
    lines = _lines(evaluate(Project(scene), 5)[arcs])
    straight = [np.linspace(line[0], line[-1], len(line)) for line in lines]
    away = np.concatenate(lines) - np.concatenate(straight)
    eye = np.array([1.0, 0.0, 8.0])
    towards = eye - np.concatenate(straight)
    towards /= np.linalg.norm(towards, axis=1, keepdims=True)
    assert np.abs(away).max() > 0.05
    assert np.abs((away * towards).sum(axis=1)).max() < 1e-4


def test_a_bend_arches_them_upwards_in_the_picture():
    scene, arcs = _between(amplitude=0.0, bend=0.5, lines=1, points=41, pairs="in turn")
    line = _lines(evaluate(Project(scene), 1)[arcs])[0]
    middle = (line[0] + line[-1]) / 2
    assert line[20] - middle == pytest.approx([0.0, 0.5, 0.0], abs=0.03)


def test_ribbons_face_the_camera_and_are_as_wide_as_they_say():
    scene, arcs = _between(amplitude=0.1, lines=1, width=0.04, tip=0.25, points=30)
    strands = evaluate(Project(scene), 3)[arcs]
    spine = len(strands.topology.lines.points)
    edges = strands.points[spine:].reshape(-1, 2, 3)
    wide = np.linalg.norm(edges[:, 0] - edges[:, 1], axis=1)
    assert wide == pytest.approx(strands.attribute(Domain.POINT, "width")[:spine], abs=1e-5)
    assert wide.min() == pytest.approx(0.01, abs=1e-4)
    assert edges.mean(axis=1) == pytest.approx(strands.points[:spine], abs=1e-5)


def test_tubes_are_closed_around_and_round():
    scene, arcs = _between(amplitude=0.0, lines=1, drawn="tubes", width=0.04, points=10)
    strands = evaluate(Project(scene), 1)[arcs]
    spine = len(strands.topology.lines.points)
    ring = strands.points[spine:].reshape(spine, 5, 3)
    assert np.linalg.norm(ring - strands.points[:spine, None], axis=2) == pytest.approx(0.02, abs=1e-5)
    assert strands.topology.faces == 8 * 9 * 5


def test_hairs_grow_along_normals_and_keep_their_places():
    scene, ground = add_shape(Scene(), "Ground", Grid(2.0, 2.0, 8, 8))
    made = {}
    for roots in (40, 90):
        with_hair, hair = add_shape(
            scene, "Hair", StrandsFrom(surface=ground, roots=roots, lines=1, amplitude=0.0, length=0.5)
        )
        made[roots] = _lines(evaluate(Project(with_hair), 1)[hair])
    assert np.array_equal(made[40], made[90][:40])
    assert made[90][7][-1] - made[90][7][0] == pytest.approx([0.0, 0.5, 0.0], abs=1e-5)


def test_scaling_each_makes_strands_longer_from_their_roots():
    scene, ground = add_shape(Scene(), "Ground", Grid(2.0, 2.0, 8, 8))
    scene, hair = add_shape(scene, "Hair", StrandsFrom(surface=ground, roots=30, lines=1, amplitude=0.0, length=0.5))
    before = _lines(evaluate(Project(scene), 1)[hair])
    longer = EffectSlot("longer", Scale((1.0, 2.0, 1.0)), acts_on="pieces", each=True)
    after = _lines(evaluate(Project(edits.put(scene, ("shapes", hair, "effects"), (longer,))), 1)[hair])
    for one, two in zip(before, after, strict=True):
        assert two[0] == pytest.approx(one[0], abs=1e-5)
        assert two[-1] - two[0] == pytest.approx([0.0, 1.0, 0.0], abs=1e-4)


def test_strands_are_pieces_with_their_roots_as_middles():
    scene, arcs = _between(lines=2)
    strands = evaluate(Project(scene), 2)[arcs]
    assert strands.pieces.word == "strand"
    roots = np.array([line[0] for line in _lines(strands)])
    assert samples_of(strands, Domain.PIECE).positions == pytest.approx(roots, abs=1e-6)


def test_a_path_with_too_few_points_is_told():
    scene, path = add_control(Scene(), "path", "Path")
    scene, cable = add_shape(scene, "Cable", StrandsAlongPath(path=path))
    problem = evaluate(Project(scene), 1).problems[0]
    assert problem.path == ("shapes", cable)
    assert "fewer than two points" in problem.text
    line = tuple((x, 0.0, 0.0) for x in (0.0, 1.0, 3.0))
    scene = edits.put(scene, ("controls", path, "points"), line)
    still = structs.replace(edits.get(scene, ("shapes", cable, "source")), amplitude=0.0, lines=1, points=4)
    made = evaluate(Project(edits.put(scene, ("shapes", cable, "source"), still)), 1)[cable]
    assert _lines(made)[0][:, 0] == pytest.approx([0.0, 1.0, 2.0, 3.0], abs=1e-5)
