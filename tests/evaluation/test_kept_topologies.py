"""What is kept with a topology for later frames changes no bit, whichever frames came before."""

import sys

import numpy as np
import pytest

from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.hide import Hide
from estompe.effects.open_out import OpenOut
from estompe.effects.push import Push
from estompe.effects.shell import Shell
from estompe.effects.smooth import Smooth
from estompe.effects.subdivide import Subdivide
from estompe.evaluation import Memo, evaluate
from estompe.falloffs.distance import Distance
from estompe.geometry import Domain
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.sphere import Sphere

FRAMES = (1, 9, 4, 20, 9, 12)
CHANGING = {
    "subdivide": Subdivide(2),
    "subdivide flat": Subdivide(1, rounded=False),
    "shell": Shell(0.05),
    "outline": Shell(0.05, mode="outline"),
    "hide": Hide(0.5),
    "open out": OpenOut(Keyed((Key(1, 0.1), Key(20, 0.9))), along="u"),
}


def _project(*settings, routed: bool = True) -> Project:
    """A sphere that a control passes; the effects follow its falloff, and a push before them moves the points."""
    routes = (Route("near"),) if routed else ()
    effects = (
        EffectSlot("push", Push(0.1), (Route("near"),)),
        *(EffectSlot(f"effect-{i}", item, routes) for i, item in enumerate(settings)),
    )
    passing = Transform((Keyed((Key(1, -0.6), Key(20, 0.6))), 0.2, 0.3))
    return Project(
        Scene(
            (Shape("sphere", "Sphere", Sphere(0.5, 6), effects=effects),),
            (Control("lamp", "Lamp", transform=passing),),
            (Falloff("near", "Near", (Layer("reach", Distance("lamp")),), Range(0.2, 0.9)),),
        )
    )


def _everything(mesh) -> dict[str, np.ndarray]:
    found = {f"{domain} {name}": values for (domain, name), values in mesh.attributes.items()}
    return {
        "points": mesh.points, "rest": mesh.rest, "normals": mesh.normals,
        "corners": mesh.topology.corners, "offsets": mesh.topology.offsets, **found,
    }  # fmt: skip


@pytest.mark.parametrize("name", CHANGING)
@pytest.mark.parametrize("routed", [True, False])
def test_frames_in_any_order_are_those_of_a_first_evaluation(name, routed):
    project, memo = _project(CHANGING[name], routed=routed), Memo()
    for frame in FRAMES:
        kept = _everything(evaluate(project, frame, memo)["sphere"])
        fresh = _everything(evaluate(_project(CHANGING[name], routed=routed), frame, Memo())["sphere"])
        assert kept.keys() == fresh.keys()
        for part, values in kept.items():
            assert np.array_equal(values, fresh[part]), part


@pytest.mark.parametrize("name", ["subdivide", "shell", "outline"])
def test_the_same_faces_share_one_topology_over_all_frames(name):
    project, memo = _project(CHANGING[name], routed=False), Memo()
    first, later = (evaluate(project, frame, memo)["sphere"] for frame in (1, 12))
    assert not np.array_equal(first.points, later.points)
    assert later.topology is first.topology
    assert later.attribute(Domain.CORNER, "uv") is first.attribute(Domain.CORNER, "uv") or name != "subdivide"


def test_effects_after_a_change_of_faces_find_the_same_neighbours_again():
    project, memo = _project(Subdivide(1), Smooth(2), routed=False), Memo()
    first, later = (evaluate(project, frame, memo)["sphere"] for frame in (1, 12))
    assert later.topology.neighbours[1] is first.topology.neighbours[1]


def test_forgetting_what_stands_for_keys_changes_no_bit(monkeypatch):
    monkeypatch.setattr(sys.modules["estompe.evaluation.running.memo"], "_MOST_TOKENS", 7)
    project, memo = _project(Subdivide(1)), Memo()
    for frame in FRAMES:
        points = evaluate(project, frame, memo)["sphere"].points
        assert np.array_equal(points, evaluate(project, frame, Memo())["sphere"].points)
