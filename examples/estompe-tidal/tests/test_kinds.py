"""The kit checks what Estompe relies on; what the kinds do is checked by hand."""

import numpy as np
import pytest
from estompe_tidal.kinds import Drip, Tide

from estompe.kinds import Elements
from estompe.shapes.grid import Grid
from estompe.testing import check_kind


@pytest.mark.parametrize("kind", [Tide, Drip])
def test_it_keeps_the_rules(kind):
    check_kind(kind)


class _At:
    clock = 2.0


def test_the_line_is_at_low_water_after_half_a_period():
    mesh = Grid(1.0, 1.0, 2, 2).build({})
    assert np.allclose(Tide().measure(Elements(mesh), _At()), 0.5)


def test_nothing_runs_up():
    mesh = Grid(1.0, 1.0, 8, 8).build({})
    made = Drip().apply(mesh, np.ones(len(mesh.points), np.float32), _At())
    assert (made.points[:, 1] <= mesh.points[:, 1]).all()
    assert made.points[:, 1].min() < -0.1
