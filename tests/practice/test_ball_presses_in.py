"""A ball presses into a body."""

import numpy as np

from estompe.geometry import Domain


def test_a_ball_presses_in(hands):
    hands.add("sphere", "shape:sphere")
    hands.add("press", "effect:press")
    hands.drag_control((0.25, 0.3, 0.3))
    ball = hands.geometry("Sphere")
    contact = ball.attribute(Domain.POINT, "contact")
    assert contact.any()
    assert np.abs(ball.points - hands.bare("Sphere")).max() > 0.01
    hands.done("a ball presses in", 7)
