"""Mutated files of every format: each is read or refused in words, whatever was damaged. `make fuzz` takes many more."""

import base64
import json
import os
import random
import struct
import zipfile
from pathlib import Path

import numpy as np
import pytest
from tests import shots

from estompe.document import file
from estompe.document.project import Project
from estompe.document.scene import Scene, Shape
from estompe.evaluation import evaluate
from estompe.exchange.writers import obj, ply
from estompe.files.progress import ExchangeError
from estompe.importing.footage import RestPose, close_all, opened
from estompe.importing.isolated import read_mesh_isolated
from estompe.importing.link import Reading
from estompe.importing.mesh import read_mesh
from estompe.importing.stage import Space, open_stage
from estompe.kinds.context import CannotEvaluateError
from estompe.shapes import primitives
from estompe.shapes.imported import stored

COUNT = int(os.environ.get("ESTOMPE_FUZZ", "250"))
_WORDS = (
    b"-1",
    b"0",
    b"99999999999",
    b"nan",
    b"1e999",
    b"\xff\xfe",
    b"\0\0\0\0",
    b"\xff\xff\xff\x7f",
    b"{",
    b"\n",
    b"/",
)


def mutated(data: bytes, seed: int) -> bytes:
    """A file with some bytes flipped, cut, doubled or replaced by awkward words."""
    hand, out = random.Random(seed), bytearray(data)
    for _ in range(hand.choice((1, 1, 2, 5))):
        at = hand.randrange(len(out)) if out else 0
        match hand.randrange(5):
            case 0:
                out[at : at + 1] = bytes([hand.randrange(256)])
            case 1:
                del out[at : at + hand.randrange(1, 40)]
            case 2:
                out[at:at] = out[max(0, at - 30) : at]
            case 3:
                word = hand.choice(_WORDS)
                out[at : at + len(word)] = word
            case 4:
                del out[at:]
    return bytes(out)


def _stl() -> bytes:
    mesh = primitives.box((1.0, 1.0, 1.0), 2)
    triangles = mesh.points[mesh.topology.triangles]
    rows = np.zeros(len(triangles), [("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("more", "<u2")])
    rows["corners"] = triangles
    return bytes(80) + struct.pack("<I", len(rows)) + rows.tobytes()


def _gltf() -> bytes:
    mesh = primitives.box((1.0, 1.0, 1.0), 2)
    points, corners = mesh.points.astype("<f4").tobytes(), mesh.topology.triangles.astype("<u2").tobytes()
    uri = "data:application/octet-stream;base64," + base64.b64encode(points + corners).decode()
    about = {
        "asset": {"version": "2.0"},
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0, "scale": [1, -1, 1]}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
        "buffers": [{"uri": uri, "byteLength": len(points) + len(corners)}],
        "bufferViews": [
            {"buffer": 0, "byteLength": len(points)},
            {"buffer": 0, "byteOffset": len(points), "byteLength": len(corners)},
        ],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": len(mesh.points), "type": "VEC3"},
            {"bufferView": 1, "componentType": 5123, "count": mesh.topology.triangles.size, "type": "SCALAR"},
        ],
    }
    return json.dumps(about).encode()


def _seed(ending: str, folder: Path) -> bytes:
    mesh = primitives.box((1.0, 1.0, 1.0), 2)
    if ending == ".obj":
        obj.write_mesh(mesh, "box", folder / "seed.obj")
    elif ending == ".ply":
        ply.write_mesh(mesh, {}, folder / "seed.ply")
    else:
        return _stl() if ending == ".stl" else _gltf()
    return (folder / f"seed{ending}").read_bytes()


def _read(read, path: Path):
    """What reading gives, or None and the words of the refusal."""
    try:
        return read(path), ""
    except (ExchangeError, file.FileError) as error:
        return None, str(error)


@pytest.mark.parametrize("ending", [".obj", ".ply", ".stl", ".gltf"])
def test_a_mutated_mesh_is_read_or_refused(ending, tmp_path):
    data = _seed(ending, tmp_path)
    path, read = tmp_path / f"x{ending}", 0
    path.write_bytes(data)
    assert read_mesh(path).topology.faces
    for seed in range(COUNT):
        path.write_bytes(mutated(data, seed))
        mesh, refusal = _read(read_mesh, path)
        if mesh is None:
            assert refusal.startswith(str(path))
            continue
        read += 1
        assert np.isfinite(mesh.points).all()
        assert mesh.topology.corners.max(initial=0) < max(1, len(mesh.points))
    assert 0 < read < COUNT


def test_a_mutated_usd_file_is_read_or_refused_by_the_child(tmp_path):
    data = (Path(__file__).parents[1] / "data" / "hostile" / "inst.usda").read_bytes()
    for seed in range(max(6, COUNT // 40)):
        path = tmp_path / "x.usda"
        path.write_bytes(mutated(data, seed))
        mesh, refusal = _read(lambda name: read_mesh_isolated(name, lambda _fraction, _text: None), path)
        assert "\n" not in refusal
        assert mesh is None or mesh.topology.faces


def test_a_mutated_scene_file_opens_or_is_refused(tmp_path):
    mesh, assets = stored(primitives.box((1.0, 1.0, 1.0), 2))
    path = tmp_path / "x.estompe"
    file.save(Project(Scene((Shape("box", "Box", mesh),)), assets), path)
    with zipfile.ZipFile(path) as archive:
        parts = {name: archive.read(name) for name in archive.namelist()}
    opened = 0
    for seed in range(COUNT):
        # One part is damaged and packed again: a damaged archive alone would always be found by its checksums.
        hand = random.Random(seed)
        chosen = hand.choice(sorted(parts))
        with zipfile.ZipFile(path, "w") as archive:
            for name, data in parts.items():
                archive.writestr(name, mutated(data, seed) if name == chosen else data)
        project, refusal = _read(file.load, path)
        assert "\n" not in refusal
        if project is not None:
            opened += 1
            evaluate(project, 1)
    assert opened < COUNT


@pytest.mark.parametrize("kind", ["gltf", "obj"])
def test_mutated_animated_files_are_read_or_refused_in_words(kind, tmp_path):
    """Frames of animated files, too: what their reader raises is an ExchangeError."""
    path = (
        shots.animated_gltf(tmp_path / "seed.gltf")
        if kind == "gltf"
        else shots.sequence(tmp_path) and tmp_path / "swell.0002.obj"
    )
    data, read, refused = path.read_bytes(), 0, 0
    for seed in range(COUNT):
        path.write_bytes(mutated(data, seed))
        try:
            stage = open_stage(path)
            for entry in stage.about().entries:
                if entry.kind == "mesh":
                    stage.sampled(entry.path, 2.0, Space(1.0, True))
                stage.matrix(entry.path, 0.5)
            read += 1
        except ExchangeError:
            refused += 1
    assert read > 0
    assert refused > 0


def test_mutated_stages_cost_one_process_each(tmp_path):
    """The reading process may die of it; whoever asks gets words."""
    data = shots.boat_stage(tmp_path / "seed.usda").read_bytes()
    said = []
    for seed in range(6):
        path = tmp_path / f"mutated-{seed}.usda"
        path.write_bytes(mutated(data, seed))
        try:
            footage = opened(Reading(str(path), 1.0, 24.0))
            for entry in footage.about.entries:
                if entry.kind == "mesh":
                    footage.geometry(entry.path, 1004.0, RestPose("", 1001.0))
        except CannotEvaluateError as error:
            said.append(str(error))
    close_all()
    assert said
    assert all("mutated-" in words for words in said)
