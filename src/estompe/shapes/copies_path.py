"""Copies along a path."""

from typing import Annotated, ClassVar, Literal

import numpy as np

from estompe.document.scene import Identifier
from estompe.geometry.carrying import axes_along
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context, Placed
from estompe.kinds.numbers import Number, Triple, plain, plain_triple
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole
from estompe.shapes.copying import CopiesSource, Laid, check_copies


@register
class CopiesAlongPath(CopiesSource, tag="copies-path", kw_only=True):
    """Copies along a path control, so many or so far apart; start and end can be keyed."""

    label: ClassVar[str] = "Copies along a path"
    text: ClassVar[str] = "Copies of a shape in a row along a path, aligned to it or upright."
    words: ClassVar[str] = (
        "array, instance along curve, copy along spline, row, chain, distribute on curve, copies, spline, repeat, beads"
    )

    path: Annotated[Identifier, setting("Path", "The path that copies stand on.", refers="path")]
    by: Annotated[
        Literal["count", "spacing"], setting("Placement", "Whether copies are placed by a count or by a spacing.")
    ] = "count"
    count: Annotated[int, whole("Count", "The number of copies.", low=1, high=100_000, when=("by", ("count",)))] = 12
    spacing: Annotated[
        Number,
        setting(
            "Spacing",
            "The distance between copies along the path.",
            unit="length",
            low=1e-4,
            high=1e6,
            when=("by", ("spacing",)),
        ),
    ] = 0.2
    start: Annotated[
        Number, setting("Start", "The position of the first copy on the path.", unit="fraction", low=0.0, high=1.0)
    ] = 0.0
    end: Annotated[
        Number,
        setting("End", "The position on the path behind which no copy stands.", unit="fraction", low=0.0, high=1.0),
    ] = 1.0
    aligned: Annotated[bool, setting("Align to path", "Whether the X axis of copies runs along the path.")] = True
    up: Annotated[
        Triple,
        setting(
            "Up",
            "The direction that the Y axis of copies leans towards, X Y Z.",
            folded=True,
            when=("aligned", (True,)),
        ),
    ] = (
        0.0,
        1.0,
        0.0,
    )

    def lay(self, context: Context) -> Laid:
        line = world_path(context.control(self.path))
        lengths = np.linalg.norm(np.diff(line.astype(np.float64), axis=0), axis=1)
        total = float(lengths.sum())
        first, last = plain(self.start) * total, plain(self.end) * total
        if self.by == "count":
            at = np.linspace(first, last, self.count) if self.count > 1 else np.array([first])
        else:
            spacing = plain(self.spacing)
            check_copies(int(abs(last - first) / spacing) + 1, "use a larger spacing")
            at = first + spacing * np.arange(int(np.floor(max(last - first, 0.0) / spacing + 1e-9)) + 1)
        positions, directions = along_line(line, at)
        axes = _aligned(directions, plain_triple(self.up)) if self.aligned else None
        return Laid(np.arange(len(at)), positions, axes)


def world_path(control: Placed) -> Floats:
    """A path control's points in the world, float32 (k, 3). Raises CannotEvaluateError for fewer than two that differ."""
    if control.form != "path" or len(control.points) < 2:
        raise CannotEvaluateError("the path has fewer than two points: give the control the form “path” and add points")
    line = transformed(control.points, control.matrix)
    if not np.any(line[1:] != line[:-1]):
        raise CannotEvaluateError("all points of the path are at one place: move them apart")
    return line


def along_line(line: Floats, at: np.ndarray) -> tuple[Floats, Floats]:
    """Places so far along a polyline, scene units, and its directions there, two float32 (k, 3)."""
    steps = np.diff(line.astype(np.float64), axis=0)
    lengths = np.linalg.norm(steps, axis=1)
    ends = np.concatenate([[0.0], np.cumsum(lengths)])
    positions = np.stack([np.interp(at, ends, line[:, k]) for k in range(3)], axis=1)
    # At a corner the mean of both sides, so that a row of copies turns smoothly.
    unit = steps / np.maximum(lengths, 1e-12)[:, None]
    corner = np.concatenate([unit[:1], unit[:-1] + unit[1:], unit[-1:]])
    directions = np.stack([np.interp(at, ends, corner[:, k]) for k in range(3)], axis=1)
    return positions.astype(np.float32), directions.astype(np.float32)


def _aligned(directions: Floats, up: tuple[float, float, float]) -> Floats:
    """Axes whose X runs along a direction and whose Y leans to up, float32 (k, 9)."""
    towards = axes_along(directions, up).reshape(-1, 3, 3)  # Y along, Z leaning up
    x, y, z = towards[:, :, 1], towards[:, :, 2], towards[:, :, 0]
    return np.ascontiguousarray(np.stack([x, y, z], axis=2).reshape(-1, 9))
