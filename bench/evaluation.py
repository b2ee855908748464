"""Dragging a ramp point against what lies downstream, and the sample's kernels called by hand."""

from collections.abc import Iterator

import numpy as np

from bench.figures import KEPT, Figure, fill, in_turn, keeping
from estompe.document import edits
from estompe.document.project import Project
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.background.answers import Request, compute_answer
from estompe.falloffs.ramp import pieces
from estompe.geometry.transforms import inverse, transform_matrix
from estompe.kernels import displace, distance, noise, ramp
from estompe.kernels.topology import steepest
from estompe.samples import lantern_amphora

_DENSITY = 250_000 / 35_092


def figures() -> Iterator[Figure]:
    """All of them."""
    yield _dragging(lantern_amphora.build(_DENSITY))


class Bare:
    """The kernels the sample needs on one frame, called by hand."""

    def __init__(self, project: Project) -> None:
        frame = evaluate(project, 1)
        self.amphora = frame.shape("amphora"), _source(project, 0)
        self.quay = frame.shape("quay"), _source(project, 1)
        self.normals = self.amphora[1].normals

    def run(self, project: Project, number: float) -> tuple[np.ndarray, ...]:
        from estompe.kinds.numbers import plain_triple, resolve

        scene = resolve(project.scene, number)
        seconds = (number - scene.first) / scene.frames_per_second
        matrices = [
            inverse(
                transform_matrix(
                    *(plain_triple(part) for part in (c.transform.position, c.transform.rotation, c.transform.scale))
                )
            )
            for c in scene.controls
        ]
        glow, swell = scene.falloffs
        points = self.amphora[1].points
        near = distance.distance(points, matrices[0].astype(np.float32), distance.Form.SPHERE)
        rough = noise.gradient_noise(points, 0.22, 3, 0.5, 0.09, 7, 0.35 * seconds)
        strength = ramp.remap_joined(
            near, rough, ramp.Joining.ADD, glow.range.full, glow.range.gone, *pieces(glow.ramp), True
        )
        made = near, rough, strength, displace.displace_along(points, self.normals, strength, 0.13)
        points = self.quay[1].points
        near = distance.distance(points, matrices[1].astype(np.float32), distance.Form.AXIS_X)
        rough = noise.gradient_noise(points, 0.6, 2, 0.5, 0.12, 3)
        strength = ramp.remap_joined(
            near, rough, ramp.Joining.ADD, swell.range.full, swell.range.gone, *pieces(swell.ramp), True
        )
        lifted = displace.displace_by(points, strength, np.array([0, 0.11, 0], np.float32))
        return *made, near, rough, strength, lifted


def _source(project: Project, index: int):  # type: ignore[no-untyped-def]

    return project.scene.shapes[index].source.build({})


def _dragging(project: Project) -> Figure:
    """Only the strength, what it feeds, and what is shown of it are computed again."""
    memo = Memo(KEPT)
    compute_answer(Request(project, 62, "amphora", "lantern-glow"), memo)
    values = evaluate(project, 62, memo).shown("amphora", "lantern-glow").values
    source = _source(project, 0)
    heights = iter(np.linspace(0.99, 0.2, 1000))
    scene = project.scene

    def ours() -> object:
        path = ("falloffs", "lantern-glow", "ramp", 0, "value")
        dragged = project.with_scene(edits.put(scene, path, float(next(heights))))
        return compute_answer(Request(dragged, 62, "amphora", "lantern-glow"), memo)

    def bare() -> tuple[np.ndarray, ...]:
        strength = ramp.remap(values, 0.2, 0.85, *pieces(scene.falloffs[0].ramp), True)
        moved = source.moved(displace.displace_along(source.points, source.normals, strength, 0.13))
        np.count_nonzero(strength > 0.5)
        steepest(strength, source.topology.edges)
        return strength, moved.points, moved.normals

    fill(memo, ours)
    mine, theirs = in_turn(ours, keeping(bare), 15, of_ours=True)
    return Figure("dragging a ramp point, 250k points, to the stages downstream", mine, theirs, 1.3, "within")
