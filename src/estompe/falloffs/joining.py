"""How layers join, and how an effect's routes do."""

from collections.abc import Callable, Sequence

import numpy as np

from estompe.document.numbers import plain
from estompe.document.scene import Join, Layer, Ramp, Range, Route
from estompe.falloffs.ramp import pieces, remapped
from estompe.kernels.ramp import Joining, remap_joined
from estompe.kernels.types import Floats

_JOINS: dict[Join, Callable[[Floats, Floats], Floats]] = {
    "multiply": np.multiply,
    "add": np.add,
    "subtract": np.subtract,
    "larger": np.maximum,
    "smaller": np.minimum,
    "replace": lambda _above, values: values,
}


def joined(above: Floats, values: Floats, join: Join) -> Floats:
    """The values so far and one more layer's, float32 (n,)."""
    return _JOINS[join](above, values)


def join_layers(layers: Sequence[Layer], values: Sequence[Floats], count: int) -> Floats:
    """All layers' values from top to bottom, float32 (n,). The first stands as it is; zeros where there are none."""
    total: Floats | None = None
    for layer, own in zip(layers, values, strict=True):
        own = np.float32(1.0) - own if layer.one_minus else own
        total = own if total is None else joined(total, own, layer.join)
    return np.zeros(count, np.float32) if total is None else total


def strengths(
    layers: Sequence[Layer], values: Sequence[Floats], count: int, within: Range, ramp: Ramp, signed: bool
) -> Floats:
    """All layers joined and through a resolved range and ramp, float32 (n,): the same bits as one after the other.

    What the layers join to is not kept, since only who looks at the falloff wants it.
    """
    if len(values) < 2 or layers[-1].join == "replace":
        return remapped(join_layers(layers, values, count), within, ramp, signed)
    above = join_layers(layers[:-1], values[:-1], count)
    own = np.float32(1.0) - values[-1] if layers[-1].one_minus else values[-1]
    ends = plain(within.full), plain(within.gone)
    return remap_joined(above, own, Joining[layers[-1].join.upper()], *ends, *pieces(ramp), not signed)


def join_routes(routes: Sequence[Route], strengths: Sequence[Floats], count: int) -> Floats:
    """An effect's strength from its routes, float32 (n,); ones where there are none."""
    total: Floats | None = None
    for route, own in zip(routes, strengths, strict=True):
        own = np.float32(1.0) - own if route.inverted else own
        amount = plain(route.amount)
        own = own if amount == 1.0 else own * np.float32(amount)
        total = own if total is None else joined(total, own, route.join)
    return np.ones(count, np.float32) if total is None else total
