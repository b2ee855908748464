"""Living arcs between two bodies."""

import numpy as np


def test_living_arcs(hands):
    hands.add("sphere", "shape:sphere")
    hands.add("arcs", "recipe:arcs-between")
    arcs = next(item for item in hands.session.document.scene.shapes if item.source.makes_pieces)
    first = hands.geometry(arcs.name).points.copy()
    hands.driver.session.playhead.go(12)
    hands.driver.settle()
    assert np.abs(hands.geometry(arcs.name).points - first).max() > 1e-3
    hands.done("living arcs", 9)
