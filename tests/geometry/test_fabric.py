"""Cloth against closed forms: free fall, a swinging and a sagging strip, drag, loads, energy; and the same bits always."""

import numpy as np
import pytest
from scipy.optimize import brentq
from scipy.special import j0

from estompe.geometry.cloth.fabric import Fabric, Forces, edges_and_folds, patches_of
from estompe.kernels.cloth import steps as cloth
from estompe.kernels.compile import use_threads

_G, _FRAME = 9.81, 1 / 24


def _sheet(rows, columns=None, width=1.0, height=1.0, uneven=0.0):
    """A sheet that hangs in XY from its upper row at y = 0, diagonals in turn."""
    columns = columns or rows
    x, y = np.meshgrid(np.linspace(0, width, columns), np.linspace(0, -height, rows))
    places = np.stack([x, y, np.zeros_like(x)], axis=-1).reshape(-1, 3)
    if uneven:
        inner = np.ones((rows, columns), bool)
        inner[[0, -1]] = inner[:, [0, -1]] = False
        hand = np.random.default_rng(0)
        step = min(width / (columns - 1), height / (rows - 1))
        places[inner.ravel(), :2] += hand.uniform(-uneven, uneven, (inner.sum(), 2)) * step
    i, j = np.meshgrid(np.arange(rows - 1), np.arange(columns - 1), indexing="ij")
    a = (i * columns + j).ravel()
    b, c, d = a + 1, a + columns + 1, a + columns
    odd = ((i + j) % 2).ravel() == 1
    one, other = np.stack([a, b, np.where(odd, c, d)], 1), np.stack([np.where(odd, a, b), c, d], 1)
    return places.astype(np.float32), np.concatenate([one, other]).astype(np.int32)


def _forces(fabric, gravity=_G, **more):
    push = np.zeros((fabric.copies, 3), np.float32)
    push[:, 1] = -gravity
    given = {
        "push": push, "drag": 0.0, "damping": 1.0, "give": 0.0, "fold_give": 1e-6,
        "holds": np.full(fabric.points, np.inf, np.float32), "gravity": _G,
    }  # fmt: skip
    return Forces(**{**given, **more})


def _run(fabric, motion, forces, frames, to=None, steps=20):
    for _ in range(frames):
        motion = fabric.step(
            motion, fabric.places[: fabric.points] if to is None else to, (0.0, 1.0), _FRAME, steps, forces
        )
    return motion


def test_loose_cloth_falls_as_everything_does_and_drifts_nowhere():
    places, triangles = _sheet(12, uneven=0.2)
    fabric = Fabric(places, triangles)
    motion = _run(fabric, fabric.begun(places, np.zeros(len(places), bool)), _forces(fabric), 24, places)
    masses = fabric.masses(motion.stands_for).astype(np.float64)
    moved = (masses[:, None] * (motion.particles[:, :3] - places)).sum(axis=0) / masses.sum()
    # In small steps of a second's h it falls g t (t + h) / 2.
    assert moved[1] == pytest.approx(-_G * (1 + 1 / 480) / 2, rel=1e-3)
    assert np.abs(moved[[0, 2]]).max() < 1e-4


def test_a_hanging_strip_swings_as_a_chain():
    """Its first mode has the period 4 pi / 2.4048 sqrt(length / g)."""
    places, triangles = _sheet(60, 4, 0.03, 1.0)
    fabric = Fabric(places, triangles)
    held = np.arange(len(places)) < 4
    motion = fabric.begun(places, held)
    motion.particles[:, 2] = np.where(held, 0, 0.05 * j0(2.404826 * np.sqrt(1 + places[:, 1].clip(-1, 0))))
    course = []
    for _ in range(144):
        motion = _run(fabric, motion, _forces(fabric), 1, places)
        course.append(motion.particles[~held, 2].mean())
    course = np.array(course)
    signs = np.flatnonzero(np.sign(course[1:]) != np.sign(course[:-1]))
    times = [(k + 1 + course[k] / (course[k] - course[k + 1])) / 24 for k in signs]
    period = 2 * np.mean(np.diff(times))
    assert period == pytest.approx(4 * np.pi / 2.404826 * np.sqrt(1 / _G), rel=0.02)


def test_a_strip_held_at_both_ends_sags_as_a_catenary():
    span, columns = 0.8, 101
    places, triangles = _sheet(3, columns, 1.0, 0.02)
    fabric = Fabric(places, triangles)
    held = np.zeros(len(places), bool)
    held[[row * columns for row in range(3)]] = held[[row * columns + columns - 1 for row in range(3)]] = True
    motion, forces = fabric.begun(places, held), _forces(fabric, damping=0.02)
    for frame in range(240):
        to = places.copy()
        to[held & (places[:, 0] > 0.5), 0] -= min(1.0, (frame + 1) / 24) * (1.0 - span)
        motion = fabric.step(motion, to, (0.0, 1.0), _FRAME, 20, forces)
    sag = motion.particles[columns, 1] - motion.particles[columns + columns // 2, 1]
    a = brentq(lambda a: 2 * a * np.sinh(span / (2 * a)) - 1.0, 0.05, 50)
    assert sag == pytest.approx(a * (np.cosh(span / (2 * a)) - 1), rel=0.03)


def test_in_drag_it_comes_to_its_terminal_speed():
    places, triangles = _sheet(10)
    fabric = Fabric(places, triangles)
    motion = _run(fabric, fabric.begun(places, np.zeros(len(places), bool)), _forces(fabric, drag=4.0), 72, places)
    assert motion.velocities[:, 1].mean() == pytest.approx(-_G / 4.0, rel=5e-3)
    wind = np.tile(np.array([[12.0, -_G, 0.0]], np.float32), (fabric.copies, 1))
    blown = _run(
        fabric, fabric.begun(places, np.zeros(len(places), bool)), _forces(fabric, push=wind, drag=4.0), 72, places
    )
    assert blown.velocities[:, 0].mean() == pytest.approx(3.0, rel=5e-3)


def test_energy_never_grows_without_wind():
    places, triangles = _sheet(24, uneven=0.2)
    fabric = Fabric(places, triangles)
    held = np.zeros(len(places), bool)
    held[[0, 23]] = True
    motion, found = fabric.begun(places, held), []
    for _ in range(48):
        motion = _run(fabric, motion, _forces(fabric), 1, places)
        masses = fabric.masses(motion.stands_for)[:, None].astype(np.float64)
        kinetic = 0.5 * (masses * motion.velocities.astype(np.float64) ** 2).sum()
        found.append(kinetic + _G * (masses[:, 0] * motion.particles[:, 1]).sum())
    scale = _G * masses.sum()
    # What guards its lengths may lift it by a hundredth of what a fall of its own height gives, for a moment.
    assert max(found) - found[0] < 0.01 * scale


@pytest.mark.parametrize(("held", "most", "quantile"), [("edge", 1.08, 1.0), ("corners", 1.15, 0.999)])
def test_it_hardly_stretches(held, most, quantile):
    places, triangles = _sheet(70, uneven=0.25)
    fabric = Fabric(places, triangles)
    where = places[:, 1] > -1e-6 if held == "edge" else np.isin(np.arange(len(places)), [0, 69])
    motion, worst = fabric.begun(places, where), 0.0
    for _ in range(36):
        motion = _run(fabric, motion, _forces(fabric), 1, places)
        worst = max(worst, float(np.quantile(fabric.stretch(motion), quantile)))
    assert worst <= most


def test_one_thread_and_two_give_the_same_bits_and_so_does_every_run():
    places, triangles = _sheet(60, uneven=0.2)
    found = []
    for threads in (1, 2, 2):
        use_threads(threads)
        fabric = Fabric(places, triangles, 0.2)
        held = places[:, 1] > -1e-6
        forces = _forces(fabric, holds=np.full(len(places), 0.4, np.float32))
        motion = fabric.begun(places, held)
        for _ in range(10):
            before = motion.velocities
            motion = _run(fabric, motion, forces, 1, places)
            motion = fabric.torn(motion, before, _FRAME, forces, np.zeros(fabric.copies, bool))
        found.append(motion)
    use_threads(0)
    assert (found[0].stands_for != fabric.whole).any()
    for other in found[1:]:
        assert all(np.array_equal(a, b) for a, b in zip(found[0], other, strict=True))


def test_the_load_at_what_holds_is_the_weight():
    places, triangles = _sheet(40, uneven=0.2)
    fabric = Fabric(places, triangles, 0.15)
    held = places[:, 1] > -1e-6
    motion = _run(fabric, fabric.begun(places, held), _forces(fabric, damping=0.2), 60, places)
    masses = fabric.masses(motion.stands_for)
    wanted = _forces(fabric).push * masses[:, None]
    order = cloth.order_outwards(
        fabric.group_starts, fabric.weld, motion.stands_for, fabric.around_starts, fabric.around, motion.held
    )
    _, through = cloth.pulls(*order, wanted, motion.particles, fabric.group_starts, fabric.weld, motion.stands_for)
    holding = order[0][np.diff(order[1]) == 0]
    alive = motion.stands_for == np.arange(fabric.copies)
    assert through[holding, 1].sum() == pytest.approx(-_G * masses[alive].sum(), rel=0.01)


def test_it_tears_where_it_carries_more_of_itself_than_it_holds():
    """A sheet of one metre: what holds 2.5 metres stays whole, what holds 0.5 comes apart below the middle's load."""
    places, triangles = _sheet(40, uneven=0.2)
    held = places[:, 1] > -1e-6
    parts = {}
    for holds in (2.5, 0.5):
        fabric = Fabric(places, triangles, 0.15)
        forces = _forces(fabric, holds=np.full(len(places), holds, np.float32), damping=0.2)
        motion = fabric.begun(places, held)
        for _ in range(30):
            before = motion.velocities
            motion = _run(fabric, motion, forces, 1, places)
            motion = fabric.torn(motion, before, _FRAME, forces, np.zeros(fabric.copies, bool))
        parts[holds] = len(np.unique(fabric.parts(motion)))
    assert parts[2.5] == 1
    assert parts[0.5] > 1


def test_what_tears_keeps_its_mass_and_its_points():
    places, triangles = _sheet(30, uneven=0.2)
    fabric = Fabric(places, triangles, 0.2)
    forces = _forces(fabric, holds=np.zeros(len(places), np.float32))
    motion = fabric.begun(places, places[:, 1] > -1e-6)
    whole = fabric.masses(motion.stands_for).sum()
    for _ in range(20):
        before = motion.velocities
        motion = _run(fabric, motion, forces, 1, places)
        motion = fabric.torn(motion, before, _FRAME, forces, np.zeros(fabric.copies, bool))
        assert fabric.masses(motion.stands_for).sum() == pytest.approx(whole, rel=1e-6)
    # With nothing to hold them, all patches come apart.
    assert len(np.unique(fabric.parts(motion))) == fabric.patch.max() + 1
    assert fabric.positions(motion).shape == (fabric.copies, 3)


def test_patches_are_about_as_large_as_wanted_and_hang_together():
    places, triangles = _sheet(40)
    counts = [len(np.unique(patches_of(places, triangles, size, 0.5, 1))) for size in (0.4, 0.2, 0.1)]
    assert counts == sorted(counts)
    assert 15 < counts[1] < 60
    fabric = Fabric(places, triangles, 0.2)
    loose = fabric.begun(places, np.zeros(len(places), bool))._replace(
        stands_for=np.arange(fabric.copies, dtype=np.int32)
    )
    assert len(np.unique(fabric.parts(loose))) == counts[1]


def test_edges_and_folds():
    edges, folds = edges_and_folds(np.array([[0, 1, 2], [2, 1, 3]], np.int32))
    assert edges.tolist() == [[0, 1], [0, 2], [1, 2], [1, 3], [2, 3]]
    assert sorted(folds[0].tolist()) == [0, 3]
