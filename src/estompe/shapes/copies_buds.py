"""Copies along branches, which open behind the growing tips."""

from typing import Annotated, ClassVar, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.document.scene import Identifier
from estompe.geometry import Domain, Geometry
from estompe.geometry.branches.places import hashed
from estompe.geometry.carrying import axes_along
from estompe.geometry.rest import Rest
from estompe.geometry.topology import Branching, Lines
from estompe.kernels.types import Floats, Indices
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole
from estompe.shapes.copying import CopiesSource, Laid, check_copies

GOLDEN = 137.50776
"""Degrees between one leaf and the next in most plants: a full turn over the square of the golden ratio."""


class _Spots(NamedTuple):
    """Where buds stand on branches: the vertex before, int32 (n,), the fraction of the way to the next, float32 (n,), ids, int64
    (n,), and how many buds come before on the same branch, int32 (n,)."""

    vertex: Indices
    share: Floats
    ids: NDArray[np.int64]
    number: Indices
    rest: Rest


@register
class BudsOnBranches(CopiesSource, tag="copies-buds", kw_only=True):
    """Copies at even distances along each branch, turned about it from one to the next; they open once the growth has passed."""

    label: ClassVar[str] = "Buds on branches"
    text: ClassVar[str] = (
        "Copies of a shape along branches, such as leaves, polyps or drops, which open behind the tips."
    )
    words: ClassVar[str] = (
        "leaves, leaf, blossoms, flowers, buds, polyps, berries, thorns, phyllotaxis, foliage, needles, copies on branches"
    )

    branches_setting: ClassVar[str] = "branches"

    branches: Annotated[Identifier, setting("Branches", "The shape of branches that they stand on.", refers="shape")]
    spacing: Annotated[
        float,
        setting("Spacing", "The distance between buds along a branch.", unit="length", low=1e-4, high=1e4, step=0.005),
    ] = 0.08
    bare: Annotated[
        Number,
        setting(
            "Bare",
            "How thick a branch may be where buds stand: more lets them stand on limbs as well.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.005,
        ),
    ] = 0.03
    turn: Annotated[
        Number, setting("Turn", "The angle about the branch from one bud to the next.", unit="degrees", step=0.5)
    ] = GOLDEN
    lean: Annotated[
        Number,
        setting(
            "Lean", "The angle of buds to the branch: 90 stands off straight.", unit="degrees", low=0.0, high=180.0
        ),
    ] = 55.0
    delay: Annotated[
        Number,
        setting(
            "Delay",
            "How far the growth has gone past when a bud begins to open.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.01,
        ),
    ] = 0.05
    opening: Annotated[
        Number,
        setting(
            "Opening",
            "The length of growth over which a bud opens: more opens more slowly.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.01,
        ),
    ] = 0.1
    chance: Annotated[
        Number,
        setting("Chance", "The share of places that get a bud.", unit="fraction", low=0.0, high=1.0, step=0.01),
    ] = 1.0
    turned: Annotated[
        int,
        whole("Turn seed", "The start of the random numbers: another seed turns them otherwise.", low=0, high=2**31 - 1,
              folded=True),
    ] = 1  # fmt: skip

    def lay(self, context: Context) -> Laid:
        seen = context.shape(self.branches)
        geometry = seen if seen.spine is None else seen.spine
        branching, lines = geometry.topology.branching, geometry.topology.lines
        if branching is None or lines is None:
            raise CannotEvaluateError("they stand on branches: choose a shape of branches")
        key = "buds", geometry.topology, self.spacing
        spots: _Spots = geometry.at_rest.derived(key, lambda: _spots(geometry, branching, lines, self.spacing))
        points = geometry.points[: len(branching.parent)]
        along = points[spots.vertex + 1] - points[spots.vertex]
        positions = points[spots.vertex] + along * spots.share[:, None]
        lengths = np.linalg.norm(along, axis=1)
        sizes = self._opened(geometry, spots) * (lengths > 1e-9)
        rank = (hashed(spots.ids, self.turned + 1) >> np.uint64(40)).astype(np.float32) * np.float32(2.0**-24)
        sizes = np.where(rank < plain(self.chance), sizes, 0.0)
        axes = self._axes(along / np.maximum(lengths, 1e-9)[:, None], spots)
        scales = np.repeat(np.asarray(sizes, np.float32)[:, None], 3, axis=1)
        return Laid(spots.ids, np.asarray(positions, np.float32), axes, rank, spots.rest, scales, sizes > 0.0)

    def _opened(self, geometry: Geometry, spots: _Spots) -> Floats:
        """How far each bud is open, 0..1, float32 (n,): fully where branches do not grow."""
        past, width = geometry.attribute(Domain.POINT, "grown"), geometry.attribute(Domain.POINT, "width")
        size = np.ones(len(spots.vertex), np.float32)
        if past is not None:
            here = past[spots.vertex] * (1.0 - spots.share) + past[spots.vertex + 1] * spots.share
            t = np.clip((here - plain(self.delay)) / max(plain(self.opening), 1e-9), 0.0, 1.0)
            size = np.where(here > 0.0, t * t * (3.0 - 2.0 * t), 0.0).astype(np.float32)
        if width is not None:
            size[width[spots.vertex] > plain(self.bare)] = 0.0
        return size

    def _axes(self, along: Floats, spots: _Spots) -> Floats:
        """Axes whose Y leans away from the branch, float32 (n, 9)."""
        frames = axes_along(along).reshape(-1, 3, 3)
        begun = (hashed(spots.ids - spots.number, self.turned) >> np.uint64(40)).astype(np.float64) * 2.0**-24 * 360.0
        around = np.radians(begun + spots.number * plain(self.turn))[:, None]
        side = np.cos(around) * frames[:, :, 0] + np.sin(around) * frames[:, :, 2]
        lean = np.radians(plain(self.lean))
        return axes_along(np.asarray(np.cos(lean) * along + np.sin(lean) * side, np.float32))


def _spots(geometry: Geometry, branching: Branching, lines: Lines, spacing: float) -> _Spots:
    """Places at even distances along each line at rest. Raises CannotEvaluateError for too many."""
    way, offsets = branching.way, lines.offsets
    first, last = way[offsets[:-1]], way[offsets[1:] - 1]
    counts = np.floor((last - first) / spacing + 0.5).astype(np.int64)
    check_copies(int(counts.sum()), "use a larger spacing")
    line = np.repeat(np.arange(len(counts)), counts)
    number = np.arange(len(line)) - np.repeat(np.cumsum(counts) - counts, counts)
    at = first[line] + (number + 0.5) * spacing
    # Lengths grow along each line; apart by more than any of them, all lines are one ascending row.
    apart = float(way.max(initial=0.0)) + 1.0
    of = np.repeat(np.arange(len(counts)), np.diff(offsets))
    vertex = np.searchsorted(way + of * apart, at + line * apart, side="right") - 1
    vertex = np.clip(vertex, offsets[line], offsets[line + 1] - 2)
    share = np.clip((at - way[vertex]) / np.maximum(way[vertex + 1] - way[vertex], 1e-12), 0.0, 1.0)
    ids = geometry.topology.pieces.ids[line] * 1024 + number
    rest = geometry.rest[vertex] * (1.0 - share[:, None]) + geometry.rest[vertex + 1] * share[:, None]
    return _Spots(
        vertex.astype(np.int32), share.astype(np.float32), ids, number.astype(np.int32), Rest(rest.astype(np.float32))
    )
