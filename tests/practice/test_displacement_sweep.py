"""Displacement by noise that a sweep fades."""

import numpy as np


def test_displacement_faded_by_a_sweep(hands):
    hands.add("noise", "source:noise")
    hands.add("displace", "effect:displace")
    hands.click_button(hands.driver.window.ramp, "sweep")
    moved = np.linalg.norm(hands.geometry("Sphere").points - hands.bare("Sphere"), axis=1)
    assert moved.max() > 0.0
    hands.done("displacement faded by a sweep", 8)
