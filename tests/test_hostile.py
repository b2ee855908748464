"""Files that found something once: each is read rightly, or refused in one line, in bounded time and memory."""

import json
import shutil
import tracemalloc
import zipfile
from io import BytesIO
from pathlib import Path

import numpy as np
import pytest

from estompe.cli import main
from estompe.commands.errors import FAILED
from estompe.document import file
from estompe.evaluation import evaluate
from estompe.files.progress import ExchangeError
from estompe.geometry import Domain
from estompe.importing.mesh import read_mesh

FOLDER = Path(__file__).parent / "data" / "hostile"
MESHES = sorted(path.name for path in FOLDER.iterdir() if path.suffix in (".obj", ".ply", ".stl", ".gltf", ".usda"))
SCENES = sorted(path.name for path in FOLDER.glob("*.estompe"))
REFUSED = {
    "draco2.gltf": "KHR_draco_mesh_compression",
    "ply-count-bomb.ply": "promises 400,000,000",
    "zerosidx.gltf": "promises 300,000,000",
    "blob-float16.estompe": "not a sound array",
    "blob-scalar-pose.estompe": "not a sound array",
    "esc.estompe": "does not belong in a scene file",
    "latin.estompe": "cannot be read",
}
PROBLEMS = {
    "blob-empty-offsets.estompe": "its mesh cannot be used",
    "image-junk.estompe": "cannot be read",
    "image-zero.estompe": "is no file",
    "nan-attribute.estompe": "1 value of “heat” is no number and became 0",
    "nan-attribute-smooth.estompe": "1 value of “heat” is no number and became 0",
    "nan-pose.estompe": "has positions that are no numbers: store it again",
    "smooth-amount.estompe": "positions that are no numbers",
    "subdiv.estompe": "take fewer divisions",
}


def _mesh(name: str):
    return read_mesh(FOLDER / name)


@pytest.mark.parametrize("name", [*MESHES, *SCENES])
def test_each_is_told_in_one_line_or_read(name, capsys):
    code = main(["info", str(FOLDER / name), "--frame", "1"])
    told = capsys.readouterr()
    assert "Traceback" not in told.err
    assert not any(ord(letter) < 32 for letter in told.err.replace("\n", ""))
    if name in REFUSED:
        assert code == FAILED
        assert told.err.count("\n") == 1
        assert REFUSED[name] in told.err
        return
    assert code == 0
    problems = json.loads(told.out)["problems"]
    if name in PROBLEMS:
        assert PROBLEMS[name] in problems[0]
    elif Path(name).suffix == ".estompe":
        assert problems == []


@pytest.mark.parametrize("name", [name for name in SCENES if name not in REFUSED])
def test_every_scene_that_opens_evaluates_to_finite_points(name):
    project = file.load(FOLDER / name)
    for frame in (1, 12):
        made = evaluate(project, frame)
        assert all(np.isfinite(made[shape.id].points).all() for shape in made.scene.shapes)


def _area(mesh) -> np.ndarray:
    """The sum of the faces' normals, which points to where most of them look."""
    return mesh.topology.face_normals(mesh.points).sum(axis=0)


def test_sparse_values_are_read(tmp_path):
    about = json.loads((FOLDER / "sparse.gltf").read_text())
    about["accessors"][0]["sparse"]["count"] = 3
    (tmp_path / "three.gltf").write_text(json.dumps(about))
    # Its indices are 0, 1, 2, and its values the corners of a square; the fourth point stays at zero, where the first is.
    assert read_mesh(tmp_path / "three.gltf").points.tolist() == [[0, 0, 0], [1, 0, 0], [1, 1, 0]]


def test_instances_are_all_imported():
    assert _mesh("inst.usda").topology.faces == 3
    assert _mesh("instonly.usda").topology.faces == 2


def test_mirrored_and_left_handed_meshes_look_outwards():
    plain = _area(_mesh("pct.gltf"))
    mirrored = _area(_mesh("negscale.gltf"))
    assert np.argmax(np.abs(plain)) == np.argmax(np.abs(mirrored))
    assert np.sign(plain[np.argmax(np.abs(plain))]) == np.sign(mirrored[np.argmax(np.abs(plain))])
    left = _mesh("left.usda")
    corners = left.points[left.topology.corners]
    text = (FOLDER / "left.usda").read_text()
    assert "leftHanded" in text
    right = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    assert right @ _area(left) > 0
    assert left.topology.corners.tolist() != [0, 1, 2, 3]


def test_faces_are_found_by_their_name_and_marks_at_the_start_of_a_file_are_skipped():
    assert np.diff(_mesh("ply-list-first.ply").topology.offsets).tolist() == [4]
    assert len(_mesh("bom.obj").points) == 5


def test_uvs_and_colors_are_read_without_and_with_a_material():
    assert (Domain.CORNER, "uv") in _mesh("uv.gltf").attributes
    both = _mesh("uvcolmat.gltf").attributes
    assert {name for _, name in both} >= {"uv", "color"}


def test_parts_of_one_name_keep_groups_of_their_own():
    groups = [values for (domain, _), values in _mesh("sameName.usda").attributes.items() if domain is Domain.FACE]
    assert len(groups) == 2
    assert all(group.sum() == 1 for group in groups)


def test_group_names_are_the_same_on_each_load():
    names = [sorted(_mesh("twoprims.gltf").attributes) for _ in range(3)]
    assert names[0] == names[1] == names[2]


def test_a_file_whose_name_is_no_text_is_imported_saved_and_baked(tmp_path, capsys):
    odd = tmp_path / "bad\udcff.obj"
    shutil.copy(FOLDER / "o_cr.obj", odd)
    assert main(["info", str(odd)]) == 0
    assert main(["bake", str(odd), "--frames", "1-1", "--out", str(tmp_path / "out.usda")]) == 0
    assert (tmp_path / "out.usda").stat().st_size > 300
    assert "Traceback" not in capsys.readouterr().err


def test_what_a_scene_does_not_name_is_not_unpacked(tmp_path, small_sample):
    target = tmp_path / "bomb.estompe"
    file.save(small_sample, target)
    zeros = BytesIO()
    np.save(zeros, np.zeros(2**25, np.uint8))
    with zipfile.ZipFile(target, "a", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(f"assets/{'0' * 64}.npy", zeros.getvalue())
    tracemalloc.start()
    project = file.load(target)
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert peak < 2**24
    assert project.scene == small_sample.scene


def test_a_missing_buffer_is_named(tmp_path):
    text = (FOLDER / "pct.gltf").read_text().replace("my%20buf.bin", "no%20such.bin")
    (tmp_path / "x.gltf").write_text(text)
    with pytest.raises(ExchangeError, match=r"no such\.bin"):
        read_mesh(tmp_path / "x.gltf")
