"""Importing meshes: what each format keeps, and clear errors for what is broken."""

import json
import struct
from pathlib import Path

import numpy as np
import plyfile
import pytest
import trimesh

from estompe.evaluation import CancelledError
from estompe.exchange.writers import obj, ply
from estompe.geometry import Domain, Geometry
from estompe.geometry.topology import Topology
from estompe.importing import ExchangeError, endings, read_mesh
from estompe.importing.isolated import read_mesh_isolated
from estompe.shapes import primitives

QUADS = """# a jetty of two planks, with a comment and a continued line
o jetty
v 0 0 0 1 0 0
v 1 0 0 1 0.5 0
v 1 0 1 0 1 0
v 0 0 1 0 0 1
v 2 0 0 1 1 1
v 2 0 1 0.2 0.2 \\
 0.2
vt 0 0
vt 1 0
vt 1 1
vt 0 1
g plank near
f 1/1 2/2 3/3 4/4
g far
f -5/1 -2/2 -1/3 3/4
"""


def _read(tmp_path: Path, name: str, content: str | bytes):
    path = tmp_path / name
    path.write_bytes(content.encode() if isinstance(content, str) else content)
    return read_mesh(path)


def test_obj_keeps_polygons_uvs_colours_and_groups(tmp_path):
    mesh = _read(tmp_path, "jetty.obj", QUADS)
    assert mesh.topology.corners.tolist() == [0, 1, 2, 3, 1, 4, 5, 2]
    assert mesh.topology.offsets.tolist() == [0, 4, 8]
    assert mesh.attribute(Domain.CORNER, "uv")[5].tolist() == [1, 0]
    linear = ((0.2 + 0.055) / 1.055) ** 2.4  # files of this kind hold display values
    assert np.allclose(mesh.attribute(Domain.POINT, "color")[5], linear)
    assert mesh.attribute(Domain.FACE, "plank near").tolist() == [True, False]
    assert mesh.attribute(Domain.FACE, "far").tolist() == [False, True]


@pytest.mark.parametrize("text", ["-1.5e-3", "+2", ".25", "1e4", "123456.789", "0", "-0.0", "3.4028234e38"])
def test_obj_numbers_are_those_of_python(tmp_path, text):
    mesh = _read(tmp_path, "n.obj", f"v {text} 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    assert mesh.points[0, 0] == np.float32(float(text))


def test_obj_with_windows_line_ends_and_no_last_newline(tmp_path):
    mesh = _read(tmp_path, "w.obj", "v 0 0 0\r\nv 1 0 0\r\nv 0 1 0\r\nf 1 2 3")
    assert mesh.topology.faces == 1


def test_obj_round_trip_is_exact(tmp_path):
    lathe = primitives.lathe(np.array([[0.0, 0], [0.4, 0.3], [0.1, 1.0]]), 20, 12)
    obj.write_mesh(lathe, "urn", tmp_path / "u.obj")
    again = read_mesh(tmp_path / "u.obj")
    assert np.array_equal(again.points, lathe.points)
    assert np.array_equal(again.topology.corners, lathe.topology.corners)
    assert np.array_equal(again.topology.offsets, lathe.topology.offsets)
    assert np.array_equal(again.attribute(Domain.CORNER, "uv"), lathe.attribute(Domain.CORNER, "uv"))


@pytest.mark.parametrize("made", [primitives.sphere(1, 3), primitives.lathe(np.array([[0.0, 0], [1, 1]]), 8, 3)])
def test_ply_round_trip_keeps_polygons_and_strengths(tmp_path, made):
    colored = made.with_attribute(Domain.POINT, "color", np.full((len(made.points), 3), 0.4, np.float32))
    strength = np.linspace(0, 1, len(made.points), dtype=np.float32)
    ply.write_mesh(colored, {"strength_tide": strength}, tmp_path / "b.ply")
    again = read_mesh(tmp_path / "b.ply")
    assert np.array_equal(again.points, made.points)
    assert np.array_equal(again.topology.corners, made.topology.corners)
    assert np.array_equal(again.topology.offsets, made.topology.offsets)
    assert np.array_equal(again.attribute(Domain.POINT, "strength_tide"), strength)
    assert np.allclose(again.attribute(Domain.POINT, "color"), 0.4, atol=2 / 255)


@pytest.mark.parametrize(("sides", "kind"), [(255, "uchar"), (256, "int")])
def test_ply_counts_corners_with_a_byte_where_that_is_enough(tmp_path, sides, kind):
    angles = np.linspace(0, 2 * np.pi, sides, endpoint=False)
    points = np.stack([np.cos(angles), np.sin(angles), np.zeros(sides)], axis=1).astype(np.float32)
    corners = np.concatenate([np.arange(sides), [0, 1, 2]]).astype(np.int32)
    disc = Geometry(points, Topology(corners, np.array([0, sides, sides + 3], np.int32), sides))
    ply.write_mesh(disc, {}, tmp_path / "disc.ply")
    assert f"property list {kind} int vertex_indices".encode() in (tmp_path / "disc.ply").read_bytes()
    faces = plyfile.PlyData.read(tmp_path / "disc.ply")["face"]["vertex_indices"]
    assert [list(face) for face in faces] == [list(range(sides)), [0, 1, 2]]


def test_text_ply_with_faces_of_different_sizes(tmp_path):
    text = (
        "ply\nformat ascii 1.0\nelement vertex 5\nproperty float x\nproperty float y\nproperty float z\n"
        "property float u\nproperty float v\nelement face 2\nproperty list uchar int vertex_indices\nend_header\n"
        "0 0 0 0 0\n1 0 0 1 0\n1 1 0 1 1\n0 1 0 0 1\n2 0 0 0.5 0.5\n4 0 1 2 3\n3 1 4 2\n"
    )
    mesh = _read(tmp_path, "a.ply", text)
    assert np.diff(mesh.topology.offsets).tolist() == [4, 3]
    assert mesh.attribute(Domain.POINT, "uv")[4].tolist() == [0.5, 0.5]


def test_stl_points_are_joined(tmp_path):
    trimesh.creation.box().export(tmp_path / "b.stl")
    mesh = read_mesh(tmp_path / "b.stl")
    assert (len(mesh.points), mesh.topology.faces, len(mesh.topology.open_edges)) == (8, 12, 0)


@pytest.mark.parametrize("ending", ["glb", "gltf"])
def test_gltf_places_its_meshes_and_names_them(tmp_path, ending):
    scene = trimesh.Scene()
    scene.add_geometry(trimesh.creation.box(), node_name="crate")
    scene.add_geometry(
        trimesh.creation.box(), node_name="buoy", transform=trimesh.transformations.translation_matrix([5, 0, 0])
    )
    scene.export(str(tmp_path / f"s.{ending}"))
    mesh = read_mesh(tmp_path / f"s.{ending}")
    assert mesh.topology.faces == 24
    assert mesh.bounds[1][0] == pytest.approx(5.5)
    assert mesh.attribute(Domain.FACE, "buoy").sum() == 12


def test_gltf_keeps_uvs_and_colours(tmp_path):
    box = trimesh.creation.box()
    colored = box.copy()
    colored.visual.vertex_colors = np.tile([255, 51, 0, 255], (8, 1))
    colored.export(tmp_path / "c.glb")
    assert np.allclose(read_mesh(tmp_path / "c.glb").attribute(Domain.POINT, "color")[0], [1, 0.2, 0], atol=0.005)
    box.visual = trimesh.visual.TextureVisuals(uv=np.full((8, 2), 0.25))
    box.export(tmp_path / "u.glb")
    assert np.allclose(read_mesh(tmp_path / "u.glb").attribute(Domain.CORNER, "uv"), 0.25)


USD = """#usda 1.0
( upAxis = "Z" )
def Xform "World" {
    double3 xformOp:translate = (10, 0, 0)
    uniform token[] xformOpOrder = ["xformOp:translate"]
    def Mesh "Plank" {
        point3f[] points = [(0,0,0), (1,0,0), (1,1,0), (0,1,0)]
        int[] faceVertexCounts = [4]
        int[] faceVertexIndices = [0, 1, 2, 3]
        texCoord2f[] primvars:st = [(0,0), (1,1)] (interpolation = "faceVarying")
        int[] primvars:st:indices = [0, 1, 1, 0]
        color3f[] primvars:displayColor = [(1,0,0), (0,1,0), (0,0,1), (1,1,1)] (interpolation = "vertex")
        def GeomSubset "lid" {
            uniform token elementType = "face"
            int[] indices = [0]
        }
    }
}
"""


def test_usd_is_placed_turned_upright_and_keeps_its_attributes(tmp_path):
    mesh = _read(tmp_path, "p.usda", USD)
    assert np.allclose(mesh.points[2], [11, 0, -1])
    assert mesh.attribute(Domain.CORNER, "uv").tolist() == [[0, 0], [1, 1], [1, 1], [0, 0]]
    assert mesh.attribute(Domain.POINT, "color")[1].tolist() == [0, 1, 0]
    assert mesh.attribute(Domain.FACE, "lid").tolist() == [True]


_PLY_HEAD = b"ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
_PLY_LIST = b"property list uchar int vertex_indices\nend_header\n"
_PLY_ONE_FACE = _PLY_HEAD + b"element face 1\n" + _PLY_LIST
_CLIMBING = json.dumps(
    {
        "asset": {"version": "2.0"},
        "buffers": [{"uri": "../../secret.bin", "byteLength": 4}],
        "bufferViews": [{"buffer": 0, "byteLength": 4}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 1, "type": "VEC3"}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
        "nodes": [{"mesh": 0}],
    }
)
BROKEN = {
    "empty.obj": (b"", "the file is empty"),
    "nan.obj": (b"v 0 0 nan\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "line 1 has a position that is not a number"),
    "inf.obj": (b"v 0 0 0\nv 1 inf 0\nv 0 1 0\nf 1 2 3\n", "line 2 has a position that is not a number"),
    "huge.obj": (b"v 1e999 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "not a number"),
    "words.obj": (b"v zero 0 0\nf 1 1 1\n", "line 1 has a position that is not a number"),
    "short.obj": (b"v 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "line 1 has a position"),
    "outside.obj": (b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 4\n", "line 4 has a face that names a point"),
    "below.obj": (b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf -4 -2 -1\n", "line 4 has a face that names a point"),
    "zero.obj": (b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 0 1 2\n", "line 4 has a face that names a point"),
    "uv.obj": (b"v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nf 1/1 2/1 3/9\n", "line 5 has a face that names a point or UV"),
    "two.obj": (b"v 0 0 0\nv 1 0 0\nf 1 2\n", "it has no faces"),
    "points.obj": (b"v 0 0 0\nv 1 0 0\nv 0 1 0\n", "it has no faces"),
    "prose.obj": (b"hello there\n" * 10, "it has no faces"),
    "empty.ply": (b"", "the file is empty"),
    "prose.ply": (b"hello", "damaged or not a PLY file"),
    "cut.ply": (_PLY_HEAD + b"end_header\n0 0 0\n1 0", "damaged|lacks points or faces"),
    "nofaces.ply": (_PLY_HEAD + b"end_header\n0 0 0\n1 0 0\n0 1 0\n", "it lacks points or faces"),
    "zerofaces.ply": (_PLY_HEAD + b"element face 0\n" + _PLY_LIST + b"0 0 0\n1 0 0\n0 1 0\n", "it has no faces"),
    "nan.ply": (_PLY_ONE_FACE + b"0 0 nan\n1 0 0\n0 1 0\n3 0 1 2\n", "point 1 has a position that is not a number"),
    "outside.ply": (_PLY_ONE_FACE + b"0 0 0\n1 0 0\n0 1 0\n3 0 1 7\n", "face 1 names a point that does not exist"),
    "empty.stl": (b"", "the file is empty"),
    "cut.stl": (b"\0" * 80 + struct.pack("<I", 5) + b"\0" * 60, "damaged or not a STL file|it has no faces"),
    "prose.stl": (b"solid nothing at all", "it has no faces|damaged"),
    "prose.glb": (b"glTF and then nothing", "damaged or not a glTF file"),
    "empty.gltf": (b"{}", "it has no faces|damaged"),
    "climbing.gltf": (_CLIMBING.encode(), "outside its own folder"),
    "prose.usda": (b"#usda 1.0\ndef Mesh {", "damaged or not a USD file"),
    "cut.usdc": (b"PXR-USDC\0\0\0\0", "damaged or not a USD file"),
    "nomesh.usda": (b"#usda 1.0\ndef Xform \"World\" {}\n", "it has no faces"),
    "outside.usda": (USD.replace("[0, 1, 2, 3]\n", "[0, 1, 2, 9]\n").encode(), "“Plank” names a point that does not exist"),
    "counts.usda": (USD.replace("Counts = [4]", "Counts = [5]").encode(), "do not match its corners"),
    "picture.png": (b"x", "“.png” is not a known ending"),
}  # fmt: skip


@pytest.mark.parametrize("name", BROKEN)
def test_broken_files_say_what_is_wrong(tmp_path, name):
    content, words = BROKEN[name]
    with pytest.raises(ExchangeError, match=f"{name}: .*({words})"):
        _read(tmp_path, name, content)


@pytest.mark.parametrize("ending", endings())
def test_folders_and_missing_files_of_every_ending(tmp_path, ending):
    (tmp_path / f"folder{ending}").mkdir()
    with pytest.raises(ExchangeError, match="is a folder"):
        read_mesh(tmp_path / f"folder{ending}")
    with pytest.raises(ExchangeError, match="there is no such file"):
        read_mesh(tmp_path / f"nothing{ending}")


@pytest.mark.parametrize("ending", ["obj", "ply", "stl", "glb"])
def test_truncated_and_scrambled_files_never_crash(tmp_path, ending):
    source = tmp_path / f"good.{ending}"
    if ending in ("stl", "glb"):
        trimesh.creation.icosphere(1).export(source)
    else:
        {
            "obj": lambda: obj.write_mesh(primitives.sphere(1, 3), "b", source),
            "ply": lambda: ply.write_mesh(primitives.sphere(1, 3), {}, source),
        }[ending]()
    whole, dice = source.read_bytes(), np.random.default_rng(5)
    for attempt in range(24):
        broken = bytearray(whole[: dice.integers(1, len(whole))] if attempt % 2 else whole)
        for place in dice.integers(0, len(broken), 6):
            broken[place] = dice.integers(0, 256)
        try:
            mesh = _read(tmp_path, f"x.{ending}", bytes(broken))
        except ExchangeError:
            continue
        assert np.isfinite(mesh.points).all()


def test_reading_apart_tells_progress_and_gives_the_same(tmp_path):
    obj.write_mesh(primitives.sphere(1, 12), "sphere", tmp_path / "b.obj")
    told = []
    mesh = read_mesh_isolated(tmp_path / "b.obj", lambda fraction, text: told.append((fraction, text)))
    assert np.array_equal(mesh.points, primitives.sphere(1, 12).points)
    assert [fraction for fraction, _ in told] == sorted(fraction for fraction, _ in told)
    assert told[-1] == (1.0, "ready")


def test_reading_apart_can_be_cancelled_and_passes_errors_on(tmp_path):
    obj.write_mesh(primitives.sphere(1, 12), "sphere", tmp_path / "b.obj")

    def cancel(_fraction, _text):
        raise CancelledError

    with pytest.raises(CancelledError):
        read_mesh_isolated(tmp_path / "b.obj", cancel)
    (tmp_path / "bad.obj").write_text("v 0 0 nan\nf 1 1 1\n")
    with pytest.raises(ExchangeError, match="line 1 has a position"):
        read_mesh_isolated(tmp_path / "bad.obj", lambda *_: None)
