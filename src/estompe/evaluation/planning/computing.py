"""The functions of nodes: kinds are asked, what they raise is put into words, and what they return is checked.

Each gets the values of a node's inputs and nothing else.
"""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np
from msgspec import structs
from numpy.typing import NDArray

from estompe.document.scene import Ramp, Range, Route
from estompe.evaluation.planning.inputs import Declared, LayerValues
from estompe.evaluation.planning.pace import timed
from estompe.evaluation.running.checked import check_strength, checked_geometry, checked_source, checked_values
from estompe.evaluation.running.schedule import said_for
from estompe.falloffs import joining
from estompe.falloffs.ramp import positions as positions_in
from estompe.falloffs.ramp import remapped, remapping, swept
from estompe.geometry import Domain, Geometry, GeometryError, Topology, matching
from estompe.geometry.carrying import carried
from estompe.geometry.elements import Elements
from estompe.geometry.transforms import Matrix
from estompe.kernels.ramp import remap
from estompe.kernels.types import Floats, Indices
from estompe.kinds.context import CannotEvaluateError
from estompe.kinds.kind import Effect, ShapeSource, Source
from estompe.kinds.numbers import Number
from estompe.kinds.remembering import RememberingEffect, RememberingSource, Seen

# Shapes


def empty() -> Geometry:
    """A mesh of nothing."""
    none: Indices = np.zeros(0, np.int32)
    return Geometry(np.zeros((0, 3), np.float32), Topology(none, np.zeros(1, np.int32), 0))


def build(source: ShapeSource, assets: Mapping[str, NDArray[Any]]) -> Geometry:
    """What a shape is made from, by a kind that needs nothing else."""
    return checked_source(source.build(assets))


def assemble(source: ShapeSource, context: Declared) -> Geometry:
    """What a shape is made from, by a kind that refers to other things."""
    with said_for(source.label):
        return checked_source(source.assemble(context))


def still(_source: ShapeSource, _context: Declared, geometry: Geometry) -> Geometry:
    """The arrays of an animated shape that do not change: this node has the same key on each frame."""
    return geometry


def transform(geometry: Geometry, matrix: Matrix) -> Geometry:
    """A shape in world space."""
    return geometry.transformed(matrix)


# Falloffs


def measure(source: Source, elements: Elements, context: Declared) -> Floats:
    """What a source measures."""
    with said_for(source.label):
        context.check_strengths(len(elements))
        return checked_values(source, source.measure(elements, context), len(elements))


def recall(source: RememberingSource, kept: Any, seen: Seen) -> Floats:
    """What a source with memory measures."""
    with said_for(source.label):
        return checked_values(source, source.values(kept.state, seen), len(seen.elements))


def filled(value: float, count: int) -> Floats:
    """One value on all elements."""
    return np.full(count, value, np.float32)


def layer(values: Floats, within: Range, ramp: Ramp) -> Floats:
    """A layer's values through a range and ramp of its own."""
    return remapped(values, within, ramp, signed=False)


def join(layers: LayerValues) -> Floats:
    """The layers of a falloff, joined."""
    return joining.join_layers(layers.layers, layers.arrays)


def strength(layers: LayerValues, within: Range, ramp: Ramp, signed: bool, passed: Number | None) -> Floats:
    """The strength of a falloff, from its layers."""
    if passed is not None:
        values = join(layers) if layers.joined is None else layers.joined.value
        return remap(values, *remapping(swept(values, within, passed), ramp, signed))
    how = remapping(within, ramp, signed)
    if layers.joined is not None:
        return remap(layers.joined.value, *how)
    return joining.strengths(layers.layers, layers.arrays, how)


def positions(joined: Floats, within: Range, passed: Number | None) -> Floats:
    """Where joined values lie in a range."""
    return positions_in(joined, swept(joined, within, passed))


def brought(values: Floats, here: Geometry, there: Geometry, domain: Domain, explained: Callable[[], str]) -> Floats:
    """Values of another frame on the same elements here. explained: why they do not fit, in words."""
    try:
        return matching.brought(values, here, there, domain)
    except GeometryError:
        raise CannotEvaluateError(explained()) from None


# Effects


def route(routes: Sequence[Route], strengths: Sequence[Floats]) -> Floats:
    """An effect's strength, from its routes."""
    return joining.join_routes(routes, strengths)


def neutral(middle: float, routes: Sequence[Route], strengths: Sequence[Floats]) -> Floats:
    """The strength with which an effect moves nothing."""
    return joining.neutral_routes(routes, strengths, middle)


def margin(routes: Sequence[tuple[Route, Range]], places: Sequence[Floats]) -> Floats:
    """How far within the reach of an effect's falloffs elements are."""
    return joining.join_margins([(*item, values) for item, values in zip(routes, places, strict=True)])


def without(effect: Effect, late: tuple[str, ...]) -> Effect:
    """An effect as it is before some of its settings matter."""
    if not late:
        return effect
    plain = {field.name: field.default for field in structs.fields(type(effect))}
    return structs.replace(effect, **{name: plain[name] for name in late})


def places(effect: Effect, geometry: Geometry, context: Declared, slot: str) -> Geometry:
    """What an effect asks strengths for. slot: its id, to take down how long it took."""

    def run() -> Geometry:
        with said_for(effect.label):
            return effect.places(geometry, context)

    return timed(slot, "places", run)


def prepare(effect: Effect, geometry: Geometry, own: Floats, context: Declared, slot: str) -> Any:
    """What an effect prepares. slot: its id, to take down how long it took."""

    def run() -> Any:
        with said_for(effect.label):
            check_strength(own, _strengths_of(effect, geometry, context))
            return effect.prepare(geometry, own, context)

    return timed(slot, "prepare", run)


def apply(effect: Effect, geometry: Geometry, own: Floats, context: Declared, each: bool) -> Geometry:
    """The geometry after an effect, on what it acts on. own: its strength."""
    with said_for(effect.label):
        domain = context.domain
        if not geometry.count(domain):
            return geometry
        check_strength(own, _strengths_of(effect, geometry, context))
        context.check_strengths(geometry.count(domain))
        if domain is Domain.POINT or not effect.carries:
            return checked_geometry(effect.apply(geometry, own, context), geometry)

        def places_after(elements: Geometry, strengths: Floats) -> Floats:
            return checked_geometry(effect.apply(elements, strengths, context), elements).points

        return checked_geometry(carried(geometry, domain, each, effect.carries, own, places_after), geometry)


def apply_late(effect: Effect, geometry: Geometry, own: Floats, context: Declared, slot: str) -> Geometry:
    """The geometry after an effect that asked for strengths at places of its own. slot: its id, to take down how long it took."""
    return timed(slot, "effect", lambda: apply(effect, geometry, own, context, False))


def show(effect: RememberingEffect, kept: Any, seen: Seen) -> Geometry:
    """The geometry after an effect with memory."""
    with said_for(effect.label):
        return checked_geometry(effect.shown(kept.state, seen), seen.geometry)


def _strengths_of(effect: Effect, geometry: Geometry, context: Declared) -> int:
    """How many strengths an effect gets."""
    return len(context.places.points) if effect.asks_places else geometry.count(context.domain)
