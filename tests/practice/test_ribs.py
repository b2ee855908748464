"""Ribs on a turned body that die out."""

import numpy as np

from estompe.falloffs.order import order_of
from estompe.geometry.elements import Elements


def test_ribs_die_out(hands):
    hands.add("lathe", "shape:lathe")
    hands.add("ridges", "effect:ridges")
    lathe = hands.geometry("Lathe")
    moved = np.linalg.norm(lathe.points - hands.bare("Lathe"), axis=1)
    along = order_of(Elements(lathe), "profile")
    assert moved[(along > 0.4) & (along < 0.6)].max() > 0.02
    assert moved[(along < 0.01) | (along > 0.99)].max() < 1e-3
    hands.done("ribs that die out", 6)
