"""Copies and pieces to USD and back, checked with the USD library."""

import numpy as np
import pytest
from pxr import Usd, UsdGeom
from tests.checking import failed_checks

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Layer, Range, Route, Scene, Transform
from estompe.effects.color import Color
from estompe.effects.fracture import Fracture
from estompe.effects.hide import Hide
from estompe.effects.rotate import Rotate
from estompe.evaluation import evaluate
from estompe.exchange.writers import obj, ply, usd
from estompe.falloffs.distance import Distance
from estompe.geometry.copies import Copies
from estompe.importing.mesh import read_mesh
from estompe.kinds.numbers import Key, Keyed
from estompe.setups.adding import add_control, add_falloff, add_shape
from estompe.shapes.box import Box
from estompe.shapes.copies_grid import CopiesOnGrid
from estompe.shapes.sphere import Sphere
from estompe.shapes.strands_between import StrandsBetween


def _project():
    scene, control = add_control(Scene(), position=(Keyed((Key(1.0, -1.0), Key(6.0, 1.0))), 0.0, 0.0))
    scene, falloff = add_falloff(scene, "Near", (Layer("layer", Distance(control)),))
    scene = edits.put(scene, ("falloffs", falloff, "range"), Range(0.2, 1.2))
    scene, box = add_shape(scene, "Tile", Box(0.1, 0.02, 0.1, 1))
    scene, ball = add_shape(scene, "Ball", Sphere(0.06, 4))
    for form in (box, ball):
        scene = edits.put(scene, ("shapes", form, "visible"), False)
    scene, tiles = add_shape(scene, "Tiles", CopiesOnGrid(form=box, more=(ball,), columns=6, rows=5))
    routed = (Route(falloff),)
    effects = (
        EffectSlot("turned", Rotate(150.0, "z"), routed, acts_on="pieces", each=True),
        EffectSlot("colored", Color((1.0, 0.2, 0.1)), routed, acts_on="pieces"),
        EffectSlot("hidden", Hide(0.9), routed, acts_on="pieces"),
    )
    scene = edits.put(scene, ("shapes", tiles, "effects"), effects)
    scene = edits.put(
        scene, ("shapes", tiles, "transform"), Transform((0.0, 0.5, 0.0), (10.0, 20.0, 30.0), (1.2, 1.2, 1.2))
    )
    return Project(scene), tiles, falloff


def test_copies_are_a_point_instancer_that_reads_back_equal(tmp_path):
    project, tiles, falloff = _project()
    path = tmp_path / "tiles.usda"
    usd.write(project, 1, 4, path)
    stage = Usd.Stage.Open(str(path))
    assert sorted(prim.GetName() for prim in stage.GetPrimAtPath("/World").GetChildren()) == [
        "Camera",
        "Controls",
        "Tiles",
    ]
    made = UsdGeom.PointInstancer(stage.GetPrimAtPath("/World/Tiles"))
    strength = UsdGeom.PrimvarsAPI(made).GetPrimvar("strength_Near")
    color = UsdGeom.PrimvarsAPI(made).GetPrimvar("displayColor")
    for number in (1, 2, 4):
        copies = evaluate(project, number)[tiles]
        assert isinstance(copies, Copies)
        assert np.array_equal(made.GetIdsAttr().Get(number), copies.ids)
        assert np.array_equal(made.GetProtoIndicesAttr().Get(number), copies.form)
        assert sorted(made.GetInvisibleIdsAttr().Get(number) or []) == sorted(copies.ids[~copies.shown])
        matrices = np.array(made.ComputeInstanceTransformsAtTime(number, number, applyMask=made.IgnoreMask)).reshape(
            -1, 4, 4
        )
        assert matrices[:, :3, :3].transpose(0, 2, 1).reshape(-1, 9) == pytest.approx(copies.linear, abs=1e-6)
        assert matrices[:, 3, :3] == pytest.approx(copies.positions, abs=1e-6)
        assert np.array_equal(strength.Get(number), evaluate(project, number).shown(tiles, falloff).strength)
        assert np.array_equal(color.Get(number), copies.attribute("piece", "color"))
    assert [UsdGeom.Mesh(stage.GetPrimAtPath(path)) is not None for path in made.GetPrototypesRel().GetTargets()] == [
        True
    ] * 2


def test_the_checker_has_nothing_to_say(tmp_path):
    project, _, _ = _project()
    path = tmp_path / "tiles.usdc"
    usd.write(project, 1, 3, path)
    assert failed_checks(path) == []


def test_an_instancer_is_imported_as_the_real_mesh(tmp_path):
    project, tiles, _ = _project()
    path = tmp_path / "tiles.usdc"
    usd.write(project, 3, 3, path)
    mesh = read_mesh(path)
    real = evaluate(project, 3)[tiles]
    assert len(mesh.points) == len(real.points)
    order = [np.lexsort(np.round(item.points, 4).T) for item in (mesh, real)]
    assert mesh.points[order[0]] == pytest.approx(real.points[order[1]], abs=2e-4)
    assert "copies of “Tiles” became one mesh" in mesh.notes[0]


def test_copies_are_written_real_as_obj_and_ply(tmp_path):
    project, tiles, _ = _project()
    frame = evaluate(project, 3)
    shape = frame.shape(tiles)
    for writer, name in ((obj, "tiles.obj"), (ply, "tiles.ply")):
        writer.write(frame, shape, tmp_path / name)
        mesh = read_mesh(tmp_path / name)
        assert mesh.points == pytest.approx(frame[tiles].points, abs=1e-5)
        assert mesh.topology.faces == frame[tiles].topology.faces


def test_pieces_are_one_mesh_with_their_ids(tmp_path):
    scene, sphere = add_shape(Scene(), "Sphere", Sphere(0.5, 10))
    scene = edits.put(scene, ("shapes", sphere, "effects"), (EffectSlot("cut", Fracture(12)),))
    path = tmp_path / "pieces.usdc"
    usd.write(Project(scene), 1, 2, path)
    stage = Usd.Stage.Open(str(path))
    mesh = UsdGeom.Mesh(stage.GetPrimAtPath("/World/Sphere"))
    geometry = evaluate(Project(scene), 1)[sphere]
    pieces = np.array(UsdGeom.PrimvarsAPI(mesh).GetPrimvar("piece").Get(1))
    assert np.array_equal(pieces, geometry.pieces.ids[geometry.pieces.of])
    subsets = [item.GetPrim().GetName() for item in UsdGeom.Subset.GetAllGeomSubsets(mesh)]
    assert subsets == ["inside"]


@pytest.mark.parametrize("drawn", ["ribbons", "tubes", "lines"])
def test_strands_are_curves_with_widths_that_read_back_equal(tmp_path, drawn):
    scene, first = add_shape(Scene(), "First", Box(0.2, 0.2, 0.2, 1))
    scene, second = add_shape(scene, "Second", Box(0.2, 0.2, 0.2, 1))
    scene = edits.put(scene, ("shapes", second, "transform"), Transform((2.0, 0.0, 0.0)))
    source = StrandsBetween(from_shape=first, to_shape=second, lines=2, points=20, drawn=drawn, width=0.03, tip=0.5)
    scene, arcs = add_shape(scene, "Arcs", source)
    path = tmp_path / "arcs.usdc"
    usd.write(Project(scene), 1, 3, path)
    assert failed_checks(path) == []
    stage = Usd.Stage.Open(str(path))
    made = UsdGeom.BasisCurves(stage.GetPrimAtPath("/World/Arcs"))
    for number in (1, 3):
        strands = evaluate(Project(scene), number)[arcs]
        lines = strands.topology.lines
        assert np.array_equal(made.GetCurveVertexCountsAttr().Get(number), np.diff(lines.offsets))
        assert np.array_equal(made.GetPointsAttr().Get(number), strands.points[lines.points])
        assert np.array_equal(made.GetWidthsAttr().Get(number), strands.attribute("point", "width")[lines.points])
        around = UsdGeom.Boundable.ComputeExtentFromPlugins(made, number)  # by points and widths
        assert np.allclose(made.GetExtentAttr().Get(number), around, atol=1e-6)
    assert made.GetPointsAttr().Get(1) != made.GetPointsAttr().Get(3)  # alive
