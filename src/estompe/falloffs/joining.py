"""How layers join, and how an effect's routes do."""

from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np

from estompe.document.scene import Layer, Range, Route
from estompe.falloffs.ramp import Remapping
from estompe.geometry import GeometryError
from estompe.kernels.ramp import Joining, remap, remap_joined
from estompe.kernels.types import Floats
from estompe.kinds.kind import Join
from estompe.kinds.numbers import plain


class JoinRule(NamedTuple):
    """How two values become one: its sign and words in the window, the arithmetic, and the kernel's number if it has one."""

    sign: str
    words: str
    combine: Callable[[Floats, Floats], Floats]
    kernel: Joining | None


JOINS: dict[Join, JoinRule] = {
    "multiply": JoinRule("×", "times", np.multiply, Joining.MULTIPLY),
    "add": JoinRule("+", "plus", np.add, Joining.ADD),
    "subtract": JoinRule("−", "minus", np.subtract, Joining.SUBTRACT),
    "larger": JoinRule("≥", "or larger", np.maximum, Joining.LARGER),
    "smaller": JoinRule("≤", "or smaller", np.minimum, Joining.SMALLER),
    "replace": JoinRule("→", "replaced by", lambda _above, values: values, None),
}
"""Every join, once: the panels, the probe, Routing and evaluation ask here."""


def check_alike(values: Sequence[Floats]) -> None:
    """Raise GeometryError where arrays that are to be joined have different lengths."""
    if len({len(own) for own in values}) > 1:
        counts = ", ".join(f"{len(own):,}" for own in values)
        raise GeometryError(f"what is joined has different numbers of values ({counts})")


def joined(above: Floats, values: Floats, join: Join) -> Floats:
    """The values so far and one more layer's, float32 (n,)."""
    return JOINS[join].combine(above, values)


def join_layers(layers: Sequence[Layer], values: Sequence[Floats]) -> Floats:
    """All layers' values from top to bottom, float32 (n,). The first stands as it is. There must be one."""
    check_alike(values)
    total = np.float32(1.0) - values[0] if layers[0].one_minus else values[0]
    for layer, own in zip(layers[1:], values[1:], strict=True):
        total = joined(total, np.float32(1.0) - own if layer.one_minus else own, layer.join)
    return total


def strengths(layers: Sequence[Layer], values: Sequence[Floats], how: Remapping) -> Floats:
    """All layers joined and through a range and ramp, float32 (n,): the same bits as one after the other.

    What the layers join to is not kept, since only who looks at the falloff wants it. There must be one layer.
    """
    check_alike(values)
    last = layers[-1]
    kernel = JOINS[last.join].kernel
    if len(values) == 1 or kernel is None:
        return remap(join_layers(layers, values), *how)
    above = join_layers(layers[:-1], values[:-1])
    own = np.float32(1.0) - values[-1] if last.one_minus else values[-1]
    return remap_joined(above, own, kernel, *how)


def join_routes(routes: Sequence[Route], strengths: Sequence[Floats]) -> Floats:
    """An effect's strength from its routes, float32 (n,). There must be one."""
    check_alike(strengths)
    total = _fed(routes[0], strengths[0])
    for route, strength in zip(routes[1:], strengths[1:], strict=True):
        total = joined(total, _fed(route, strength), route.join)
    return total


def neutral_routes(routes: Sequence[Route], strengths: Sequence[Floats], middle: float) -> Floats:
    """What an effect's strength would be if its first route gave one value everywhere, float32 (n,): what masks leave of it."""
    total = np.full(len(strengths[0]), middle, np.float32)
    for route, strength in zip(routes[1:], strengths[1:], strict=True):
        total = joined(total, _fed(route, strength), route.join)
    return total


def _fed(route: Route, strength: Floats) -> Floats:
    own = np.float32(1.0) - strength if route.one_minus else strength
    amount = plain(route.amount)
    return own if amount == 1.0 else own * np.float32(amount)


def join_margins(routes: Sequence[tuple[Route, Range, Floats]]) -> Floats:
    """How far within the reach of all routes elements are, in the unit of their ranges, negative beyond, float32 (n,).

    routes: each with its falloff's range and where values lie in it (0 full, 1 gone). Reaches join as sets do: times and smaller
    keep what both have, plus and larger what either has.
    """
    check_alike([places for _, _, places in routes])
    total: Floats | None = None
    for route, within, places in routes:
        width = max(abs(plain(within.gone) - plain(within.full)), 1e-6)
        own = (np.float32(1.0) - places) * np.float32(width)
        own = -own if route.one_minus else own
        if total is None:
            total = own
        elif route.join in ("multiply", "smaller"):
            total = np.minimum(total, own)
        elif route.join in ("add", "larger"):
            total = np.maximum(total, own)
        else:
            total = own if route.join == "replace" else np.minimum(total, -own)
    assert total is not None
    return total
