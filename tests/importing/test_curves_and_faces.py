"""Interpolation of animated glTF values, and faces turned over: against independent libraries."""

import numpy as np
import pytest
from scipy.interpolate import CubicHermiteSpline
from scipy.spatial.transform import Rotation, Slerp

from estompe.geometry import Domain
from estompe.importing.merging import Part, turned_over
from estompe.importing.stages.gltf import _Track


def test_cubic_keys_are_hermite_splines():
    rng = np.random.default_rng(4)
    times = np.array([0.0, 0.5, 1.75, 2.0])
    keys = rng.normal(size=(4, 3, 3))  # the way in, the value, the way out
    curve = _Track(times, keys.reshape(-1, 3), "CUBICSPLINE")
    for begin in range(3):
        ends = keys[begin : begin + 2]
        spline = CubicHermiteSpline(times[begin : begin + 2], ends[:, 1], [ends[0, 2], ends[1, 0]])
        for time in np.linspace(times[begin], times[begin + 1], 7)[:-1]:
            assert np.allclose(curve.at(float(time), turning=False), spline(time), atol=1e-9)


def test_linear_turns_go_along_the_sphere_the_short_way():
    turns = Rotation.from_euler("xyz", [(0, 0, 0), (70, 20, -50), (200, 10, 0)], degrees=True)
    quaternions = turns.as_quat()
    quaternions[1] *= -1.0  # the same turn
    curve = _Track(np.array([0.0, 1.0, 2.0]), quaternions, "LINEAR")
    known = Slerp([0.0, 1.0, 2.0], turns)
    for time in (0.1, 0.5, 0.9, 1.4):
        found = Rotation.from_quat(curve.at(time, turning=True))
        assert (found.inv() * known(time)).magnitude() < 1e-6


@pytest.mark.parametrize("sizes", [(3, 4, 5), (3, 3)])
def test_a_part_turned_over_has_its_corners_and_their_values_the_other_way_round(sizes):
    corners = np.concatenate([np.arange(size) for size in sizes])
    values = np.arange(len(corners), dtype=np.float32)
    points = np.zeros((max(sizes), 3), np.float32)
    attributes = {(Domain.CORNER, "uv"): values, (Domain.POINT, "at"): np.arange(len(points), dtype=np.float32)}
    turned = turned_over(Part("it", points, corners, np.array(sizes), attributes))
    begin = 0
    for size in sizes:
        assert turned.corners[begin : begin + size].tolist() == corners[begin : begin + size][::-1].tolist()
        own = turned.attributes[Domain.CORNER, "uv"][begin : begin + size]
        assert own.tolist() == values[begin : begin + size][::-1].tolist()
        begin += size
    assert np.array_equal(turned.attributes[Domain.POINT, "at"], attributes[Domain.POINT, "at"])
