"""Cloth: how far it stretches, and what a frame costs, against vectorised NumPy of the bare constraints."""

import statistics
from collections.abc import Iterator

import numpy as np

from bench.figures import Figure, in_turn, milliseconds
from estompe.geometry.cloth.fabric import Fabric, Forces, Motion, edges_and_folds
from estompe.kernels.compile import use_threads

_FRAME, _STEPS, _G = 1 / 24, 20, 9.81


def figures() -> Iterator[Figure]:
    """All of them."""
    for side, bar in ((200, 1.10), (100, 1.08)):
        yield _stretch(side, bar)
    yield _corners(200)
    yield from _frames(200)
    yield _tearing(200)


def _sheet(side: int) -> tuple[np.ndarray, np.ndarray]:
    """A sheet of one metre, uneven inside, diagonals in turn."""
    x, y = np.meshgrid(np.linspace(0, 1, side), np.linspace(0, -1, side))
    places = np.stack([x, y, np.zeros_like(x)], axis=-1).reshape(-1, 3)
    inner = np.zeros((side, side), bool)
    inner[1:-1, 1:-1] = True
    hand = np.random.default_rng(0)
    places[inner.ravel(), :2] += hand.uniform(-0.25, 0.25, (inner.sum(), 2)) / (side - 1)
    i, j = np.meshgrid(np.arange(side - 1), np.arange(side - 1), indexing="ij")
    a = (i * side + j).ravel()
    b, c, d = a + 1, a + side + 1, a + side
    odd = ((i + j) % 2).ravel() == 1
    one, other = np.stack([a, b, np.where(odd, c, d)], 1), np.stack([np.where(odd, a, b), c, d], 1)
    return places.astype(np.float32), np.concatenate([one, other]).astype(np.int32)


def _forces(fabric: Fabric, holds: float = np.inf) -> Forces:
    push = np.zeros((fabric.copies, 3), np.float32)
    push[:, 1] = -_G
    return Forces(push, 0.0, 1.0, 0.0, 1e-6, np.full(fabric.points, holds, np.float32), _G)


def _stepped(fabric: Fabric, motion: Motion, places: np.ndarray, forces: Forces) -> Motion:
    return fabric.step(motion, places, (0.0, 1.0), _FRAME, _STEPS, forces)


def _stretch(side: int, bar: float) -> Figure:
    places, triangles = _sheet(side)
    fabric = Fabric(places, triangles)
    motion, forces, worst = fabric.begun(places, places[:, 1] > -1e-6), _forces(fabric), 0.0
    for _ in range(36):
        motion = _stepped(fabric, motion, places, forces)
        worst = max(worst, float(fabric.stretch(motion).max()))
    name = f"largest stretch of {side * side:,} points held along an edge, 36 frames of 20 steps (peer: {bar})"
    return Figure(name, worst, bar, 1.0, "within", "")


def _corners(side: int) -> Figure:
    places, triangles = _sheet(side)
    fabric = Fabric(places, triangles)
    held = np.isin(np.arange(len(places)), [0, side - 1])
    motion, forces, worst = fabric.begun(places, held), _forces(fabric), 0.0
    for _ in range(36):
        motion = _stepped(fabric, motion, places, forces)
        worst = max(worst, float(np.quantile(fabric.stretch(motion), 0.999)))
    return Figure(
        f"99.9 % of edges of {side * side:,} points held at two corners (peer: 1.15)", worst, 1.15, 1.0, "within", ""
    )


class _Bare:
    """The same edges and folds, colour by colour, in NumPy."""

    def __init__(self, places: np.ndarray, triangles: np.ndarray, held: np.ndarray) -> None:
        edges, folds = edges_and_folds(triangles)
        ends = np.concatenate([edges, folds])
        folding = np.repeat([False, True], [len(edges), len(folds)])
        colours = self._colours(ends, len(places))
        order = np.argsort(colours, kind="stable")
        self.ends, self.folding = ends[order], folding[order]
        self.starts = np.concatenate([[0], np.cumsum(np.bincount(colours))])
        self.lengths = np.linalg.norm(places[self.ends[:, 0]] - places[self.ends[:, 1]], axis=1).astype(np.float32)
        self.places, self.velocities = places.copy(), np.zeros_like(places)
        self.weights = np.where(held, np.float32(0), np.float32(1))

    @staticmethod
    def _colours(ends: np.ndarray, count: int) -> np.ndarray:
        used: list[set[int]] = [set() for _ in range(count)]
        found = np.empty(len(ends), np.int64)
        for number, (i, j) in enumerate(ends.tolist()):
            colour = 0
            while colour in used[i] or colour in used[j]:
                colour += 1
            found[number] = colour
            used[i].add(colour)
            used[j].add(colour)
        return found

    def frame(self) -> None:
        second, free = np.float32(_FRAME / _STEPS), self.weights > 0
        for _ in range(_STEPS):
            self.velocities[free, 1] -= np.float32(_G) * second
            before = self.places.copy()
            self.places[free] += self.velocities[free] * second
            for first, last in zip(self.starts[:-1], self.starts[1:], strict=True):
                i, j = self.ends[first:last, 0], self.ends[first:last, 1]
                way = self.places[i] - self.places[j]
                far = np.sqrt((way * way).sum(axis=1))
                soft = np.where(self.folding[first:last], np.float32(1e-6) / second**2, np.float32(0))
                wi, wj = self.weights[i], self.weights[j]
                share = (far - self.lengths[first:last]) / ((wi + wj + soft) * far + np.float32(1e-12))
                share[self.folding[first:last] & (share > 0)] = 0
                self.places[i] -= way * (wi * share)[:, None]
                self.places[j] += way * (wj * share)[:, None]
            self.velocities[:] = (self.places - before) / second
            self.velocities[~free] = 0


def _frames(side: int) -> Iterator[Figure]:
    places, triangles = _sheet(side)
    held = places[:, 1] > -1e-6
    fabric, bare = Fabric(places, triangles), _Bare(places, triangles, held)
    forces, motions = _forces(fabric), [fabric.begun(places, held)]

    def ours() -> None:
        motions[0] = _stepped(fabric, motions[0], places, forces)

    for threads, bar in ((1, 6.0), (2, 10.0)):
        use_threads(threads)
        mine, theirs = in_turn(ours, bare.frame, 3)
        words = "one thread" if threads == 1 else "two threads"
        name = f"a frame of cloth, {side * side:,} points, {words}, levels and guards, to NumPy of the bare constraints"
        yield Figure(name, mine, theirs, bar, "at least")
    use_threads(0)


def _tearing(side: int) -> Figure:
    """A frame of cut cloth with its looks for tears, to one without; in some of them something tears."""
    places, triangles = _sheet(side)
    held = places[:, 1] > -1e-6
    fabric = Fabric(places, triangles, 0.1)
    taken: dict[bool, list[float]] = {True: [], False: []}
    motions = {True: fabric.begun(places, held), False: fabric.begun(places, held)}
    forces = {True: _forces(fabric, 1.0), False: _forces(fabric, 1e6)}

    def frame(tears: bool) -> None:
        for _ in range(4):
            before = motions[tears].velocities
            motion = fabric.step(motions[tears], places, (0.0, 1.0), _FRAME / 4, _STEPS // 4, forces[tears])
            if tears:
                untouched = np.zeros(fabric.copies, bool)
                motion = fabric.torn(motion, before, _FRAME / 4, forces[tears], untouched)
            motions[tears] = motion

    for _ in range(16):
        for tears in (False, True):
            taken[tears].append(milliseconds(lambda tears=tears: frame(tears)))
    parts = len(np.unique(fabric.parts(motions[True])))
    name = f"a frame of {fabric.copies:,} points that tears ({parts} parts so far), to one that does not"
    return Figure(name, statistics.median(taken[True][2:]), statistics.median(taken[False][2:]), 1.3, "within")
