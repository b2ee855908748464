"""What depends on what in a scene, found once per scene: circles, and the order in which things can be evaluated."""

from collections.abc import Iterable
from typing import NamedTuple

from estompe.document.references import references_of
from estompe.document.scene import Scene
from estompe.kinds.identity_cache import IdentityCache

Edge = tuple[str, str]
"""An end of a dependency: a family, "falloff" or "shape", and an id."""
Edges = dict[Edge, list[Edge]]


class Dependencies(NamedTuple):
    """broken: references that would close a circle, as the node that refers and the one it names.

    inner: for each falloff, the falloffs it refers to, whatever the way, each after those it refers to itself.
    before: for each shape, the shapes it depends on, whatever the way, each after those it depends on itself.
    """

    broken: frozenset[tuple[Edge, Edge]]
    inner: dict[str, list[str]]
    before: dict[str, list[str]]


_KNOWN: IdentityCache[Dependencies] = IdentityCache()


def dependencies_of(scene: Scene) -> Dependencies:
    """The dependencies of a scene, whether its numbers are resolved or not."""
    return _KNOWN.get(scene) or _KNOWN.put(scene, _found(scene))


def _found(scene: Scene) -> Dependencies:
    edges = _edges(scene)
    routes = {(("shape", shape.id), ("falloff", route.falloff)) for shape in scene.shapes for slot in shape.effects
              for route in slot.routes}  # fmt: skip
    broken: set[tuple[Edge, Edge]] = set()
    # A look at a shape closes most circles: only if some are left, references between falloffs are cut too.
    for families in (("shape",), ("shape", "falloff")):
        group = _components(edges)
        closing = {(a, b) for a, targets in edges.items() for b in targets
                   if b[0] in families and (a, b) not in routes and (a == b or group[a] == group.get(b, -1))}  # fmt: skip
        broken |= closing
        edges = {a: [b for b in targets if (a, b) not in closing] for a, targets in edges.items()}
    inner = {item.id: _before(("falloff", item.id), edges, "falloff") for item in scene.falloffs}
    before = {shape.id: _before(("shape", shape.id), edges, "shape") for shape in scene.shapes}
    return Dependencies(frozenset(broken), inner, before)


def _edges(scene: Scene) -> Edges:
    found: Edges = {}
    for falloff in scene.falloffs:
        sources = [layer.source for layer in falloff.layers if layer.enabled]
        found["falloff", falloff.id] = [edge for source in sources for edge in _named(source, scene)]
    for shape in scene.shapes:
        slots = [slot for slot in shape.effects if slot.enabled]
        routed = [("falloff", route.falloff) for slot in slots for route in slot.routes]
        made = _named(shape.source, scene)
        found["shape", shape.id] = [*made, *routed, *(edge for slot in slots for edge in _named(slot.effect, scene))]
    return found


def _named(kind: object, scene: Scene) -> list[Edge]:
    edges = []
    for item in references_of(kind):
        if item.family in ("falloff", "shape"):
            edges.append((item.family, item.id))
        elif item.family == "wind":
            blown = (control.wind.within for control in scene.controls if control.id == item.id)
            edges += [("falloff", within) for within in blown if within is not None]
    return edges


def _components(edges: Edges) -> dict[Edge, int]:
    """The strongly connected component of each node (Tarjan, 1972, doi:10.1137/0201010), without recursion."""
    index: dict[Edge, int] = {}
    low: dict[Edge, int] = {}
    group: dict[Edge, int] = {}
    stack: list[Edge] = []
    for root in edges:
        if root in index:
            continue
        work: list[tuple[Edge, Iterable[Edge]]] = [(root, iter(edges[root]))]
        index[root] = low[root] = len(index)
        stack.append(root)
        while work:
            node, rest = work[-1]
            for other in rest:
                if other not in edges:
                    continue
                if other not in index:
                    index[other] = low[other] = len(index)
                    stack.append(other)
                    work.append((other, iter(edges[other])))
                    break
                if other not in group:
                    low[node] = min(low[node], index[other])
            else:
                work.pop()
                if work:
                    low[work[-1][0]] = min(low[work[-1][0]], low[node])
                if low[node] == index[node]:
                    number = index[node]
                    while stack:
                        member = stack.pop()
                        group[member] = number
                        if member == node:
                            break
    return group


def _before(start: Edge, edges: Edges, family: str) -> list[str]:
    """What a node depends on, of one family, in an order in which it can be evaluated. The edges have no circle."""
    found: dict[Edge, None] = {}
    entered = {start}
    work: list[tuple[Edge, Iterable[Edge]]] = [(start, iter(edges.get(start, ())))]
    while work:
        node, rest = work[-1]
        for other in rest:
            # Falloffs are asked for on the same elements, shapes through whatever leads to them.
            if other not in entered and other in edges and (family == "shape" or other[0] == "falloff"):
                entered.add(other)
                work.append((other, iter(edges[other])))
                break
        else:
            work.pop()
            if node != start:
                found[node] = None
    return [name for kind, name in found if kind == family]
