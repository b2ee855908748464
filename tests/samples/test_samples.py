"""Every sample: sound, without problems, moving, saved and opened again, and seen through the real window."""

import numpy as np
import pytest
from tests.samples.early import early

import estompe
from estompe.document import edits
from estompe.document.file import load, save
from estompe.evaluation import Memo, evaluate
from estompe.geometry.volumes.volume import volume
from estompe.samples import SAMPLES, sample


@pytest.mark.parametrize("item", SAMPLES, ids=lambda item: item.name)
def test_it_has_no_problems_moves_and_comes_back_from_its_file(item, tmp_path):
    project = item.build(0.05)
    memo, states = Memo(), []
    shown = early(project, item.picture_frame)
    for frame in (project.scene.first, shown, early(project, project.scene.last)):
        worked = evaluate(project, frame, memo)
        assert not worked.problems
        assert all(np.isfinite(worked[shape].points).all() for shape in worked)
        states.append([worked[shape].points for shape in worked])
    assert any(a.shape != b.shape or np.abs(a - b).max() > 0.01 for a, b in zip(states[0], states[1], strict=True))
    save(project, tmp_path / "s.estompe")
    again = load(tmp_path / "s.estompe")
    assert again.scene == project.scene
    after = evaluate(again, shown)
    assert all(np.array_equal(after[s].points, points) for s, points in zip(after, states[1], strict=True))


@pytest.mark.parametrize("item", SAMPLES, ids=lambda item: item.name)
def test_it_has_a_picture_a_title_and_a_sentence(item):
    assert item.picture() is not None
    assert item.title
    assert item.text.endswith(".")


def test_the_fender_keeps_its_volume_on_every_frame():
    project = sample("buoy-fender").build(0.2)
    project = project.with_scene(edits.put(project.scene, ("shapes", "fender", "effects", "settle", "enabled"), False))
    volumes = []
    for frame in range(1, 121, 17):
        mesh = evaluate(project, frame)["Fender"]
        volumes.append(volume(mesh.points, mesh.topology.triangles))
    assert max(volumes) / min(volumes) < 1.001


def test_veins_rise_only_while_the_arm_bends():
    project = sample("octopus-arm").build(0.2)
    straight, bent = (estompe.evaluate(project, frame).strength("Arm", "Veins") for frame in (1, 36))
    assert straight.max() == 0
    assert bent.max() > 0.9


def test_pennants_hold_still_and_part_where_the_gull_is():
    project = sample("pennants-gull").build(0.3)
    frame = evaluate(project, 60)
    strength = frame.strength("Pennants", "near-gull")
    pieces = frame["Pennants"].pieces
    near = [strength[pieces.of == k].max() for k in range(len(pieces))]
    assert len(near) == 8
    assert max(near) > 0.5
    assert min(near) == 0


def test_the_sea_lily_grows_from_nothing():
    project = sample("sea-lily").build(0.1)
    faces = [evaluate(project, frame)["Cup"].topology.faces for frame in (1, 30, 60, 100)]
    assert faces[0] == 0
    assert faces == sorted(faces)


def test_fans_follow_the_first_one_by_formula():
    frame = evaluate(sample("sea-fans").build(0.05), 30)
    amounts = [frame.shape(f"fan-{k}").effects[1].effect.poses[0].amount for k in (1, 2, 3)]
    assert amounts[1] == pytest.approx(-0.85 * amounts[0] + 0.2 * np.sin(np.radians(30 * 6)), abs=1e-3)


def test_the_outline_keeps_its_width_in_the_picture():
    project = sample("figurehead").build(0.2)
    for number in (1, 120):
        frame = evaluate(project, number)
        mesh, camera = frame["Figurehead"], np.array([float(x) for x in frame.scene.camera.position])
        half = len(mesh.points) // 2
        gap = np.linalg.norm(mesh.points[half:] - mesh.points[:half], axis=1)
        strength = gap / np.linalg.norm(mesh.points[:half] - camera, axis=1)
        assert strength.max() == pytest.approx(0.005, rel=0.05)
