"""Something grows along its UVs."""

import numpy as np


def area(points: np.ndarray, triangles: np.ndarray) -> float:
    a, b, c = (points[triangles[:, k]].astype(np.float64) for k in range(3))
    return float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2)


def test_a_cup_opens_out(hands):
    hands.add("lathe", "shape:lathe")
    hands.add("open out", "effect:open-out")
    effect = hands.session.selection.shape.effects[0]
    path = ("shapes", hands.session.selection.shape_id, "effects", effect.id, "effect", "opened")
    triangles = hands.geometry("Lathe").topology.triangles
    whole, grown = area(hands.bare("Lathe"), triangles), []
    for opened in (0.1, 0.5, 0.9):
        hands.session.numbers.set_number(path, opened, "Open")
        hands.driver.settle()
        grown.append(area(hands.geometry("Lathe").points, triangles))
    assert grown[0] < grown[1] < grown[2]
    assert grown[0] < 0.75 * whole
    hands.done("grows along its UVs", 6)
