"""From a scene on a frame to stages: what each shape goes through, and what each falloff measures on the way."""

from collections.abc import Callable, Hashable
from functools import cache
from operator import attrgetter
from typing import Any, NamedTuple

import numpy as np
from msgspec import Struct

from estompe.document.formula import PER_ELEMENT, FormulaError, names_in, parse
from estompe.document.kinds import (
    EVERYTHING,
    CannotEvaluateError,
    Effect,
    Kind,
    ShapeSource,
    Source,
    UndeclaredError,
)
from estompe.document.pictures import numbered, stamp
from estompe.document.references import REFERENCES
from estompe.document.scene import EffectSlot, Falloff, Layer, Ramp, Range, Route, Shape, Transform
from estompe.document.settings import settings_of
from estompe.document.transforms import matrix_of
from estompe.evaluate.checked import checked_geometry, checked_values
from estompe.evaluate.context import EvaluationContext
from estompe.evaluate.dependencies import Node, dependencies_of
from estompe.evaluate.lookup import SceneAtFrame
from estompe.evaluate.problems import Problems
from estompe.evaluate.schedule import Schedule, described, said_for
from estompe.evaluate.stage import Stage
from estompe.evaluate.state import State, Values
from estompe.falloffs.joining import join_layers, join_routes, strengths
from estompe.falloffs.ramp import positions, remapped, remapping
from estompe.geometry import DOMAINS, Domain, Geometry, Topology
from estompe.geometry.carrying import carried
from estompe.geometry.copies import Copies
from estompe.geometry.elements import Elements
from estompe.geometry.transforms import Matrix
from estompe.kernels.ramp import remap
from estompe.kernels.types import Floats, Indices

_VALUE = attrgetter("made")
IDENTITY = Transform()
_SAME = np.eye(4)[:3]
_TIMES = {("frame",), ("seconds",)}
Found = dict[tuple[str, Any], Any]


class Stack(Struct, frozen=True):
    """A falloff's enabled layers on a state: what each measures, its values through a range of its own, and their key."""

    falloff: Falloff
    state: State
    layers: list[Layer]
    measured: list[Values]
    values: list[Values]
    made_from: Hashable


class EffectChain(NamedTuple):
    """A shape's enabled effects, each with the state it is given, and the state after all of them."""

    steps: list[tuple[EffectSlot, State]]
    last: State

    @property
    def first(self) -> State:
        """The state before all effects."""
        return self.steps[0][1] if self.steps else self.last


class Graph:
    """Plans stages and their keys; runs nothing. stamps: the states of the picture files that were looked at.

    first_moment: an effect's strength on the first frame of the shot, by the shape's and the effect's id; None on that frame.
    """

    def __init__(
        self,
        parts: SceneAtFrame,
        schedule: Schedule,
        problems: Problems,
        first_moment: Callable[[str, str], Values | None] = lambda _shape, _slot: None,
    ) -> None:
        self._parts, self._schedule, self._problems = parts, schedule, problems
        self._first_moment = first_moment
        self._depends = dependencies_of(parts.project.scene)
        self.stamps: dict[str, Hashable] = {}
        self._attempt = 0
        self._chains: dict[str, EffectChain] = {}
        self._strengths: dict[tuple[str, int], Values] = {}
        self._others: dict[tuple[int, Domain], State] = {}

    def _follow_attempt(self) -> None:
        """Let go of what was planned in an attempt that was discarded."""
        if self._attempt != self._schedule.attempt:
            self._attempt = self._schedule.attempt
            self._chains.clear()
            self._strengths.clear()
            self._others.clear()

    # Shapes

    def chains(self) -> dict[str, EffectChain]:
        """What each shape goes through, by the shape's id."""
        return {shape.id: self.chain(shape) for shape in self._parts.scene.shapes}

    def chain(self, shape: Shape) -> EffectChain:
        """What a resolved shape goes through; shapes that it depends on come first, so that this needs no deep recursion."""
        self._follow_attempt()
        if shape.id not in self._chains:
            for other in self._depends.shapes:
                if other == shape.id:
                    break
                if other not in self._chains:
                    self._chains[other] = self._through_effects(self._parts.shape(other))
            self._chains[shape.id] = self._through_effects(shape)
        return self._chains[shape.id]

    def _through_effects(self, shape: Shape) -> EffectChain:
        state = self.placed(shape)
        steps = []
        for slot in shape.effects:
            if slot.enabled:
                steps.append((slot, state))
                state = self._after(shape, slot, state)
        return EffectChain(steps, state)

    def placed(self, shape: Shape) -> State:
        """A shape before its effects, where it stands. Nothing, and a problem, where its mesh cannot be had."""
        matrix = matrix_of(shape.transform)
        try:
            source = self._source(shape, matrix)
        except (CannotEvaluateError, UndeclaredError) as error:
            self._problems.add(("shapes", shape.id), str(error))
            source = self._schedule.stage("source", "nothing", _empty)
        state = State(source, dict.fromkeys(EVERYTHING, source.token), matrix, shape.color)
        if shape.transform == IDENTITY:
            return state
        placed = self._schedule.stage(
            "transform", (source.token, shape.transform), lambda: source.value.transformed(matrix)
        )
        return state.after(placed, ("points", "normals"))

    def _source(self, shape: Shape, matrix: Matrix) -> Stage[Geometry]:
        """What a shape is made from; a kind that refers to other things is made anew when they change."""
        source, assets = shape.source, self._parts.project.assets
        if not source.assembles():
            build = source.build
            return self._schedule.stage("source", source, lambda: build(assets))
        nothing = self._schedule.stage("source", "nothing", _empty)
        bare = State(nothing, dict.fromkeys(EVERYTHING, nothing.token), matrix, shape.color)
        key, found, read = self._looked_at(source, bare, ("shape", shape.id))
        clock = source.clock(self._parts.seconds, self._parts.frame)
        context = EvaluationContext(clock, found, read, assets)
        return self._schedule.stage("source", (source, clock, key), lambda: _assembled(source, context))

    def _after(self, shape: Shape, slot: EffectSlot, state: State) -> State:
        effect: Effect = slot.effect
        domain = domain_of(slot)
        try:
            if effect.is_identity():
                return state
            at_start = self._first_moment(shape.id, slot.id) if effect.at_start else None
            strength = at_start or self._effect_strength(shape, slot, self.on(state, domain))
            clock = effect.clock(self._parts.seconds, self._parts.frame)
            key, found, read = self._looked_at(effect, state, ("shape", shape.id))
            read["matrix"] = state.matrix
            each = slot.each and effect.own_axes and domain is not Domain.POINT
            if each:
                read["matrix"] = _SAME
            context = EvaluationContext(clock, found, read, self._parts.project.assets, domain)
            before = state.stage
            made = self._schedule.stage(
                "effect",
                (effect, clock, key, before.token, strength.token, shape.transform, domain, each),
                lambda: _applied(effect, before.value, strength, context, each),
            )
            return state.after(made, effect.alters)
        except (CannotEvaluateError, UndeclaredError) as error:
            self._problems.add(("shapes", shape.id, "effects", slot.id), f"{effect.label}: {error}")
        except Exception as error:  # a kind may raise anything while it is asked what it needs
            text = described(error, effect.label)
            self._problems.add(("shapes", shape.id, "effects", slot.id), f"{effect.label}: {text}")
        return state

    def on(self, state: State, domain: Domain) -> State:
        """A state with strengths asked for some kind of element; the same one each time."""
        if domain is state.domain:
            return state
        if domain is Domain.POINT:
            return state
        key = state.number, domain
        if key not in self._others:
            self._others[key] = state.on(domain)
        return self._others[key]

    def slot_strength(self, shape_id: str, slot_id: str) -> Values:
        """The strength of one of a shape's effects on what it acts on. Raises CannotEvaluateError."""
        shape = self._parts.shape(shape_id)
        for slot, state in self.chain(shape).steps:
            if slot.id == slot_id:
                return self._effect_strength(shape, slot, self.on(state, domain_of(slot)))
        raise CannotEvaluateError("it is switched off on the first frame")

    def _effect_strength(self, shape: Shape, slot: EffectSlot, state: State) -> Values:
        routes: list[Route] = []
        found: list[Values] = []
        for index, route in enumerate(slot.routes):
            try:
                found.append(self.strength(route.falloff, state))
                routes.append(route)
            except CannotEvaluateError as error:
                path = ("shapes", shape.id, "effects", slot.id, "routes", index)
                self._problems.add(path, f"{slot.effect.label}: {error}")
        if not routes:
            return self._filled(0.0 if slot.routes else 1.0, state)
        if len(routes) == 1 and routes[0].amount == 1.0 and not routes[0].one_minus:
            return found[0]
        return self._schedule.stage(
            "route",
            tuple((route, own.token) for route, own in zip(routes, found, strict=True)),
            lambda: join_routes(routes, list(map(_VALUE, found))),
        )

    # Falloffs

    def strength(self, falloff: str, state: State) -> Values:
        """A falloff's strength on a state's points. Raises CannotEvaluateError where it is missing."""
        self._follow_attempt()
        known = self._strengths.get((falloff, state.number))
        if known is None:
            for other in self._depends.inner.get(falloff, ()):
                if (other, state.number) not in self._strengths:
                    self._strengths[other, state.number] = self._strength(other, state)
            known = self._strengths[falloff, state.number] = self._strength(falloff, state)
        return known

    def _strength(self, falloff: str, state: State) -> Values:
        return self.through_ramp(self.stack(self._parts.falloff(falloff), state))

    def through_ramp(self, stack: Stack) -> Values:
        """The strength that a falloff's layers give."""
        falloff, layers, values = stack.falloff, stack.layers, stack.values
        key = stack.made_from, falloff.range, falloff.ramp, falloff.signed
        how = remapping(falloff.range, falloff.ramp, falloff.signed)
        # Whoever drags a ramp looks at the falloff and has its joined values: to remap them is half the work, for the same bits.
        joined = self._schedule.held("join", stack.made_from) if values else self._filled(0.0, stack.state)
        if joined is not None:
            ready = joined
            return self._schedule.stage("strength", key, lambda: remap(ready.value, *how))
        return self._schedule.stage("strength", key, lambda: strengths(layers, list(map(_VALUE, values)), how))

    def joined(self, stack: Stack) -> Values:
        """The joined layers of a falloff, before its range and ramp."""
        layers, values = stack.layers, stack.values
        if not values:
            return self._filled(0.0, stack.state)
        if len(values) == 1 and not layers[0].one_minus:
            return values[0]
        return self._schedule.stage("join", stack.made_from, lambda: join_layers(layers, list(map(_VALUE, values))))

    def positions(self, stack: Stack) -> Values:
        """Where a falloff's joined values lie in its range."""
        joined, within = self.joined(stack), stack.falloff.range
        return self._schedule.stage("positions", (joined.token, within), lambda: positions(joined.value, within))

    def stack(self, falloff: Falloff, state: State) -> Stack:
        """A falloff's enabled layers with what each measures."""
        layers, measured, values, parts = [], [], [], []
        for layer in falloff.layers:
            if layer.enabled:
                own = self._measured(falloff, layer, state)
                layers.append(layer)
                measured.append(own)
                if layer.range is not None and layer.ramp is not None:
                    own = self._remapped(own, layer.range, layer.ramp)
                values.append(own)
                parts.append((layer.join, layer.one_minus, own.token))
        made_from = tuple(parts) or ("none", state.tokens["topology"], state.domain)
        return Stack(falloff, state, layers, measured, values, made_from)

    def _remapped(self, measured: Values, within: Range, ramp: Ramp) -> Values:
        """A layer's values through a range and ramp of its own."""
        key = measured.token, within, ramp
        return self._schedule.stage("layer", key, lambda: remapped(measured.value, within, ramp, signed=False))

    def _measured(self, falloff: Falloff, layer: Layer, state: State) -> Values:
        """What a layer's source measures; zeros, and a problem, where it cannot."""
        source: Source = layer.source
        try:
            clock = source.clock(self._parts.seconds, self._parts.frame)
            key, found, read = self._looked_at(source, state, ("falloff", falloff.id))
            context = EvaluationContext(clock, found, read, self._parts.project.assets, state.domain)
            before = state.stage
            if state.domain is not Domain.POINT:
                # Where faces and pieces are, and what is next to them, lies in the topology, too.
                key = key, state.domain, state.tokens["topology"], state.tokens["rest"]
            return self._schedule.stage(
                "measure", (source, clock, key), lambda: _measured(source, before.value, context)
            )
        except (CannotEvaluateError, UndeclaredError) as error:
            text = str(error)
        except Exception as error:  # a kind may raise anything while it is asked what it needs
            text = described(error, source.label)
        self._problems.add(("falloffs", falloff.id, "layers", layer.id), f"{source.label}: {text}")
        return self._filled(0.0, state)

    def _filled(self, value: float, state: State) -> Values:
        """One value on all of a state's points."""
        made_from, domain = (value, state.tokens["topology"], state.domain), state.domain
        return self._schedule.stage(
            "filled", made_from, lambda: np.full(state.geometry.count(domain), value, np.float32)
        )

    # What kinds look at

    def _looked_at(self, kind: Kind, state: State, owner: Node) -> tuple[Hashable, Found, dict[str, Any]]:
        """What the arrays that a kind reads and the parts that it names are now: as a key, and as values to hand out."""
        tokens = state.tokens
        parts: list[Hashable] = []
        read: dict[str, Any] = {}
        for name in kind.reads():
            if name in tokens:
                parts.append(tokens[name])
            else:
                read[name] = value = self._beside(name, state)
                parts.append(value if name != "matrix" else value.tobytes())
        found: Found = {}
        for family, setting in _references(type(kind)):
            value = getattr(kind, setting)
            for name in value if isinstance(value, tuple) else (value,):
                parts.append(self._reference(family, name, state, owner, found) if name else name)
        return tuple(parts), found, read

    def _beside(self, name: str, state: State) -> Any:
        """What decides a result and is no array."""
        if name == "camera":
            return self._parts.camera
        if name == "color":
            return state.color
        if name == "matrix":
            return state.matrix
        raise UndeclaredError(f"“{name}” in its reads() is not something to read: its kind has a mistake")

    def _reference(self, family: str, name: str, state: State, owner: Node, found: Found) -> Hashable:
        """Look up what a setting names, so that it is at hand when the stage runs. Returns what decides about it."""
        if family in ("control", "path"):
            control = self._parts.control(name)
            found["control", name] = self._parts.placed(name)
            return control.form, control.transform, control.points
        if family == "falloff":
            self._check_circle(owner, (family, name), "it refers back to itself: choose another falloff")
            found[family, name] = strength = self.strength(name, state)
            return strength.token
        if family == "shape":
            shape = self._parts.shape(name)
            words = f"it looks at “{shape.name}”, which in turn depends on it: choose another"
            self._check_circle(owner, (family, name), words)
            found[family, name] = last = self.chain(shape).last.stage
            found["matrix", name], found["color", name] = matrix_of(shape.transform), shape.color
            return last.token, shape.transform, shape.color
        if family == "effect":
            found[family, name] = effect = self._parts.effect(name)
            return effect
        if family == "picture":
            return self._picture(name)
        return self._numbers_in(name, found)

    def _check_circle(self, owner: Node, named: Node, words: str) -> None:
        if (owner, named) in self._depends.broken:
            raise CannotEvaluateError(words)

    def _picture(self, pattern: str) -> Hashable:
        name = numbered(pattern, self._parts.frame)
        self.stamps[name] = None
        self.stamps[name] = found = stamp(name)
        return found

    def _numbers_in(self, text: str, found: Found) -> Hashable:
        """The values of the scene's numbers that a formula per element uses."""
        try:
            names = sorted(names_in(parse(text)) - (PER_ELEMENT - _TIMES))
            values = tuple((parts, self._parts.number(parts)) for parts in names)
        except (FormulaError, LookupError) as error:
            raise CannotEvaluateError(f"“{text[:40]}”: {error}") from None
        found.update({("number", parts): value for parts, value in values})
        return values


def _measured(source: Source, geometry: Geometry, context: EvaluationContext) -> Any:
    with said_for(source.label):
        elements = Elements(geometry, source.reads(), UndeclaredError, context.domain)
        return checked_values(source, source.measure(elements, context), len(elements))


def _applied(effect: Effect, geometry: Geometry, strength: Values, context: EvaluationContext, each: bool) -> Geometry:
    with said_for(effect.label):
        domain = context.domain
        if not geometry.count(domain):
            return geometry
        if domain is Domain.POINT or not effect.carries:
            return checked_geometry(effect, effect.apply(geometry, strength.value, context), geometry)

        def places(elements: Geometry, own: Floats) -> Floats:
            return checked_geometry(effect, effect.apply(elements, own, context), elements).points

        made = carried(geometry, domain, each, effect.carries, strength.value, places)
        return made if isinstance(made, Copies) else checked_geometry(effect, made, geometry)


def _assembled(source: ShapeSource, context: EvaluationContext) -> Geometry:
    with said_for(source.label):
        return source.assemble(context)


def domain_of(slot: EffectSlot) -> Domain:
    """The kind of element an effect acts on: points where it cannot act on what was chosen."""
    able = slot.effect.able()
    return DOMAINS[slot.acts_on if slot.acts_on in able else able[0]]


@cache
def _references(kind: type[Kind]) -> tuple[tuple[str, str], ...]:
    """The settings of a kind that name other things: the family, and the setting's name."""
    found = []
    for rule in settings_of(kind):
        family = rule.refers or rule.editor
        if family in REFERENCES or family in ("picture", "formula"):
            found.append((family, rule.name))
    return tuple(found)


def _empty() -> Geometry:
    none: Indices = np.zeros(0, np.int32)
    return Geometry(np.zeros((0, 3), np.float32), Topology(none, np.zeros(1, np.int32), 0))
