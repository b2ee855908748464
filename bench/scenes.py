"""Whole samples, and what evaluation costs over its kernels on small and large meshes."""

import time
from collections.abc import Iterator

import numpy as np

from bench.evaluation import Bare
from bench.figures import KEPT, Figure, fill, in_processes, in_turn, keeping
from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape
from estompe.effects.push import Push
from estompe.evaluation import Memo, evaluate
from estompe.falloffs.distance import Distance
from estompe.falloffs.ramp import pieces
from estompe.kernels import displace, distance, ramp
from estompe.kinds.numbers import resolve
from estompe.samples import SAMPLES, lantern_amphora
from estompe.shapes import primitives
from estompe.shapes.sphere import Sphere


def figures() -> Iterator[Figure]:
    """All of them."""
    yield from _samples()
    for points in (250_000, 100_000):
        mine, theirs = in_processes(_evaluating, points)
        yield Figure(f"evaluating the sample, {points:,} points, to its bare kernels", mine, theirs, 1.15, "within")
    mine, theirs = in_processes(_evaluating, 1_000)
    name = "evaluating the sample, 1,000 points: time over its bare kernels, to 2 ms"
    yield Figure(name, mine - theirs, 2.0, 1.0, "within")
    yield _one_push(100_000)


def _samples() -> Iterator[Figure]:
    """Frames a second of each sample, every frame computed for the first time."""
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


def _evaluating(points: int) -> tuple[float, float]:
    """Milliseconds for the lantern's sample at a size, frame after frame, and for its kernels called by hand."""
    project = lantern_amphora.build(points / 35_092)
    bare, memo = Bare(project), Memo(KEPT)
    evaluate(project, 1, memo)
    mine_at, theirs_at = iter(range(2, 100_000)), iter(range(2, 100_000))
    due: list[tuple[Project, float]] = []

    def other() -> None:
        # The still noise would be remembered from frame to frame, so its seed is made to differ on each. Editing is not timed,
        # nor what is found out once about a scene that was edited: whoever plays frames does not edit.
        seed = next(mine_at)
        edited = project.with_scene(
            edits.put(project.scene, ("falloffs", "swell", "layers", "ripple", "source", "seed"), seed)
        )
        resolve(edited.scene, 1.0)
        due.append((edited, _frame(seed)))

    def ours() -> object:
        return evaluate(*due.pop(), memo)

    def both() -> None:
        other()
        ours()

    fill(memo, both)
    return in_turn(ours, keeping(lambda: bare.run(project, _frame(next(theirs_at)))), 61, other, of_ours=True)


def _frame(count: int) -> float:
    """Frames all over the animation, none of them twice."""
    return 1.0 + (count * 0.6180339887) % 1.0 * 120.0


def _one_push(points: int) -> Figure:
    """The least a scene can ask for, one distance and one push: what evaluation costs weighs most here."""
    sphere = Sphere(0.5, round((points / 6) ** 0.5))
    falloff = Falloff("near", "Near", (Layer("reach", Distance("lamp")),), Range(0.2, 1.0))
    shape = Shape("sphere", "Sphere", sphere, effects=(EffectSlot("push", Push(0.1), (Route("near"),)),))
    project = Project(Scene((shape,), (Control("lamp", "Lamp"),), (falloff,)))
    mesh = primitives.sphere(sphere.radius, sphere.divisions)
    mesh.normals  # noqa: B018
    matrix = np.eye(4, dtype=np.float32)[:3]
    places, knots = iter(np.linspace(0, 1, 10_000)), pieces(falloff.ramp)
    memo = Memo(KEPT)

    def ours() -> object:
        moved = edits.put(project.scene, ("controls", "lamp", "transform", "position"), (float(next(places)), 0.0, 0.0))
        return evaluate(project.with_scene(moved), 1, memo)

    def bare() -> tuple[np.ndarray, ...]:
        values = distance.distance(mesh.points, matrix, distance.Form.SPHERE)
        strength = ramp.remap(values, 0.2, 1.0, *knots, True)
        return values, strength, displace.displace_along(mesh.points, mesh.normals, strength, 0.1)

    fill(memo, ours)
    mine, theirs = in_turn(ours, keeping(bare), 201, of_ours=True)
    name = (
        f"the least scene, one push of {len(mesh.points):,} points: time over its bare kernels ({mine / theirs:.2f}x)"
    )
    return Figure(name, mine - theirs, 0, 0, "told")
