"""What the stages of a graph compute: kinds are asked, what they raise is put into words, and what they return is checked."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec import structs
from numpy.typing import NDArray

from estompe.evaluation.planning.context import EvaluationContext
from estompe.evaluation.planning.state import Values
from estompe.evaluation.running.checked import check_strength, checked_geometry, checked_source, checked_values
from estompe.evaluation.running.schedule import said_for
from estompe.evaluation.running.stage import Stage
from estompe.geometry import Domain, Geometry, Topology
from estompe.geometry.carrying import carried
from estompe.geometry.elements import Elements
from estompe.kernels.types import Floats, Indices
from estompe.kinds.context import UndeclaredError
from estompe.kinds.kind import Effect, ShapeSource, Source
from estompe.kinds.remembering import RememberingEffect, RememberingSource, Seen


def measured(source: Source, geometry: Geometry, context: EvaluationContext) -> Any:
    """What a source measures."""
    with said_for(source.label):
        elements = Elements(geometry, source.reads(), UndeclaredError, context.domain)
        context.check_strengths(len(elements))
        return checked_values(source, source.measure(elements, context), len(elements))


def recalled(source: RememberingSource, state: Any, seen: Seen) -> Any:
    """What a source with memory measures."""
    with said_for(source.label):
        return checked_values(source, source.values(state, seen), len(seen.elements))


def shown(effect: RememberingEffect, state: Any, seen: Seen) -> Geometry:
    """The geometry behind an effect with memory."""
    with said_for(effect.label):
        return checked_geometry(effect.shown(state, seen), seen.geometry)


def without(effect: Effect, late: tuple[str, ...]) -> Effect:
    """An effect as it is before some of its settings matter."""
    if not late:
        return effect
    plain = {field.name: field.default for field in structs.fields(type(effect))}
    return structs.replace(effect, **{name: plain[name] for name in late})


def places(effect: Effect, before: Stage[Geometry], context: EvaluationContext) -> Geometry:
    """What an effect asks strengths for."""
    with said_for(effect.label):
        return effect.places(before.value, context)


def prepared(effect: Effect, before: Stage[Geometry], strength: Values, context: EvaluationContext) -> Any:
    """What an effect prepares."""
    with said_for(effect.label):
        check_strength(strength.value, _strengths_of(effect, before.value, context))
        return effect.prepare(before.value, strength.value, context)


def applied(effect: Effect, geometry: Geometry, strength: Values, context: EvaluationContext, each: bool) -> Geometry:
    """The geometry behind an effect, on what it acts on."""
    with said_for(effect.label):
        domain = context.domain
        if not geometry.count(domain):
            return geometry
        check_strength(strength.value, _strengths_of(effect, geometry, context))
        context.check_strengths(geometry.count(domain))
        if domain is Domain.POINT or not effect.carries:
            return checked_geometry(effect.apply(geometry, strength.value, context), geometry)

        def places(elements: Geometry, own: Floats) -> Floats:
            return checked_geometry(effect.apply(elements, own, context), elements).points

        return checked_geometry(carried(geometry, domain, each, effect.carries, strength.value, places), geometry)


def _strengths_of(effect: Effect, geometry: Geometry, context: EvaluationContext) -> int:
    """How many strengths an effect gets."""
    return len(context.places.points) if effect.asks_places else geometry.count(context.domain)


def assembled(source: ShapeSource, context: EvaluationContext) -> Geometry:
    """What a shape is made from, by a kind that refers to other things."""
    with said_for(source.label):
        return checked_source(source.assemble(context))


def built(source: ShapeSource, arrays: Mapping[str, NDArray[Any]]) -> Geometry:
    """What a shape is made from, by a kind that needs nothing else."""
    return checked_source(source.build(arrays))


def empty() -> Geometry:
    """A mesh of nothing."""
    none: Indices = np.zeros(0, np.int32)
    return Geometry(np.zeros((0, 3), np.float32), Topology(none, np.zeros(1, np.int32), 0))
