"""Whole samples, and what evaluation costs over its kernels on small and large meshes."""

import time
from collections.abc import Iterator

import numpy as np

from bench.evaluation import Bare
from bench.figures import Figure, in_turn
from estompe.document import edits
from estompe.evaluate import Memo, evaluate
from estompe.samples import SAMPLES, lantern_amphora


def figures() -> Iterator[Figure]:
    """All of them."""
    yield from _samples()
    for points in (250_000, 100_000, 1_000):
        yield _overhead(points)


def _samples() -> Iterator[Figure]:
    """Frames a second of each sample, every frame worked out for the first time."""
    rates = {}
    first = {}
    for item in SAMPLES:
        project, memo = item.build(), Memo()
        began = time.perf_counter()
        evaluate(project, project.scene.first, memo)
        first[item.name] = time.perf_counter() - began
        began = time.perf_counter()
        numbers = np.linspace(project.scene.first + 1, project.scene.last, 20).astype(int)
        for number in numbers:
            evaluate(project, int(number), memo)
        rates[item.name] = len(numbers) / (time.perf_counter() - began)
    slowest = min(rates, key=rates.__getitem__)
    yield Figure(f"slowest sample, {slowest}, nothing cached", rates[slowest], 0, 0, "told", "frames/s")
    latest = max(first, key=first.__getitem__)
    yield Figure(f"longest first evaluation of a sample, {latest}", first[latest], 0, 0, "told", "s")


def _overhead(points: int) -> Figure:
    """The lantern's sample at a size, frame after frame, against its kernels called by hand."""
    project = lantern_amphora.build(points / 35_092)
    bare, memo = Bare(project), Memo()
    evaluate(project, 1, memo)
    mine_at, theirs_at = iter(range(2, 10_000)), iter(range(2, 10_000))

    def ours() -> object:
        # The still noise would be remembered from frame to frame, so its seed is made to differ on each.
        frame = next(mine_at)
        path = ("falloffs", "swell", "layers", "ripple", "source", "seed")
        return evaluate(project.with_scene(edits.put(project.scene, path, frame)), frame, memo)

    mine, theirs = in_turn(ours, lambda: bare.run(project, next(theirs_at)), 41)
    if points >= 100_000:
        return Figure(f"evaluating the sample, {points:,} points, to its bare kernels", mine, theirs, 1.15, "within")
    name = f"evaluating the sample, {points:,} points: time over its bare kernels, to 2 ms"
    return Figure(name, mine - theirs, 2.0, 1.0, "within")
