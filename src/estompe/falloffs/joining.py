"""How layers join, and how an effect's routes do."""

from collections.abc import Callable, Sequence

import numpy as np

from estompe.document.numbers import plain
from estompe.document.scene import Join, Layer, Route
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


def join_routes(routes: Sequence[Route], strengths: Sequence[Floats], count: int) -> Floats:
    """An effect's strength from its routes, float32 (n,); ones where there are none."""
    total: Floats | None = None
    for route, own in zip(routes, strengths, strict=True):
        own = np.float32(1.0) - own if route.inverted else own
        amount = plain(route.amount)
        own = own if amount == 1.0 else own * np.float32(amount)
        total = own if total is None else joined(total, own, route.join)
    return np.ones(count, np.float32) if total is None else total
