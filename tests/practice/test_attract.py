"""Points are drawn to a control, never past it."""

import numpy as np


def test_attract(hands):
    hands.add("attract", "effect:attract")
    hands.drag_control((0.9, 0.9, 0.0))
    control = hands.driver.place_of(hands.session.document.scene.controls[0].id)
    before = np.linalg.norm(hands.bare("Sphere") - control, axis=1)
    after = np.linalg.norm(hands.geometry("Sphere").points - control, axis=1)
    assert np.all(after <= before + 1e-5)
    assert (before - after).max() > 0.05
    hands.done("attract", 4)
