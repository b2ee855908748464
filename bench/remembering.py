"""What is remembered, and what is measured over time: against peers, bare kernels, and exact ways."""

import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import potpourri3d
import pygeodesic.geodesic
import scipy.sparse

from bench.elements import _body
from bench.figures import KEPT, Figure, in_turn, milliseconds
from estompe.analysis.landing import Aim, Landing
from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.push import Push
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.planning.others import Kept
from estompe.evaluation.time.keep import Keep
from estompe.evaluation.time.past import Past
from estompe.evaluation.time.state_files import StateFolder, packed
from estompe.falloffs.distance import Distance
from estompe.falloffs.ramp import pieces
from estompe.falloffs.spread import Spread
from estompe.geometry.random import random_of
from estompe.kernels import distance, ramp
from estompe.kernels.arrival import arrival, unfolded
from estompe.kernels.spread import neighbour_blocks, spread
from estompe.kernels.topology import corners_of_points
from estompe.kinds.numbers import Key, Keyed
from estompe.kinds.remembering import Values
from estompe.samples import lantern_amphora
from estompe.shapes import primitives
from estompe.shapes.grid import Grid

_LAST = 60


def figures() -> Iterator[Figure]:
    """All of them."""
    yield from _ways()
    yield from _spreads()
    yield _step(316, 1.3)
    yield _step(100, 1.8)
    yield _keys()
    yield _repeated()
    yield from _landings()
    yield from _kept()


def _around(triangles: np.ndarray, count: int) -> tuple[np.ndarray, np.ndarray]:
    starts, corners = corners_of_points(np.ascontiguousarray(triangles.reshape(-1)), count)
    return starts, (corners // 3).astype(np.int32)


def _ways() -> Iterator[Figure]:
    points, faces = _body(500, 200)
    split, lengths = unfolded(points, faces)
    starts, around = _around(split, len(points))
    first = np.full(len(points), np.inf)
    first[0] = 0.0
    peer = potpourri3d.MeshFastMarchingDistanceSolver(points, faces)
    mine, theirs = in_turn(
        lambda: arrival(split, lengths, starts, around, first, None, True),
        lambda: peer.compute_distance([[(0, [])]]),
        5,
    )
    name = f"the way over a surface of {len(points):,} points, to potpourri3d fast marching"
    yield Figure(name, mine, theirs, 1.3, "at least")
    points, faces = _body(200, 80)
    exact, _ = pygeodesic.geodesic.PyGeodesicAlgorithmExact(points, faces).geodesicDistances(np.array([0]), None)
    split, lengths = unfolded(points, faces)
    first = np.full(len(points), np.inf)
    first[0] = 0.0
    found = arrival(split, lengths, *_around(split, len(points)), first, None, True)
    edge = np.linalg.norm(points[faces[:, 0]] - points[faces[:, 1]], axis=1).mean()
    far = exact > 3 * edge
    errors = np.abs(found - exact)[far] / exact[far]
    name = f"error of 99 % of {len(points):,} points against exact ways (peer: 1 %)"
    yield Figure(name, float(np.quantile(errors, 0.99)) * 100, 1.0, 1.0, "within", "%")


def _spreads() -> Iterator[Figure]:
    mesh = primitives.grid(1.0, 1.0, 315, 315)
    starts, members = mesh.topology.neighbours
    count, hand = len(mesh.points), np.random.default_rng(0)
    blocks = neighbour_blocks(starts, members)
    around = scipy.sparse.csr_matrix((np.ones(len(members), np.float32), members, starts), (count, count))
    rate = (0.1 * (0.5 + hand.random(count))).astype(np.float32)
    limit = (0.05 * np.diff(starts)).astype(np.float32)
    for begun in (1, 20):
        start = np.zeros(count, np.float32)
        start[hand.integers(0, count, begun)] = 1.0

        def peer(start: np.ndarray = start) -> np.ndarray:
            values = start
            for _ in range(400):
                caught = (values > 0) | (around @ values > limit)
                risen = np.minimum(values + rate, np.float32(1.0))
                values = np.maximum(np.where(caught, risen, values), start)
            return values

        def ours(start: np.ndarray = start) -> np.ndarray:
            return spread(start, start, (starts, members), blocks, rate, limit, 400)

        same = "same bits" if np.array_equal(ours(), peer()) else "OTHER BITS"
        mine, theirs = in_turn(ours, peer, 3)
        name = f"spread from {begun} of {count:,} points, 400 sub-steps, to SciPy and NumPy ({same})"
        yield Figure(name, mine / 400, theirs / 400, 3.0, "at least")


def _burning(side: int, last: int = _LAST) -> Project:
    """A sheet over which something spreads from where a still lamp is, without anything that moves."""
    near = Falloff("near", "Near", (Layer("near", Distance("lamp")),), Range(0.05, 0.06))
    fire = Falloff("fire", "Fire", (Layer("spread", Spread("near", 0.02, 6.0, by="neighbours")),), Range(1.0, 0.0))
    push = EffectSlot("push", Push(0.01), (Route("fire"),))
    sheet = Shape("sheet", "Sheet", Grid(1.0, 1.0, side, side), effects=(push,))
    across = Keyed((Key(1.0, -0.3, "linear"), Key(float(last), 0.3, "linear")))
    lamp = Control("lamp", "Lamp", transform=Transform((across, 0.0, 0.0)))
    return Project(Scene((sheet,), (lamp,), (near, fire), first=1, last=last))


def _step(side: int, bar: float) -> Figure:
    """Stepping on through the mechanism, and the same kernels called by hand; each frame is new to both."""
    project = _burning(side, 100_000)
    past = Past(project, Memo(KEPT), Keep(KEPT))
    evaluate(project, 20, past.memo, None, past)
    place = next(iter(past.links))
    frames = iter(range(21, 100_000))

    def ours() -> object:
        number = next(frames)
        return past.state(place, number)

    mesh = primitives.grid(1.0, 1.0, side, side)
    elements = mesh.topology.neighbours
    blocks = neighbour_blocks(*elements)
    state = past.state(place, 20).state
    values = [state.values]  # type: ignore[attr-defined]
    ids = np.arange(len(mesh.points))
    same = np.eye(4, dtype=np.float32)[:3]

    def bare() -> object:
        near = distance.distance(mesh.points, same, distance.Form.SPHERE)
        start = ramp.remap(near, 0.05, 0.06, *pieces(project.scene.falloffs[0].ramp), True)
        rate = np.float32(1.0) + np.float32(0.5) * (np.float32(2.0) * random_of(ids, 1) - np.float32(1.0))
        rate *= np.float32(6.0 / 24 / 4)
        limit = np.float32(1.0) + np.float32(0.5) * (np.float32(2.0) * random_of(ids, 2) - np.float32(1.0))
        limit *= np.float32(0.02)
        limit *= np.diff(elements[0]).astype(np.float32)
        values[0] = spread(values[0], start, elements, blocks, rate, limit, 4)
        return values[0]

    mine, theirs = in_turn(ours, bare, 41, of_ours=True)
    count = len(mesh.points)
    return Figure(
        f"a step of a spread through the mechanism, {count:,} points, to its bare kernels", mine, theirs, bar, "within"
    )


def _keys() -> Figure:
    """After an edit that matters from the first frame on: all digests, a frame. Nothing is run."""
    project = _burning(20, 400)
    memo = Memo(KEPT)
    past = Past(project, memo)
    evaluate(project, 2, memo, None, past)
    place = next(iter(past.links))
    taken = []
    for number in range(5):
        gone = 0.07 + 0.01 * number
        edited = project.with_scene(edits.put(project.scene, ("falloffs", "near", "range", "gone"), gone))
        other = Past(edited, memo)
        evaluate(edited, 2, memo, None, other)
        taken.append(milliseconds(lambda other=other: other.link(place, 400)) / 398)
    return Figure("digests after an edit, a frame (peer: 0.2 ms)", float(np.median(taken)), 0.2, 1.0, "within")


def _repeated() -> Figure:
    """An edit at frame 40 of 60: how many steps are run again, to those there are from there on."""
    project = _burning(60)
    keep, memo = Keep(), Memo()
    first = Past(project, memo, keep)
    evaluate(project, _LAST, memo, None, first)
    keys = Keyed((Key(1.0, -0.3, "linear"), Key(39.0, 0.0, "linear"), Key(40.0, 0.1, "linear")))
    held = Keyed((Key(1.0, -0.3, "linear"), Key(39.0, 0.0, "linear"), Key(40.0, 0.2, "linear")))
    path = ("controls", "lamp", "transform", "position", 0)
    one, other = (project.with_scene(edits.put(project.scene, path, number)) for number in (keys, held))
    before = Past(one, memo, keep)
    evaluate(one, _LAST, memo, None, before)
    after = Past(other, memo, keep)
    evaluate(other, _LAST, memo, None, after)
    wanted = _LAST - 40 + 1
    return Figure("steps run again after an edit at frame 40 of 60", after.steps, wanted, 1.0, "within", "steps")


def _landings() -> Iterator[Figure]:
    project = lantern_amphora.build(56_000 / 19_860)
    aim = Aim("amphora", "lantern-glow", share=0.02)
    Landing(project, aim).now()
    taken = []
    for _ in range(5):
        began = time.perf_counter()
        Landing(project, aim).now()
        taken.append((time.perf_counter() - began) * 1000)
    count = len(evaluate(project, 1)["amphora"].points)
    name = f"first crossing of {count:,} points found, their mesh made too (peer: 100 ms)"
    yield Figure(name, float(np.median(taken)), 100.0, 1.0, "within")
    project = _burning(99, 51)
    aim = Aim("sheet", "fire")
    taken = [milliseconds(lambda: Landing(project, aim).now()) for _ in range(3)]
    yield Figure("the same with memory, 10,000 points over 51 frames (peer: 1 s)", min(taken), 1000.0, 1.0, "within")


def _kept() -> Iterator[Figure]:
    with tempfile.TemporaryDirectory() as folder:
        store = StateFolder(Path(folder))
        for size in (1, 28):
            kept = Kept(Values(np.random.default_rng(0).random(size * 250_000, np.float32)), size * 250_000)
            taken = []
            for number in range(5):
                began = time.perf_counter()
                store.write((100 * size + number).to_bytes(16, "big"), kept)
                taken.append((time.perf_counter() - began) * 1000)
            name = f"a state of {len(packed(kept)) / 1e6:.0f} MB kept on disk"
            yield Figure(name, float(np.median(taken)), 0, 0, "told")
