"""Where a falloff is measured on a shape, once for all who ask: the window, Land, the table, formulas and files.

It is measured where the first effect that uses it measures it, on the elements that effect acts on, or on the finished shape
where no effect uses it; copies then count as pieces. Values belong to the elements that are seen. So where later effects change
those, it is measured on the finished shape, unless it was painted: a mask belongs to the mesh that it drives.

Formulas measure a shape before its effects (`ShapePlanner.before_effects`), since they may be what computes the effects' numbers.
"""

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.document.references import references_of
from estompe.document.scene import Scene
from estompe.evaluation.planning.plan import Plan
from estompe.evaluation.planning.shapes import EffectChain, domain_of
from estompe.evaluation.planning.state import State
from estompe.geometry import Domain, Geometry, frozen
from estompe.geometry.samples import samples_of
from estompe.kernels.types import Floats
from estompe.kinds.remembering import RememberingSource


class Where(NamedTuple):
    """The place where a falloff is measured on a shape, on the frame that the shape shows.

    plan: another one for a shape on a time of its own; state: the elements that are measured; seen: the finished shape, where
    its elements are others and values are carried there, else None.
    """

    plan: Plan
    state: State
    seen: Geometry | None

    def carried(self, values: Floats) -> Floats:
        """Return values for the visible elements, float32: that of the nearest measured one at rest for each."""
        if self.seen is None:
            return values
        return frozen(values[nearest_at_rest(self.state.geometry, self.seen, self.state.domain)])


def where_measured(plan: Plan, shape: str, falloff: str) -> Where:
    """Find where a falloff is measured on a shape.

    Parameters
    ----------
    plan : Plan
        The plan of the frame that is asked for.
    shape, falloff : str
        Their ids.

    Returns
    -------
    Where
        The place; its nodes have been run.

    Raises
    ------
    CannotEvaluateError
        Where the shape is missing, or its time of its own cannot be computed.
    """
    own = plan.parts.own_time(shape)
    if own is not None and own != plan.frame:
        plan = plan.others.running(own)
    return plan.settled(lambda: _planned(plan, shape, falloff))()


def _planned(plan: Plan, shape: str, falloff: str) -> Callable[[], Where]:
    """Plan the nodes that decide where, and give what decides once they have been run."""
    slots = list(plan.parts.enabled_slots(shape))
    index = next((i for i, slot in enumerate(slots) if any(route.falloff == falloff for route in slot.routes)), None)
    if index is not None and not any("topology" in slot.effect.alters for slot in slots[index:]):
        # Nothing from there on changes which elements there are, so what comes later need not be computed.
        state = plan.on(plan.state_at(shape, index), domain_of(slots[index]))
        return lambda: Where(plan, state, None)
    chain = plan.chain_now(shape)
    return lambda: _chosen(plan, chain, falloff)


def strength_where(where: Where, falloff: str) -> Floats:
    """Return a falloff's strength at a place, on the elements that are seen, float32 (n,). Raises CannotEvaluateError."""
    plan = where.plan
    return where.carried(plan.settled(lambda: plan.strength(falloff, where.state)).value)


def _chosen(plan: Plan, chain: EffectChain, falloff: str) -> Where:
    on, last, scene = plan.on, chain.last, plan.parts.project.scene
    driven = next(
        (
            on(state, domain_of(slot))
            for slot, state in chain.steps
            if any(route.falloff == falloff for route in slot.routes)
        ),
        None,
    )
    if driven is None:
        return Where(plan, on(last, last.geometry.own_domain), None)
    if driven.geometry.count(driven.domain) == last.geometry.count(driven.domain):
        return Where(plan, driven, None)
    if is_painted(scene, falloff):
        return Where(plan, driven, last.geometry)
    # Sources that look at neighbours are measured on pieces where the shape has come apart: points of pieces have no neighbours.
    parted = last.geometry.topology.parted is not None and _remembers(scene, falloff)
    return Where(plan, on(last, Domain.PIECE if parted else driven.domain), None)


def nearest_at_rest(measured: Geometry, seen: Geometry, domain: Domain) -> NDArray[np.int64]:
    """Return for each visible element the index of the measured element nearest to it at rest, int64 (n,)."""
    from scipy.spatial import cKDTree  # slow to import, and few need it

    def found() -> NDArray[np.int64]:
        rest = samples_of(measured, domain).rest
        if not len(rest):
            return np.zeros(0, np.int64)
        return np.asarray(cKDTree(rest).query(samples_of(seen, domain).rest)[1], np.int64)

    key = "measured on", measured.topology, measured.at_rest, domain, seen.topology
    return seen.at_rest.derived(key, found)


def is_painted(scene: Scene, falloff: str) -> bool:
    """Whether a falloff, or one that it looks at, holds a painted mask."""
    return any(bool(getattr(source, "painted", "")) for source in _sources(scene, falloff))


def _remembers(scene: Scene, falloff: str) -> bool:
    return any(isinstance(source, RememberingSource) for source in _sources(scene, falloff))


def _sources(scene: Scene, falloff: str) -> list[object]:
    """The sources of a falloff and of those it looks at, whatever the way."""
    found: list[object] = []
    waiting, seen = [falloff], set()
    while waiting:
        name = waiting.pop()
        seen.add(name)
        for layer in next((item.layers for item in scene.falloffs if item.id == name), ()):
            found.append(layer.source)
            named = (item.id for item in references_of(layer.source) if item.family == "falloff")
            waiting += [item for item in named if item not in seen]
    return found
