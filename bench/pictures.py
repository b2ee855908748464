"""A picture against a bare draw of the same buffers."""

import statistics
from collections.abc import Iterator
from importlib import resources

import moderngl
import numpy as np

from bench.bare import drawn
from bench.figures import Figure, in_turn, milliseconds
from estompe.evaluation import evaluate
from estompe.geometry import Geometry, frozen
from estompe.render import Item, Look, Renderer, Viewpoint
from estompe.render.matrices import matrices_of
from estompe.render.picture import items_of
from estompe.render.programs import set_matrices
from estompe.samples import sample
from estompe.shapes import primitives

_SIZE = (960, 640)


def figures() -> Iterator[Figure]:
    """All of them."""
    sphere = primitives.sphere(1.0, 130)
    states = [_state(sphere, amount) for amount in (0.00, 0.01)]
    viewpoint = Viewpoint((0, 0.4, 4.2), (0, 0, 0))
    renderer = Renderer()
    turns = iter(range(10_000))

    def ours() -> object:
        geometry, strength = states[next(turns) % 2]
        item = Item("sphere", geometry, (0.8, 0.8, 0.7), strength, strength)
        # Another context is at work in the same thread.
        with renderer._context:
            return renderer.draw([item], viewpoint, Look("strength", still=False), _SIZE)

    bare = _Bare(states, viewpoint)
    mine, theirs = in_turn(ours, bare.draw, 15, of_ours=True)
    triangles = len(sphere.topology.triangles)
    yield Figure(
        f"a picture of {triangles:,} triangles, all points changed, to a bare draw", mine, theirs, 1.3, "within"
    )

    yield _still()


def _still() -> Figure:
    """The picture that follows when things rest, with smooth edges and occlusion, at the size of a window."""
    chosen = sample("lantern-amphora")
    frame = evaluate(chosen.build(), chosen.picture_frame)
    items, viewpoint = items_of(frame), Viewpoint.of_camera(frame.scene.camera)
    renderer = Renderer()
    renderer.draw(items, viewpoint, Look("shaded"), (1280, 800))
    took = statistics.median(
        milliseconds(lambda: renderer.draw(items, viewpoint, Look("shaded"), (1280, 800))) for _ in range(7)
    )
    return Figure("a still picture of the sample with occlusion, 1280x800 (peer: 400 ms)", took, 400.0, 1.0, "within")


def _state(sphere: Geometry, amount: float) -> tuple[Geometry, np.ndarray]:
    made = sphere.moved(sphere.points * np.float32(1 + amount))
    made.normals  # noqa: B018 - computed before it is drawn
    return made, frozen(np.linspace(0, 1, len(sphere.points), dtype=np.float32) * np.float32(1 - amount))


class _Bare:
    """The same buffers, the same shaders, and nothing else."""

    def __init__(self, states: list[tuple[Geometry, np.ndarray]], viewpoint: Viewpoint) -> None:
        self._states, self._turn = states, 0
        context = self._context = moderngl.create_standalone_context(backend="egl")
        folder = resources.files("estompe.render") / "shaders"
        self._program = context.program(
            vertex_shader=(folder / "surface.vert").read_text(), fragment_shader=(folder / "surface.frag").read_text()
        )
        geometry, strength = states[0]
        self._buffers = [context.buffer(array) for array in (geometry.points, geometry.normals, strength, strength)]
        names = ("position", "normal", "strength", "range_position")
        content = [(b, f, n) for b, f, n in zip(self._buffers, ("3f", "3f", "f", "f"), names, strict=True)]
        self._array = context.vertex_array(self._program, content, context.buffer(geometry.topology.triangles))
        self._target = context.framebuffer([context.renderbuffer(_SIZE, 4)], context.depth_renderbuffer(_SIZE))
        item = Item("sphere", geometry, (0.8, 0.8, 0.7), strength, strength)
        set_matrices(self._program, *matrices_of(viewpoint, _SIZE, [item]))
        self._program["show_strength"].value = True

    def draw(self) -> object:
        self._turn += 1
        geometry, strength = self._states[self._turn % 2]
        with self._context:
            for buffer, array in zip(
                self._buffers, (geometry.points, geometry.normals, strength, strength), strict=True
            ):
                buffer.write(array)
            return drawn(self._context, self._target, self._array, _SIZE)
