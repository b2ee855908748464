"""Hard edges come in with a mesh's own normals, follow effects, and go out again."""

import base64
import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec import structs
from pxr import Sdf, Usd, UsdGeom, Vt
from tests import shots

from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Scene, Shape
from estompe.effects.move import Move
from estompe.evaluation import evaluate
from estompe.exchange.usd.over import write_over
from estompe.exchange.writers import obj as obj_out
from estompe.exchange.writers import usd as usd_out
from estompe.geometry import Domain
from estompe.importing.footage import close_all
from estompe.importing.merging import Part, welded
from estompe.importing.mesh import read_mesh
from estompe.setups.shot import listed, with_shot
from estompe.shapes.imported import stored

BOX = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)], np.float32)
QUADS = np.array([[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]])
FACING = np.array([[-1, 0, 0], [1, 0, 0], [0, -1, 0], [0, 1, 0], [0, 0, -1], [0, 0, 1]], np.float32)


@pytest.fixture(autouse=True)
def _closed():
    yield
    close_all()


def usd_box(path, how="faceVarying", scheme="none", as_primvar=False, hand="rightHanded"):
    stage = shots.new_stage(path)
    mesh = shots.define_mesh(stage, "/World/Box", BOX, [4] * 6, QUADS.reshape(-1).tolist())
    mesh.CreateSubdivisionSchemeAttr(scheme)
    mesh.CreateOrientationAttr(hand)
    values = {"faceVarying": np.repeat(FACING, 4, axis=0), "uniform": FACING,
              "vertex": (BOX - 0.5) / np.linalg.norm(BOX - 0.5, axis=1)[:, None]}[how]  # fmt: skip
    values = Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(values, np.float32))
    if as_primvar:
        UsdGeom.PrimvarsAPI(mesh).CreatePrimvar("normals", Sdf.ValueTypeNames.Normal3fArray, how).Set(values)
        mesh.CreateNormalsAttr(Vt.Vec3fArray([(0, 1, 0)] * 8))
    else:
        mesh.CreateNormalsAttr(values)
        mesh.SetNormalsInterpolation(how)
    stage.Save()
    return path


def hard(geometry):
    """Whether every face of the box is shaded by itself."""
    sign = np.sign(np.einsum("ij,ij->i", geometry.corner_normals, np.repeat(FACING, 4, axis=0)))
    return np.allclose(geometry.corner_normals, sign[:, None] * np.repeat(FACING, 4, axis=0), atol=1e-5)


@pytest.mark.parametrize("how", ["faceVarying", "uniform"])
@pytest.mark.parametrize("as_primvar", [False, True])
@pytest.mark.parametrize("hand", ["rightHanded", "leftHanded"])
def test_usd_normals_tell_hard_edges_as_a_still_mesh_and_in_a_shot(tmp_path, how, as_primvar, hand):
    path = usd_box(tmp_path / "box.usda", how, as_primvar=as_primvar, hand=hand)
    still = read_mesh(path)
    shot = evaluate(with_shot(Project(Scene()), listed(path, Scene())).project, 1)["Box"]
    for mesh in (still, shot):
        assert len(mesh.shading.sources) == 24
        assert not any(name == "normals" for _, name in mesh.attributes)
    if hand == "rightHanded":
        assert hard(still)
        assert hard(shot)


def test_forms_of_copies_keep_uvs_and_hard_edges(tmp_path):
    path = tmp_path / "crowd.usda"
    stage = shots.new_stage(path)
    crowd = UsdGeom.PointInstancer.Define(stage, "/World/Crowd")
    box = shots.define_mesh(stage, "/World/Crowd/Forms/Box/box", BOX, [4] * 6, QUADS.reshape(-1).tolist())
    box.CreateSubdivisionSchemeAttr("none")
    box.CreateNormalsAttr(Vt.Vec3fArray.FromNumpy(FACING))
    box.SetNormalsInterpolation("uniform")
    shots.define_mesh(stage, "/World/Crowd/Forms/Box/plain")
    crowd.CreatePrototypesRel().AddTarget("/World/Crowd/Forms/Box")
    crowd.CreateProtoIndicesAttr([0, 0])
    crowd.CreatePositionsAttr([(0, 0, 0), (3, 0, 0)])
    stage.Save()
    copies = evaluate(with_shot(Project(Scene()), listed(path, Scene())).project, 1)["Crowd"]
    (form,) = copies.forms
    assert form.attribute(Domain.CORNER, "uv").shape == (28, 2)
    assert len(form.shading.sources) == 24 + 4


@pytest.mark.parametrize(("how", "scheme"), [("vertex", "none"), ("faceVarying", "catmullClark")])
def test_one_normal_a_point_and_those_of_subdivision_surfaces_make_no_edge_hard(tmp_path, how, scheme):
    path = usd_box(tmp_path / "box.usda", how, scheme)
    assert read_mesh(path).shading is None
    assert evaluate(with_shot(Project(Scene()), listed(path, Scene())).project, 1)["Box"].shading is None


def test_wrong_normals_are_left_out(tmp_path):
    path = usd_box(tmp_path / "box.usda")
    stage = Usd.Stage.Open(str(path))
    stage.GetPrimAtPath("/World/Box").GetAttribute("normals").Set(Vt.Vec3fArray([(0, 1, 0)] * 5))
    stage.Save()
    assert read_mesh(path).shading is None


@pytest.mark.parametrize("as_primvar", [False, True])
def test_an_over_keeps_hard_edges_and_nothing_goes_before_them(tmp_path, as_primvar):
    path = usd_box(tmp_path / "box.usda", as_primvar=as_primvar)
    project = with_shot(Project(Scene()), listed(path, Scene())).project
    shape = structs.replace(project.scene.shapes[0], effects=(EffectSlot("move", Move((0.0, 2.0, 0.0))),))
    project = project.with_scene(structs.replace(project.scene, shapes=(shape,)))
    write_over(project, 1, 2, tmp_path / "over.usda")
    stage = Usd.Stage.Open(str(tmp_path / "over.usda"))
    mesh = UsdGeom.Mesh.Get(stage, "/World/Box")
    assert not UsdGeom.PrimvarsAPI(mesh).GetPrimvar("normals").HasValue()
    assert mesh.GetNormalsInterpolation() == "faceVarying"
    assert np.allclose(np.abs(mesh.GetNormalsAttr().Get(1)), np.abs(np.repeat(FACING, 4, axis=0)), atol=1e-5)


@pytest.mark.parametrize("ending", ["usda", "obj"])
def test_hard_edges_come_back_from_a_file_that_was_written(tmp_path, ending):
    made, assets = stored(read_mesh(usd_box(tmp_path / "box.usda")))
    project = Project(Scene((Shape("box", "Box", made),)), assets)
    out = tmp_path / f"out.{ending}"
    if ending == "obj":
        frame = evaluate(project, 1)
        obj_out.write(frame, frame.scene.shapes[0], out)
    else:
        usd_out.write(project, 1, 1, out)
    back = read_mesh(out)
    assert len(back.points) == 8
    assert hard(back)


def test_obj_normals_are_read_and_bad_ones_do_no_harm(tmp_path):
    rows = [*(f"v {x} {y} {z}" for x, y, z in BOX), *(f"vn {x} {y} {z}" for x, y, z in FACING), "vn nan nan nan"]
    faces = [f"f {' '.join(f'{point + 1}//{face + 1}' for point in QUADS[face])}" for face in range(6)]
    (tmp_path / "box.obj").write_text("\n".join([*rows, *faces]))
    assert hard(read_mesh(tmp_path / "box.obj"))
    faces[0] = faces[0].replace("//1", "//99")
    faces[1] = faces[1].replace("//2", "//7")
    (tmp_path / "odd.obj").write_text("\n".join([*rows, *faces]))
    odd = read_mesh(tmp_path / "odd.obj")
    assert odd.topology.faces == 6
    assert any("no number" in note for note in odd.notes)


def gltf_box(path, smooth=False, materials=(), joints=None):
    """A box as such files have it: 24 points, each with the normal of its face, triangles, UVs.

    materials: names, of which each takes as many faces; joints: the joint that each of the 24 points is bound to.
    """
    points = BOX[QUADS.reshape(-1)]
    normals = np.repeat(FACING, 4, axis=0) if not smooth else points - np.float32(0.5)
    uvs = np.tile(np.array([[0, 0], [1, 0], [1, 1], [0, 1]], np.float32), (6, 1))
    corners = (np.array([[0, 1, 2], [0, 2, 3]])[None] + 4 * np.arange(6)[:, None, None]).reshape(6, -1).astype("<u2")
    blocks = [(points, "VEC3", 5126), (normals, "VEC3", 5126), (uvs, "VEC2", 5126)]
    named = {"POSITION": 0, "NORMAL": 1, "TEXCOORD_0": 2}
    if joints is not None:
        bound = np.zeros((24, 4), "u1")
        bound[:, 0] = joints
        blocks += [(bound, "VEC4", 5121), (np.tile(np.float32([1, 0, 0, 0]), (24, 1)), "VEC4", 5126)]
        named |= {"JOINTS_0": 3, "WEIGHTS_0": 4}
    primitives = []
    for number, part in enumerate(np.split(corners, max(1, len(materials)))):
        primitives.append({"attributes": named, "indices": len(blocks)})
        blocks.append((part.reshape(-1), "SCALAR", 5123))
        if materials:
            primitives[-1]["material"] = number
    data, views, accessors = b"", [], []
    for block, kind, component in blocks:
        views.append({"buffer": 0, "byteOffset": len(data), "byteLength": block.nbytes})
        accessors.append({"bufferView": len(views) - 1, "componentType": component, "count": len(block), "type": kind})
        data += np.ascontiguousarray(block).tobytes()
    about = {
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0, 1, 2]}],
        "nodes": [{"name": "Box", "mesh": 0}, {"name": "Bone"}, {"name": "Tip", "translation": [0, 1, 0]}],
        "meshes": [{"primitives": primitives}], "accessors": accessors, "bufferViews": views,
        "materials": [{"name": name} for name in materials],
        "buffers": [{"byteLength": len(data),
                     "uri": "data:application/octet-stream;base64," + base64.b64encode(data).decode()}],
    }  # fmt: skip
    if joints is not None:
        about["skins"] = [{"joints": [1, 2]}]
        about["nodes"][0]["skin"] = 0
    path.write_text(json.dumps(about))
    return path


def imported(path):
    """What a file comes in as: a still mesh, and a shape of a shot."""
    return read_mesh(path), evaluate(with_shot(Project(Scene()), listed(path, Scene())).project, 1)["Box"]


def test_a_mesh_of_two_materials_is_one_skin_of_two_groups(tmp_path):
    for mesh in imported(gltf_box(tmp_path / "box.gltf", materials=("Oak", "Brass"))):
        assert len(mesh.points) == 8
        assert mesh.topology.closed
        oak, brass = (mesh.attribute(Domain.FACE, name) for name in ("Oak", "Brass"))
        assert oak.tolist() == (~brass).tolist() == [True] * 6 + [False] * 6


def test_points_in_one_place_that_move_apart_stay_apart(tmp_path):
    """The upper face is bound to another joint: it may lift off, so its points are its own."""
    joints = np.repeat([0, 0, 0, 1, 0, 0], 4)
    still, shot = imported(gltf_box(tmp_path / "box.gltf", joints=joints))
    assert len(still.points) == 8  # nothing moves in a still mesh
    assert len(shot.points) == 8 + 4
    top = shot.points[:, 1] > 1.5
    assert top.sum() == 4


@pytest.mark.parametrize(("points", "left"), [(BOX, 8), (np.zeros((8, 3), np.float32), 8)])
def test_welding_leaves_out_what_folds_up_unless_nothing_is_left(points, left):
    corners = np.array([0, 1, 3, 0, 3, 2, 4, 4, 4])
    part = Part("part", points, corners, np.array([3, 3, 3]), {(Domain.FACE, "group"): np.array([True, False, True])})
    made, kept = welded(part)
    assert len(made.points) == len(kept) == left
    assert len(made.sizes) == (2 if points is BOX else 3)
    assert len(made.attributes[Domain.FACE, "group"]) == len(made.sizes)


@settings(deadline=None, max_examples=60)
@given(st.lists(st.integers(0, 5), min_size=1, max_size=30), st.lists(st.integers(0, 29), min_size=3, max_size=45))
def test_welded_corners_are_where_they_were(places, named):
    """Whatever is welded: every corner that is left is in its place, and no two points are."""
    points = np.stack([places, np.zeros(len(places)), np.array(places) * 0.5], axis=1)
    corners = np.array(named[: len(named) // 3 * 3]) % len(places)
    part = Part("part", points, corners, np.full(len(corners) // 3, 3), {(Domain.CORNER, "uv"): corners[:, None] * 1.0})
    made, kept = welded(part)
    assert np.array_equal(made.points, points[kept])
    assert np.array_equal(made.points[made.corners], points[made.attributes[Domain.CORNER, "uv"][:, 0].astype(int)])
    three = np.array(places)[corners].reshape(-1, 3)
    whole = (three != np.roll(three, 1, axis=1)).all(axis=1)
    if whole.any():
        assert len(made.sizes) == whole.sum()
        assert len(np.unique(made.points, axis=0)) == len(made.points)
    else:
        assert made is part


@pytest.mark.parametrize("smooth", [False, True])
def test_gltf_seams_are_welded_so_that_what_was_closed_is_closed(tmp_path, smooth):
    for mesh in imported(gltf_box(tmp_path / "box.gltf", smooth)):
        assert len(mesh.points) == 8
        assert mesh.topology.closed
        assert mesh.attribute(Domain.CORNER, "uv").shape == (36, 2)
        assert (mesh.shading is None) == smooth
