"""Scene files: exact round trips, and a clear error for everything that is broken."""

import functools
import io
import json
import os
import signal
import subprocess
import sys
import zipfile
from pathlib import Path

import jsonschema
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from scripts import schema as schema_script
from tests.scenes import one_push, scenes

import estompe
from estompe.document import file
from estompe.document.file import FileError, load, save, schema
from estompe.document.project import Project
from estompe.document.renaming import with_unique_names
from estompe.document.scene import Scene, Shape
from estompe.geometry import Domain
from estompe.shapes import primitives
from estompe.shapes.imported import stored


@pytest.mark.thorough
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None, max_examples=60)
@given(scenes())
def test_round_trip_is_exact(tmp_path, scene):
    path = tmp_path / "a.estompe"
    save(Project(scene), path)
    again = load(path)
    assert again.scene == with_unique_names(scene)
    save(again, path)
    first = path.read_bytes()
    save(load(path), path)
    assert path.read_bytes() == first


def _with_mesh() -> Project:
    sphere = primitives.sphere(0.5, 3).with_attribute(Domain.FACE, "lid", np.arange(54) < 9)
    mesh, assets = stored(sphere, "sphere.obj")
    return Project(Scene(shapes=(Shape("a", "A", mesh),)), assets)


def test_imported_meshes_come_back_to_the_bit(tmp_path):
    project = _with_mesh()
    save(project, tmp_path / "m.estompe")
    again = load(tmp_path / "m.estompe")
    before, after = (p.scene.shapes[0].source.build(p.assets) for p in (project, again))
    assert np.array_equal(before.points, after.points)
    assert np.array_equal(before.topology.corners, after.topology.corners)
    assert np.array_equal(before.attribute(Domain.FACE, "lid"), after.attribute(Domain.FACE, "lid"))
    assert not after.points.flags.writeable


def test_assets_that_nothing_refers_to_are_not_saved(tmp_path):
    project = _with_mesh()
    save(Project(Scene(), project.assets), tmp_path / "e.estompe")
    assert zipfile.ZipFile(tmp_path / "e.estompe").namelist() == ["scene.json"]


@pytest.mark.thorough
@settings(deadline=None, max_examples=30)
@given(scenes())
def test_saved_scenes_match_the_published_schema(scene):
    import msgspec

    text = msgspec.json.encode({"format": "estompe", "version": 1, "scene": scene})
    _validator().validate(json.loads(text))


@functools.cache
def _validator():
    """Made once: to check the schema itself takes longer than to check a scene by it."""
    found = schema()
    kind = jsonschema.validators.validator_for(found)
    kind.check_schema(found)
    return kind(found)


def test_the_published_schema_is_current():
    assert schema_script.TARGET.read_text(encoding="utf-8") == schema_script.text()


def _packed(path: Path, **changes: object) -> None:
    """A file whose JSON has these keys of the envelope replaced."""
    save(one_push(), path)
    with zipfile.ZipFile(path) as archive:
        envelope = json.loads(archive.read("scene.json"))
    envelope.update(changes)
    _write(path, {"scene.json": json.dumps(envelope).encode()})


def _write(path: Path, entries: dict[str, bytes]) -> None:
    with zipfile.ZipFile(path, "w") as archive:
        for name, data in entries.items():
            archive.writestr(name, data)


def _scene(**changes: object) -> dict:
    made = {"shapes": [], "controls": [], "falloffs": []}
    made.update(changes)
    return made


_LAYER = {"id": "l", "source": {"kind": "noise", "size": "wide"}}
_KEYS = [{"frame": 5, "value": 1.0}, {"frame": 5, "value": 2.0}]
_CONTROL = {"id": "c", "name": "C", "transform": {"position": [{"kind": "keyed", "keys": _KEYS}, 0.0, 0.0]}}
BROKEN = {
    "newer": ({"version": 99}, "version 99.*update to open it.*\\$.version"),
    "foreign": ({"format": "other"}, "its format is “other”"),
    "wrong type": ({"scene": _scene(last="end")}, "Expected `int`.*\\$.scene.last"),
    "unknown field": ({"scene": _scene(weather=1)}, "unknown field `weather`"),
    "no kind": (
        {"scene": _scene(falloffs=[{"id": "f", "name": "F", "layers": [{"id": "l", "source": {"of": "smell"}}]}])},
        "missing required field `kind`.*\\$.scene.falloffs\\[0\\].layers\\[0\\].source",
    ),
    "inside a kind": (
        {"scene": _scene(falloffs=[{"id": "f", "name": "F", "layers": [_LAYER]}])},
        "\\$.scene.falloffs\\[0\\].layers\\[0\\].source.size",
    ),
    "same id twice": ({"scene": _scene(controls=[{"id": "c", "name": "C"}] * 2)}, "the id “c” is used twice"),
    "keys out of order": ({"scene": _scene(controls=[_CONTROL])}, "keys must stand on ascending frames"),
    "over a limit": (
        {"scene": _scene(shapes=[{"id": "s", "name": "S", "source": {"kind": "sphere", "radius": -1.0}}])},
        "Radius must be at least",
    ),
    "frames backwards": ({"scene": _scene(first=10, last=5)}, "before the first"),
    "path outside": (
        {"scene": _scene(shapes=[{"id": "../s", "name": "S", "source": {"kind": "sphere"}}])},
        "Expected `str` matching",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", BROKEN)
def test_broken_scenes_say_what_and_where(tmp_path, name):
    changes, words = BROKEN[name]
    path = tmp_path / "broken.estompe"
    _packed(path, **changes)
    with pytest.raises(FileError, match=f"broken.estompe: .*{words}"):
        load(path)


def _npy(array: np.ndarray) -> bytes:
    stream = io.BytesIO()
    np.save(stream, array, allow_pickle=True)
    return stream.getvalue()


_OK = b'{"format":"estompe","version":3,"scene":{}}'
_MESH = {"kind": "mesh", **dict.fromkeys(("points", "corners", "offsets"), "a" * 64)}
_REFERRING = json.dumps(
    {"format": "estompe", "version": 2, "scene": {"shapes": [{"id": "s", "name": "S", "source": _MESH}]}}
).encode()
_A_ASSET = f"assets/{'a' * 64}.npy"
ARCHIVES = {
    "no scene": ({"notes.txt": b"x"}, "“notes.txt”, which does not belong"),
    "empty": ({}, "it holds no scene.json"),
    "climbing": ({"scene.json": _OK, "../../evil.npy": b""}, "does not belong in a scene file"),
    "absolute": ({"scene.json": _OK, "/etc/passwd": b""}, "does not belong in a scene file"),
    "not json": ({"scene.json": b"{oops"}, "JSON is malformed"),
    "huge number": ({"scene.json": _OK.replace(b'"scene":{}', b'"scene":{"frames_per_second":1e999}')}, "out of range"),
    "false name": ({"scene.json": _REFERRING, _A_ASSET: _npy(np.zeros(3, np.float32))}, "does not match its name"),
    "objects": (
        {"scene.json": _REFERRING, _A_ASSET: _npy(np.array([{}], dtype=object))},
        "does not hold plain numbers",
    ),
    "cut asset": ({"scene.json": _REFERRING, _A_ASSET: _npy(np.zeros(900))[:200]}, "promises more than it holds"),
    "no asset": ({"scene.json": _REFERRING, _A_ASSET: b"hello"}, "is not a sound array"),
}


@pytest.mark.parametrize("name", ARCHIVES)
def test_broken_archives_say_what_and_where(tmp_path, name):
    entries, words = ARCHIVES[name]
    path = tmp_path / "broken.estompe"
    _write(path, entries)
    with pytest.raises(FileError, match=f"broken.estompe: .*{words}"):
        load(path)


def test_a_bomb_is_not_unpacked(tmp_path, monkeypatch):
    monkeypatch.setattr(file, "MOST_JSON", 1000)
    with zipfile.ZipFile(tmp_path / "bomb.estompe", "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("scene.json", _OK + b" " * 10_000_000)
    with pytest.raises(FileError, match=r"scene.json is larger than"):
        load(tmp_path / "bomb.estompe")


def test_truncation_at_any_place_is_an_error_and_not_a_crash(tmp_path):
    path = tmp_path / "cut.estompe"
    save(_with_mesh(), path)
    whole = path.read_bytes()
    for length in range(0, len(whole), 97):
        path.write_bytes(whole[:length])
        with pytest.raises(FileError):
            load(path)


def test_a_flipped_byte_is_an_error_or_changes_nothing(tmp_path):
    path = tmp_path / "flip.estompe"
    project = _with_mesh()
    save(project, path)
    whole = path.read_bytes()
    for place in range(0, len(whole), 61):
        path.write_bytes(whole[:place] + bytes([whole[place] ^ 0x55]) + whole[place + 1 :])
        try:
            assert load(path).scene == project.scene
        except FileError:
            continue


@pytest.mark.parametrize("name", ["nowhere.estompe", "."])
def test_files_that_are_not_there_or_are_folders(tmp_path, name):
    with pytest.raises(FileError, match=r"there is no such file|is a folder"):
        estompe.open(tmp_path / name)


def test_a_missing_asset_opens_and_the_shape_says_so(tmp_path):
    project = _with_mesh()
    save(Project(project.scene, {}), tmp_path / "m.estompe")
    frame = estompe.evaluate(load(tmp_path / "m.estompe"), 1)
    assert [problem.text for problem in frame.problems] == ["its mesh is not in the file: import it again"]
    assert len(frame["A"].points) == 0


_SAVE_FOREVER = """
import sys
from pathlib import Path
from estompe.document.file import save, load
import estompe
project = load(Path(sys.argv[1]))
print("saving", flush=True)
while True:
    save(project, Path(sys.argv[1]))
"""


def test_a_crash_while_saving_loses_nothing(tmp_path):
    path = tmp_path / "kept.estompe"
    sphere, assets = stored(primitives.sphere(0.5, 60))
    project = Project(Scene(shapes=(Shape("a", "A", sphere),)), assets)
    save(project, path)
    for _ in range(3):
        with subprocess.Popen([sys.executable, "-c", _SAVE_FOREVER, str(path)], stdout=subprocess.PIPE) as child:
            child.stdout.readline()
            os.kill(child.pid, signal.SIGKILL)
        assert load(path).scene == project.scene


def test_saving_where_one_may_not_says_so(tmp_path):
    with pytest.raises(FileError, match="cannot be written"):
        save(one_push(), tmp_path / "no folder" / "x.estompe")
