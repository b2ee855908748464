"""Strands between two shapes."""

from typing import Annotated, ClassVar, Literal

import numpy as np

from estompe.document.scene import Identifier
from estompe.geometry import DOMAINS
from estompe.geometry.samples import samples_of
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole
from estompe.shapes.stringing import Spines, StrandsSource

_MOST_PAIRS = 20_000


@register
class StrandsBetween(StrandsSource, tag="strands-between", kw_only=True):
    """Lines from elements of one shape to elements of another: to the nearest, one by one in turn, or all to all."""

    label: ClassVar[str] = "Strands between"
    text: ClassVar[str] = "Living lines from the points, faces or pieces of one shape to those of another."
    words: ClassVar[str] = (
        "lightning, arc, arcs, spark, electricity, connect, web, threads, bridge, strings, net, network, wires"
    )

    from_shape: Annotated[Identifier, setting("From", "The shape that strands begin on.", refers="shape")]
    to_shape: Annotated[Identifier, setting("To", "The shape that strands end on.", refers="shape")]
    elements: Annotated[
        Literal["points", "faces", "pieces"], setting("Elements", "The elements that strands begin and end on.")
    ] = "points"
    pairs: Annotated[
        Literal["nearest", "in turn", "all"],
        setting("Pairing", "How elements are paired: with the nearest, one by one, or all with all."),
    ] = "nearest"
    every: Annotated[
        int, whole("Every", "The step between elements that get strands: more gives fewer.", low=1, high=100_000)
    ] = 1

    def spines(self, context: Context) -> Spines:
        domain = DOMAINS[self.elements]
        begin, end = (samples_of(context.shape(name), domain) for name in (self.from_shape, self.to_shape))
        if not len(begin) or not len(end):
            raise CannotEvaluateError(f"one of both shapes has no {self.elements}: choose others")
        first = np.arange(0, len(begin), self.every)
        if self.pairs == "all":
            others = np.arange(0, len(end), self.every)
            _check_pairs(len(first) * len(others))
            first, second = (index.reshape(-1) for index in np.meshgrid(first, others, indexing="ij"))
        elif self.pairs == "in turn":
            second = np.arange(len(first)) % len(end)
        else:
            from scipy.spatial import cKDTree

            second = cKDTree(end.positions).query(begin.positions[first])[1]
        _check_pairs(len(first))
        share = np.linspace(0.0, 1.0, self.points, dtype=np.float32)[None, :, None]
        a, b = begin.positions[first][:, None], end.positions[second][:, None]
        ids = begin.ids[first] * 65_537 + end.ids[second]
        return Spines(np.asarray(a + (b - a) * share, np.float32), ids, begin.normals[first])


def _check_pairs(count: int) -> None:
    if count > _MOST_PAIRS:
        raise CannotEvaluateError(
            f"it would string {count:,} pairs, more than {_MOST_PAIRS:,}: use every few elements only"
        )
