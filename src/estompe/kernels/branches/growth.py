"""A tree at a moment of its growth: when each vertex is reached, what flows through it, where it is and how thick.

A radius is a power of the flow, so that at each fork the sum of r^gather stays the same: Murray, "The physiological principle of
minimum work" (1926), doi:10.1073/pnas.12.3.207.
"""

import math
from typing import NamedTuple

import numpy as np

from estompe.kernels.compile import kernel
from estompe.kernels.types import Floats, Indices, Matrix

_THREAD = 0.3
"""The radius of a front before flow has come, as a share of an end's."""


class Moment(NamedTuple):
    """positions: float32 (k, 3), scene units; width: float32 (k,), 0 where it is not yet; flow: float32 (k,), of places; past:
    float32 (k,), how far the front has gone past, scene units."""

    positions: Floats
    width: Floats
    flow: Floats
    past: Floats


@kernel
def arrivals(parent, way, generation, haste, wait):
    """When the front comes to each vertex: the length back to the root over its haste, and a wait at each fork.

    Parameters
    ----------
    parent, generation : int32 (k,)
        The vertex before, -1 at roots, and how many forks lie behind.
    way : float64 (k,)
        The length back to the root, scene units.
    haste : float32 (k,)
        How many times as fast the front is there.
    wait : float
        What each fork delays, scene units.

    Returns
    -------
    float64 (k,)
        Scene units of growth.
    """
    arrival = np.zeros(parent.shape[0])
    for i in range(parent.shape[0]):
        p = parent[i]
        if p >= 0:
            later = wait * (generation[i] - generation[p])
            arrival[i] = arrival[p] + (way[i] - way[p]) / max(haste[i], np.float32(1e-3)) + later
    return arrival


@kernel
def _flows(parent, arrival, brought, now, rise):
    """What flows through each vertex now: places ahead bring their share gradually once they are reached."""
    flow = np.zeros(parent.shape[0])
    for i in range(parent.shape[0] - 1, -1, -1):
        if brought[i] > 0.0:
            t = min(max((now - arrival[i]) / rise, 0.0), 1.0)
            flow[i] += brought[i] * t * t * (3.0 - 2.0 * t)
        if parent[i] >= 0:
            flow[parent[i]] += flow[i]
    return flow


@kernel
def _led_to(parent, brought):
    """Whether any place ahead of each vertex stays."""
    ahead = brought > 0.0
    for i in range(parent.shape[0] - 1, -1, -1):
        if ahead[i] and parent[i] >= 0:
            ahead[parent[i]] = True
    return ahead


@kernel
def _shown(positions, parent, arrival, flow, ahead, now, thin, power, taper, out, width, past):
    for i in range(parent.shape[0]):
        p = parent[i]
        q = p if p >= 0 else i
        begin = arrival[q]
        reached = ahead[i] and now >= arrival[i]
        past[i], width[i] = 0.0, 0.0
        if reached:
            for axis in range(3):
                out[i, axis] = positions[i, axis]
            past[i] = now - arrival[i]
            end = math.sqrt(min(past[i] / taper, 1.0)) if taper > 0.0 else 1.0
            # Flow that has not come yet still leaves a thread; towards a growing tip it tapers.
            width[i] = thin * max(max(flow[i], 1e-6) ** power, _THREAD * end)
            continue
        # What is not there yet waits at the tip before it, so that counts and ids never change.
        share = 0.0
        if ahead[i] and now > begin:
            share = (now - begin) / max(arrival[i] - begin, 1e-12)
        for axis in range(3):
            out[i, axis] = out[q, axis] if p >= 0 else positions[i, axis]
            if share > 0.0:
                out[i, axis] += np.float32((positions[i, axis] - positions[q, axis]) * share)


def grown(
    positions: Floats,
    parent: Indices,
    arrival: Matrix,
    brought: Matrix,
    now: float,
    thin: float,
    gather: float,
    taper: float,
) -> Moment:
    """A tree at a moment.

    Parameters
    ----------
    positions : float32 (k, 3)
        Its vertices full grown, scene units.
    parent : int32 (k,)
        The vertex before each, -1 at roots; parents come first.
    arrival : float64 (k,)
        When the front comes to each, scene units of growth.
    brought : float64 (k,)
        What the place that ends at a vertex brings, 0..1, and 0 at all others; what leads to no place is not there.
    now : float
        The moment, scene units of growth.
    thin : float
        The width of an end, scene units.
    gather : float
        The power of Murray's law: at a fork the widths of what goes out, to this power, sum up to what comes in.
    taper : float
        The length over which an end thickens, scene units.

    Returns
    -------
    Moment
        Positions, widths, flow, and how far the front has gone past.
    """
    flow = _flows(parent, arrival, brought, now, max(2.0 * taper, 1e-9))
    ahead = _led_to(parent, brought)
    count = len(parent)
    out, width, past = np.empty((count, 3), np.float32), np.empty(count, np.float32), np.empty(count, np.float32)
    _shown(positions, parent, arrival, flow, ahead, now, thin, 1.0 / gather, taper, out, width, past)
    return Moment(out, width, flow.astype(np.float32), past)
