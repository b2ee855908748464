"""Layers joined from any cuts say to the last letter what one layer says; and what cannot be joined is told."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pxr import Sdf, Usd, UsdGeom, Vt

from estompe.exchange.usd import joining
from estompe.exchange.usd.joining import Joining, LayerPart, join_layers
from estompe.exchange.usd.samples import TimeSamples, Velocities
from estompe.importing import ExchangeError

FRAMES = 12
# A course is what an attribute has on each frame; the same number is the same value.
COURSE = st.lists(st.integers(0, 3), min_size=FRAMES, max_size=FRAMES)


def written(path, first, last, courses):
    """A layer as writers make it: values that follow, values that mostly stay, and velocities, all from their courses."""
    following, steady, moving = courses
    stage = Usd.Stage.CreateNew(str(path))
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    stage.SetTimeCodesPerSecond(24)
    stage.SetStartTimeCode(first)
    stage.SetEndTimeCode(last)
    mesh = UsdGeom.Mesh.Define(stage, "/World/Mesh")
    crowd = UsdGeom.PointInstancer.Define(stage, "/World/Crowd")
    velocities = Velocities(crowd.CreateVelocitiesAttr(), 24.0)
    samples = TimeSamples()
    for frame in range(first, last + 1):
        value = np.full((2, 3), following[frame - 1], np.float32)
        samples.changing("points", value, frame, mesh.CreatePointsAttr(), Vt.Vec3fArray)
        held = steady[frame - 1]
        attribute = mesh.CreateFaceVertexCountsAttr()
        samples.steady("counts", object(), lambda held=held: Vt.IntArray([3] * held), frame, attribute)
        places = np.array([[moving[frame - 1], 0, 0], [0, frame, 0]], np.float32)
        ids = np.array([0, moving[frame - 1]])
        samples.changing("positions", places, frame, crowd.CreatePositionsAttr(), Vt.Vec3fArray)
        numbers = Vt.Int64Array.FromNumpy(ids)
        samples.steady("ids", object(), lambda numbers=numbers: numbers, frame, crowd.CreateIdsAttr())
        velocities.add(frame, places, ids)
    velocities.finish()
    stage.Save()
    return LayerPart(path, first, last)


@settings(deadline=None, max_examples=40)
@given(st.tuples(COURSE, COURSE, COURSE), st.sets(st.integers(2, FRAMES), max_size=5))
def test_any_courses_joined_from_any_cuts_are_one_layer(tmp_path_factory, courses, cuts):
    folder = tmp_path_factory.mktemp("cuts")
    written(folder / "one.usda", 1, FRAMES, courses)
    begins = sorted({1, *cuts})
    ends = [begin - 1 for begin in begins[1:]] + [FRAMES]
    parts = [written(folder / f"{first}.usdc", first, last, courses) for first, last in zip(begins, ends, strict=True)]
    join_layers(parts, folder / "all.usda", 1.0, None)
    assert (folder / "all.usda").read_text() == (folder / "one.usda").read_text()


def test_what_is_saved_on_the_way_is_the_same_in_the_end(tmp_path, monkeypatch):
    courses = [[frame % 4 for frame in range(FRAMES)]] * 3
    parts = [written(tmp_path / f"{first}.usdc", first, first + 2, courses) for first in range(1, FRAMES, 3)]
    join_layers(parts, tmp_path / "at-once.usdc", 1.0, None)
    monkeypatch.setattr(joining, "_MOST_PENDING", 1)
    join_layers(parts, tmp_path / "on-the-way.usdc", 1.0, None)
    one, other = (Sdf.Layer.OpenAsAnonymous(str(tmp_path / name)) for name in ("at-once.usdc", "on-the-way.usdc"))
    assert one.ExportToString() == other.ExportToString()


def test_frames_of_a_part_that_are_not_wanted_are_left_out(tmp_path):
    courses = [[frame % 3 for frame in range(FRAMES)]] * 3
    written(tmp_path / "one.usda", 3, 7, courses)
    parts = [written(tmp_path / "a.usdc", 1, 4, courses), written(tmp_path / "b.usdc", 5, 12, courses)]
    made = Joining(tmp_path / "cut.usda", 1.0, None)
    made.add(LayerPart(parts[0].path, 3, 4))
    made.add(LayerPart(parts[1].path, 5, 7))
    made.finish()
    cut, one = (Usd.Stage.Open(str(tmp_path / name)) for name in ("cut.usda", "one.usda"))
    for frame in range(3, 8):
        points = [UsdGeom.Mesh.Get(stage, "/World/Mesh").GetPointsAttr().Get(frame) for stage in (cut, one)]
        assert points[0] == points[1]
    assert cut.GetStartTimeCode() == 3
    assert cut.GetEndTimeCode() == 7


def test_a_part_that_is_damaged_is_named(tmp_path):
    (tmp_path / "broken.usdc").write_bytes(b"PXR-USDC and then nothing")
    with pytest.raises(ExchangeError, match=r"broken\.usdc|cannot be joined"):
        join_layers([LayerPart(tmp_path / "broken.usdc", 1, 2)], tmp_path / "all.usdc", 1.0, None)
