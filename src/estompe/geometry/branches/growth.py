"""Branches as they are at a moment: their lines, or tubes around them."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.geometry import Attributes, Domain, Geometry, check_made
from estompe.geometry.pieces import Pieces
from estompe.geometry.rest import Rest
from estompe.geometry.topology import Branching, Topology
from estompe.kernels.branches.growth import Moment, arrivals, grown
from estompe.kernels.branches.tubes import spread, tubes
from estompe.kernels.types import Floats, Indices, Matrix, frozen

_SOFT = 0.1
"""The share of a strength within which a twig fades in, as that passes the twig's place in the order."""
VARYING = ("width", "flow", "arrival", "grown")
"""The attributes of points that differ from moment to moment."""


class Growing(NamedTuple):
    """How branches grow.

    share: how much of the growth has happened, beyond 1 after all is reached; thin: the width of an end; taper: the length over
    which an end thickens; wait: what a fork delays, scene units; gather: the power of Murray's law.
    """

    share: float
    thin: float
    taper: float
    wait: float
    gather: float


class Sprouted(NamedTuple):
    """A moment of branches, and when each vertex is reached, float32 (k,), as a share of the growth."""

    moment: Moment
    arrival: Floats


def at_moment(positions: Floats, branching: Branching, strength: Floats, haste: Floats, growing: Growing) -> Sprouted:
    """Branches at a moment of their growth.

    Parameters
    ----------
    positions : float32 (k, 3)
        Their vertices full grown, scene units.
    branching : Branching
        How the vertices hang together.
    strength : float32 (k,)
        How many twigs stay at each vertex, 0..1: of any strength the beginning of an even order stays.
    haste : float32 (k,)
        How many times as fast it grows there.
    growing : Growing
        The moment, and how thick they are.

    Returns
    -------
    Sprouted
        What has not been reached waits at the tip before it.
    """
    arrival = arrivals(branching.parent, branching.way, branching.generation, haste, growing.wait)
    # Two tapers after the last arrival every end is as thick as it gets.
    whole = float(arrival.max(initial=0.0)) + 2.0 * growing.taper
    brought = _brought(branching, strength)
    # A little later, so that rounding keeps nothing back at the end; nothing at all is there at 0.
    now = growing.share * whole * (1.0 + 1e-9) if growing.share > 0.0 else -1.0
    moment = grown(positions, branching.parent, arrival, brought, now, growing.thin, growing.gather, growing.taper)
    return Sprouted(moment, (arrival / max(whole, 1e-12)).astype(np.float32))


def _brought(branching: Branching, strength: Floats) -> Matrix:
    """What each vertex brings: of a strength, the places whose share of the order lies below it."""
    wanted = strength[branching.tips].astype(np.float64)
    soft = np.maximum(_SOFT * wanted, 1e-9)
    t = np.clip((wanted + soft - branching.shares) / soft, 0.0, 1.0)
    brought = np.zeros(len(branching.parent))
    brought[branching.tips] = np.where(wanted > 0.0, t * t * (3.0 - 2.0 * t), 0.0)
    return brought


def as_lines(geometry: Geometry, positions: Floats, varying: dict[str, Floats]) -> Geometry:
    """Branches as lines. varying: values of their vertices by attribute, float32 (k,)."""
    topology = geometry.topology
    count = len(positions)
    if len(geometry.points) != count:
        topology = topology.derived("bare lines", lambda: _bare(topology, count))
    attributes = _attributes(geometry, count, 0, varying)
    rest = geometry.at_rest.derived(("bare lines", count), lambda: Rest(frozen(geometry.rest[:count])))
    return Geometry(positions, topology, attributes, rest, geometry.notes, geometry.axes)


def as_tubes(geometry: Geometry, positions: Floats, widths: Floats, sides: int, varying: dict[str, Floats]) -> Geometry:
    """Branches as closed tubes, one for each line.

    Parameters
    ----------
    geometry : Geometry
        Branches, whose other attributes are kept.
    positions : float32 (k, 3)
        Their vertices, scene units.
    widths : float32 (k,)
        How thick they are there, scene units.
    sides : int
        Sides of a tube.
    varying : dict
        Values of their vertices by attribute, float32 (k,).

    Returns
    -------
    Geometry
        The vertices of the lines come first, then the rings around each. The topology is the same for the same branches.

    Raises
    ------
    GeometryError
        For more faces than may be made.
    """
    topology, count = geometry.topology, len(positions)
    assert topology.lines is not None
    check_made(count * sides, "use fewer sides or twigs, or draw them as lines")
    tubed = topology.derived(("tubes", sides), lambda: _tubed(topology, count, sides))
    points = tubes(positions, widths, topology.lines.offsets, sides)
    attributes = _attributes(geometry, count, sides, varying)
    rest = geometry.at_rest.derived(
        ("tubes", sides, count), lambda: Rest(frozen(_spread(geometry.rest[:count], sides)))
    )
    return Geometry(points, tubed, attributes, rest, geometry.notes, geometry.axes)


def _attributes(geometry: Geometry, count: int, sides: int, varying: dict[str, Floats]) -> Attributes:
    made: dict[tuple[Domain, str], NDArray[np.generic]] = {}
    same = len(geometry.points) == count * (1 + sides)
    for (domain, name), values in geometry.attributes.items():
        if domain in (Domain.PIECE, Domain.WHOLE) or (domain is Domain.POINT and same):
            made[domain, name] = values
        elif domain is Domain.POINT:
            key = "of tubes", name, sides, id(values)
            made[domain, name] = geometry.topology.derived(key, lambda own=values: frozen(_spread(own[:count], sides)))  # type: ignore[misc]
    for name, values in varying.items():
        made[Domain.POINT, name] = frozen(spread(values, sides)) if sides else frozen(values)
    return made


def _spread(values: NDArray[np.generic], sides: int) -> NDArray[np.generic]:
    """Values of vertices, and the same for the points of each ring."""
    return np.concatenate([values, np.repeat(values, sides, axis=0)]) if sides else values


def _bare(topology: Topology, count: int) -> Topology:
    nothing = np.zeros(0, np.int32)
    pieces = _pieces(topology.pieces, count, 0)
    return Topology(nothing, np.zeros(1, np.int32), count, pieces, topology.lines, branching=topology.branching)


def _tubed(topology: Topology, count: int, sides: int) -> Topology:
    lines = topology.lines
    assert lines is not None
    corners, offsets = _tube_faces(lines.offsets, count, sides)
    pieces = _pieces(topology.pieces, count, sides)
    total = count * (1 + sides)
    return Topology(frozen(corners), frozen(offsets), total, pieces, lines, branching=topology.branching)


def _pieces(pieces: Pieces, count: int, sides: int) -> Pieces:
    """The same pieces over other points: each one's middle stays its root."""
    of = pieces.of[:count]
    weights = np.zeros(count * (1 + sides), np.float32)
    weights[:count] = np.append(True, of[1:] != of[:-1])[:count]
    return Pieces(frozen(_spread(of, sides)), pieces.ids, pieces.rank, pieces.word, frozen(weights))


def _tube_faces(offsets: Indices, count: int, sides: int) -> tuple[Indices, Indices]:
    """Quads between one ring and the next along each line, and a face across both ends."""
    begins = np.setdiff1d(np.arange(count), offsets[1:] - 1)
    side = np.arange(sides)
    following = (side + 1) % sides
    here, there = (count + (begins + step)[:, None] * sides for step in (0, 1))
    quads = np.stack([here + side, here + following, there + following, there + side], axis=-1).reshape(-1)
    first, last = (count + ends[:, None] * sides for ends in (offsets[:-1], offsets[1:] - 1))
    caps = np.concatenate([(first + side[::-1]).reshape(-1), (last + side).reshape(-1)])
    sizes = np.concatenate([np.full(len(begins) * sides, 4), np.full(2 * len(first), sides)])
    return np.concatenate([quads, caps]).astype(np.int32), np.concatenate([[0], np.cumsum(sizes)]).astype(np.int32)
