"""A plane through a volume: its lines of equal distance against circles."""

import numpy as np
import pytest

from estompe.analysis.slices import slice_of, solid_in, straight
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Scene, Shape, Transform
from estompe.effects.round import Round
from estompe.evaluation import evaluate
from estompe.shapes.sphere import Sphere

VOXEL = 0.04


@pytest.fixture(scope="module")
def ball():
    effect = EffectSlot("round", Round(smooth=0.001, voxel=VOXEL))
    shape = Shape("ball", "Ball", Sphere(0.6, 40), Transform((0.2, 0.1, -0.3)), effects=(effect,))
    solid = solid_in(evaluate(Project(Scene((shape,))), 1), "ball")
    assert solid is not None
    return straight(solid)


@pytest.mark.parametrize("axis", [0, 1, 2])
@pytest.mark.parametrize("share", [0.35, 0.5, 0.7])
def test_lines_of_a_slice_are_circles_of_even_distances(ball, axis, share):
    found = slice_of(ball, axis, share)
    middle = np.array([0.2, 0.1, -0.3])
    plane = float(found.corners[0][axis])
    assert np.allclose(found.corners[:, axis], plane, atol=1e-5)
    off = plane - middle[axis]
    assert found.contours
    for contour in found.contours:
        ends = contour.segments.reshape(-1, 3)
        assert np.allclose(ends[:, axis], plane, atol=1e-5)
        apart = np.linalg.norm(ends - middle, axis=1)
        assert np.allclose(apart, 0.6 + contour.distance, atol=0.6 * VOXEL), contour.distance
    surface = next(contour for contour in found.contours if contour.distance == 0.0)
    length = np.linalg.norm(surface.segments[:, 0] - surface.segments[:, 1], axis=1).sum()
    assert length == pytest.approx(2 * np.pi * np.sqrt(0.36 - off**2), rel=0.02)
    # The rectangle holds the whole circle.
    low, high = found.corners.min(axis=0), found.corners.max(axis=0)
    inside = surface.segments.reshape(-1, 3)
    assert np.all(inside >= low - 1e-4)
    assert np.all(inside <= high + 1e-4)
