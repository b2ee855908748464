"""A ball tramples grass."""

import numpy as np


def test_grass_trampled(hands):
    hands.add("grid", "shape:grid")
    hands.add("grass", "shape:strands-from")
    hands.add("trample", "effect:press-down")
    hands.drag_onto((0.0, 0.0, 0.0))
    grass = hands.geometry("Strands from a surface")
    lines = grass.topology.lines
    strands = grass.points[lines.points].reshape(len(lines.offsets) - 1, -1, 3)
    bare = hands.bare("Strands from a surface")[lines.points].reshape(strands.shape)
    assert np.allclose(strands[:, 0], bare[:, 0], atol=1e-5)
    assert np.abs(strands - bare).max() > 0.02
    hands.done("grass trampled", 12)
