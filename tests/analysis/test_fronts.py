"""When a falloff arrives at each place, and the lines along places it reaches on the same frame."""

import numpy as np
import pytest
from tests.remembering import LAST, source, watched

from estompe.analysis.fronts import front_lines, neat_frames, reached_frames
from estompe.analysis.landing import Aim, Landing
from estompe.document import edits
from estompe.evaluation import evaluate


def _sweeping():
    """A plane goes over the sheet: it is at x on frame 1 + 39 (x + 0.6) / 1.2."""
    project = watched(source("sweep", "lamp", "x"), keys=((1, -0.6), (LAST, 0.6)))
    scene = edits.put(project.scene, ("falloffs", "watching", "range", "full"), -0.1)
    return project.with_scene(edits.put(scene, ("falloffs", "watching", "range", "gone"), 0.1))


def test_when_each_point_is_reached():
    project = _sweeping()
    frames = reached_frames(Landing(project, Aim("sheet", "watching")))
    rest = evaluate(project, 1)["sheet"].rest
    expected = 1 + 39 * (rest[:, 0].astype(float) + 0.6) / 1.2
    assert np.abs(frames - expected).max() < 0.02


def test_what_is_never_reached_has_no_frame():
    frames = reached_frames(Landing(watched(source("stays", "near")), Aim("sheet", "watching")))
    assert np.isinf(frames).any()
    assert np.isfinite(frames).any()
    assert neat_frames(np.full(4, np.inf, np.float32)) == []


def test_lines_lie_where_the_front_is_and_end_at_the_border():
    project = _sweeping()
    mesh = evaluate(project, 1)["sheet"]
    frames = reached_frames(Landing(project, Aim("sheet", "watching")))
    wanted = neat_frames(frames)
    assert wanted == [8, 12, 16, 20, 24, 28, 32, 36]
    lines = front_lines(mesh.rest, mesh.topology.triangles, frames, wanted)
    assert [line.frame for line in lines] == wanted
    for line in lines:
        x = 1.2 * (line.frame - 1) / 39 - 0.6
        assert np.abs(line.segments[..., 0] - x).max() < 1e-3
        lengths = np.linalg.norm(line.segments[:, 1] - line.segments[:, 0], axis=1)
        assert lengths.sum() == pytest.approx(1.0, abs=1e-3)
