"""Something sways in the wind."""

import numpy as np


def test_bushes_in_the_wind(hands):
    hands.add("sway", "effect:sway")
    first = hands.geometry("Sphere").points
    hands.driver.session.playhead.go(20)
    hands.driver.settle()
    assert np.abs(hands.geometry("Sphere").points - first).max() > 0.01
    hands.done("bushes in the wind", 3)
