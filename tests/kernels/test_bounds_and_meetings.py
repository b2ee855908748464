"""The box around points, and where faces meet along edges, against NumPy and against a plain walk over the faces."""

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from estompe.kernels import PARALLEL_FROM
from estompe.kernels.bounds import bounds
from estompe.kernels.topology import shared_edges
from estompe.shapes.primitives import box, grid, sphere


@pytest.mark.parametrize("count", [1, 2, 3, 17, 1000, PARALLEL_FROM - 1, PARALLEL_FROM, PARALLEL_FROM + 7])
def test_bounds_are_the_least_and_the_most(count):
    points = np.random.default_rng(count).normal(size=(count, 3)).astype(np.float32)
    low, high = bounds(points)
    assert np.array_equal(low, points.min(axis=0))
    assert np.array_equal(high, points.max(axis=0))
    assert low.dtype == high.dtype == np.float32


@settings(deadline=None, max_examples=60)
@given(st.lists(st.tuples(*[st.floats(-1e6, 1e6, width=32)] * 3), min_size=1, max_size=40))
def test_bounds_of_anything(rows):
    points = np.array(rows, np.float32)
    low, high = bounds(points)
    assert np.array_equal(low, points.min(axis=0))
    assert np.array_equal(high, points.max(axis=0))


def walked(corners, offsets):
    """Where faces meet, by a walk over all faces: for each two that share an edge their corners at either end."""
    found = {}
    for begin, end in itertools.pairwise(offsets):
        for at in range(begin, end):
            after = at + 1 if at + 1 < end else begin
            ends = tuple(sorted((int(corners[at]), int(corners[after]))))
            found.setdefault(ends, []).append({int(corners[at]): at, int(corners[after]): after})
    met = set()
    for ends, faces in found.items():
        for one, other in itertools.pairwise(faces):
            met |= {frozenset((one[point], other[point])) for point in ends}
    return met


@pytest.mark.parametrize(
    "mesh", [box((1.0, 2.0, 3.0), 2), grid(1.0, 1.0, 3, 2), sphere(1.0, 4)], ids=["box", "sheet", "ball"]
)
def test_meetings_are_those_of_a_walk(mesh):
    topology = mesh.topology
    here, there = shared_edges(topology.corners, topology.offsets, topology.points)
    assert np.array_equal(topology.corners[here], topology.corners[there])
    made = {frozenset(pair) for pair in zip(here.tolist(), there.tolist(), strict=True)}
    assert made == walked(topology.corners, topology.offsets)
    # Each two in a row are the ends of one edge: they stand in the same two faces.
    faces = topology.corner_faces
    assert np.array_equal(faces[here[::2]], faces[here[1::2]])
    assert np.array_equal(faces[there[::2]], faces[there[1::2]])


def test_three_faces_at_one_edge_and_faces_that_run_the_same_way():
    corners = np.array([0, 1, 2, 1, 0, 3, 0, 1, 4], np.int32)
    offsets = np.array([0, 3, 6, 9], np.int32)
    here, there = shared_edges(corners, offsets, 5)
    assert np.array_equal(corners[here], corners[there])
    assert {frozenset(pair) for pair in zip(here.tolist(), there.tolist(), strict=True)} == walked(corners, offsets)
    lone = shared_edges(np.array([0, 1, 2], np.int32), np.array([0, 3], np.int32), 3)
    assert [len(ends) for ends in lone] == [0, 0]
