"""Exporting what changes: faces that come and go, colours that follow a falloff, more points than at first."""

import numpy as np
import pytest
from plyfile import PlyData
from pxr import Usd, UsdGeom

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.color import Color
from estompe.effects.hide import Hide
from estompe.effects.shell import Shell
from estompe.effects.subdivide import Subdivide
from estompe.evaluation import evaluate
from estompe.exchange import ExchangeError, sequence
from estompe.exchange.writers import usd as usd_out
from estompe.falloffs.distance import Distance
from estompe.geometry import Domain
from estompe.importing import mesh
from estompe.kinds.numbers import Formula, Key, Keyed
from estompe.samples import sample
from estompe.shapes.sphere import Sphere

DONE = Usd.TimeCode.Default()


@pytest.fixture(scope="module")
def lily(tmp_path_factory):
    """The sea lily's frames 1, 2 and some later ones, as USD and as the project they came from."""
    project = sample("sea-lily").build(0.02)
    path = tmp_path_factory.mktemp("out") / "lily.usdc"
    usd_out.write(project, 1, 30, path)
    return project, Usd.Stage.Open(str(path))


@pytest.mark.parametrize("number", [1, 2, 15, 30])
def test_faces_that_come_are_those_of_each_frame(lily, number):
    project, stage = lily
    cup = UsdGeom.Mesh(stage.GetPrimAtPath("/World/Cup"))
    expected = evaluate(project, number)["Cup"]
    counts = np.asarray(cup.GetFaceVertexCountsAttr().Get(number))
    assert np.array_equal(counts, np.diff(expected.topology.offsets))
    assert np.array_equal(np.asarray(cup.GetFaceVertexIndicesAttr().Get(number)), expected.topology.corners)
    assert np.array_equal(np.asarray(cup.GetPointsAttr().Get(number)), expected.points)
    uv = UsdGeom.PrimvarsAPI(cup).GetPrimvar("st").Get(number)
    assert len(uv) == len(expected.topology.corners)


def test_what_stays_is_written_without_a_time(lily):
    _, stage = lily
    stem = UsdGeom.Mesh(stage.GetPrimAtPath("/World/Stem"))
    for attribute in (stem.GetFaceVertexCountsAttr(), stem.GetFaceVertexIndicesAttr()):
        assert attribute.GetNumTimeSamples() == 0
        assert len(attribute.Get(DONE)) > 0
    assert stem.GetPointsAttr().GetNumTimeSamples() > 10


def test_faces_on_a_standstill_are_held(tmp_path):
    """A frame between the last unchanged one and the first changed one has the unchanged faces."""
    threshold = Keyed((Key(1, 1.0, "step"), Key(5, 0.2, "step")))
    effects = (EffectSlot("h", Hide(threshold), (Route("near"),)),)
    falloffs = (Falloff("near", "Near", (Layer("l", Distance("c")),), Range(0.2, 1.2)),)
    scene = Scene(
        (Shape("s", "S", Sphere(0.5, 6), effects=effects),),
        (Control("c", "C", transform=Transform((0.5, 0, 0))),),
        falloffs,
    )
    usd_out.write(Project(scene), 1, 8, tmp_path / "h.usda")
    stage = Usd.Stage.Open(str(tmp_path / "h.usda"))
    counts = UsdGeom.Mesh(stage.GetPrimAtPath("/World/S")).GetFaceVertexCountsAttr()
    assert len(counts.Get(1)) == len(counts.Get(4)) == 216
    assert len(counts.Get(5)) == len(counts.Get(8)) < 216


def test_colours_follow_the_falloff(tmp_path):
    place = (Keyed((Key(1, -2.0), Key(10, 2.0))), 0.0, 0.0)
    effects = (EffectSlot("c", Color((1.0, 0.0, 0.0)), (Route("near"),)),)
    falloffs = (Falloff("near", "Near", (Layer("l", Distance("c")),), Range(0.2, 1.2)),)
    scene = Scene(
        (Shape("s", "S", Sphere(0.5, 6), effects=effects),), (Control("c", "C", transform=Transform(place)),), falloffs
    )
    usd_out.write(Project(scene), 1, 10, tmp_path / "c.usda")
    stage = Usd.Stage.Open(str(tmp_path / "c.usda"))
    color = UsdGeom.PrimvarsAPI(stage.GetPrimAtPath("/World/S")).GetPrimvar("displayColor")
    for number in (4, 6):
        expected = evaluate(Project(scene), number)["S"].attribute(Domain.POINT, "color")
        assert np.allclose(np.asarray(color.Get(number)), expected, atol=1e-6)


def test_more_points_than_at_rest_are_all_there(tmp_path):
    effects = (EffectSlot("d", Subdivide(1)), EffectSlot("s", Shell(0.1)))
    scene = Scene((Shape("s", "S", Sphere(0.5, 4), effects=effects),))
    usd_out.write(Project(scene), 1, 2, tmp_path / "m.usdc")
    stage = Usd.Stage.Open(str(tmp_path / "m.usdc"))
    usd_mesh = UsdGeom.Mesh(stage.GetPrimAtPath("/World/S"))
    expected = evaluate(Project(scene), 1)["S"]
    assert len(usd_mesh.GetPointsAttr().Get(1)) == len(expected.points) == len(usd_mesh.GetNormalsAttr().Get(1))
    again = mesh.read_mesh(tmp_path / "m.usdc")
    assert again.topology.faces == expected.topology.faces


@pytest.mark.parametrize("form", ["obj", "ply"])
def test_sequences_hold_frames_without_a_face(tmp_path, form):
    project = sample("sea-lily").build(0.02)
    made = sequence.write(project, 1, 20, tmp_path / "frames", form)
    assert len(made) == 40
    first, last = tmp_path / "frames" / f"cup.0001.{form}", tmp_path / "frames" / f"cup.0020.{form}"
    assert last.stat().st_size > first.stat().st_size
    if form == "ply":
        assert len(PlyData.read(str(first))["face"].data) == 0
    assert mesh.read_mesh(last).topology.faces == evaluate(project, 20)["Cup"].topology.faces


@pytest.mark.parametrize(
    ("path", "words"),
    [
        (("camera", "view_angle"), "the camera: Shot.view_angle"),
        (("controls", "c", "transform", "position", 0), "“C”: C.position.x"),
    ],
)
def test_a_formula_that_fails_stops_the_bake_with_its_place(tmp_path, path, words):
    scene = edits.put(Scene((Shape("s", "S", Sphere(0.5, 3)),), (Control("c", "C"),)), path, Formula("1 / 0"))
    with pytest.raises(ExchangeError, match=words):
        usd_out.write(Project(scene), 1, 2, tmp_path / "x.usdc")
    assert list(tmp_path.iterdir()) == []
