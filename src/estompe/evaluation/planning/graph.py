"""From a scene on a frame to stages: what each shape goes through."""

from collections.abc import Hashable, Iterator
from functools import partial
from operator import attrgetter
from typing import Any, NamedTuple
from weakref import proxy

import numpy as np

from estompe.document.scene import EffectSlot, Route, Shape, Transform
from estompe.document.transforms import matrix_of
from estompe.evaluation.planning import computing
from estompe.evaluation.planning.context import EvaluationContext
from estompe.evaluation.planning.dependencies import dependencies_of
from estompe.evaluation.planning.following import portable
from estompe.evaluation.planning.looking import Found
from estompe.evaluation.planning.lookup import SceneAtFrame
from estompe.evaluation.planning.measuring import Measuring
from estompe.evaluation.planning.others import Others, Place, Sight
from estompe.evaluation.planning.pace import timed
from estompe.evaluation.planning.phases import paced
from estompe.evaluation.planning.problems import Problems
from estompe.evaluation.planning.state import State, Values
from estompe.evaluation.running.schedule import Schedule, described
from estompe.evaluation.running.stage import Stage
from estompe.falloffs.joining import join_margins, join_routes, neutral_routes
from estompe.geometry import DOMAINS, Domain, Geometry
from estompe.geometry.transforms import Matrix
from estompe.kinds.context import CannotEvaluateError, UndeclaredError
from estompe.kinds.kind import EVERYTHING, Effect
from estompe.kinds.numbers import plain
from estompe.kinds.remembering import RememberingEffect

_VALUE = attrgetter("made")
IDENTITY = Transform()
_SAME = np.eye(4)[:3]


class EffectChain(NamedTuple):
    """A shape's enabled effects, each with the state it is given, and the state after all of them."""

    steps: list[tuple[EffectSlot, State]]
    last: State

    @property
    def first(self) -> State:
        """The state before all effects."""
        return self.steps[0][1] if self.steps else self.last


class _View(NamedTuple):
    """What an effect sees besides places and strengths: what decides it, and what it is handed."""

    effect: Effect
    made_from: tuple[Hashable, ...]
    found: Found
    read: dict[str, Any]
    context: EvaluationContext


class _Course:
    """A shape on its way through its effects, as far as somebody asked: bare, the effects it still comes to, and its states."""

    __slots__ = ("bare", "slots", "states", "steps")

    def __init__(self, bare: Shape, slots: Iterator[EffectSlot], placed: State) -> None:
        self.bare, self.slots = bare, slots
        self.states = [placed]
        self.steps: list[tuple[EffectSlot, State]] = []


class Graph:
    """Plans stages of shapes and their keys; runs nothing. others: what is asked about other moments of the same scene.

    measuring: plans those of falloffs.
    """

    def __init__(self, parts: SceneAtFrame, schedule: Schedule, problems: Problems, others: Others) -> None:
        self._parts, self._schedule, self._problems, self._others = parts, schedule, problems, others
        self._depends = dependencies_of(parts.project.scene)
        # Weak, since the measuring belongs to the graph: circles wait for the collector with all their arrays.
        self.measuring = Measuring(parts, schedule, problems, others, self._depends, proxy(self))
        self._looking = self.measuring.looking
        self._attempt = 0
        self._courses: dict[str, _Course] = {}
        self._chains: dict[str, EffectChain] = {}
        self._elsewhere: dict[tuple[int, Domain], State] = {}

    @property
    def stamps(self) -> dict[str, Hashable]:
        """The states of the picture files that were looked at."""
        return self._looking.stamps

    def _follow_attempt(self) -> None:
        """Let go of what was planned in an attempt that was discarded."""
        if self._attempt != self._schedule.attempt:
            self._attempt = self._schedule.attempt
            self._courses.clear()
            self._chains.clear()
            self._elsewhere.clear()

    def chains(self) -> dict[str, EffectChain]:
        """What each shape goes through, by the shape's id."""
        return {shape.id: self.chain(shape.id) for shape in self._parts.scene.shapes}

    def chain(self, shape: str) -> EffectChain:
        """What a shape goes through; shapes that it depends on come first, so that this needs no deep recursion."""
        self._follow_attempt()
        if shape not in self._chains:
            for other in self._depends.before[shape]:
                if other not in self._chains:
                    self._chains[other] = self._to_the_end(other)
            self._chains[shape] = self._to_the_end(shape)
        return self._chains[shape]

    def finished(self, shape: Shape) -> Stage[Geometry]:
        """A shape after all its effects."""
        return self.chain(shape.id).last.stage

    def before_effects(self, shape: str) -> State:
        """Where formulas measure falloffs on a shape: its elements before its effects. Raises CannotEvaluateError."""
        bare = self._parts.bare_shape(shape)
        state = self.placed(bare)
        return self.on(state, Domain.PIECE) if bare.source.makes_copies else state

    def state_at(self, shape: str, index: int) -> State:
        """A shape after so many of its enabled effects; nothing behind them is looked at. Raises CannotEvaluateError."""
        self._follow_attempt()
        course = self._course(shape)
        while len(course.states) <= index:
            if not self._go_on(course):
                raise CannotEvaluateError("the shape has fewer effects than before")
        return course.states[index]

    def place_of(self, at: tuple[str, int], asked_by: str) -> State:
        """What `State.at` and `State.asked_by` stand for on this moment. Raises CannotEvaluateError."""
        state = self.state_at(*at)
        if not asked_by:
            return state
        slot: EffectSlot = self._parts.slot(at[0], asked_by)
        # Places do not depend on strengths, which may be measured on this very moment and ask for the places again.
        view = self._view(self._course(at[0]).bare, slot, state)
        return state.asked(self._places(slot, state, view), asked_by)

    def _course(self, shape: str) -> _Course:
        if shape not in self._courses:
            bare = self._parts.bare_shape(shape)
            self._courses[shape] = _Course(bare, self._parts.enabled_slots(shape), self.placed(bare))
        return self._courses[shape]

    def _to_the_end(self, shape: str) -> EffectChain:
        """A shape as it is seen: on a time of its own, if it has one."""
        frame = self._parts.own_time(shape)
        if frame is None or frame == self._parts.frame:
            return self.chain_now(shape)
        chain: EffectChain = self._others.chain_on(self._schedule, self._problems, frame, shape)
        return chain

    def chain_now(self, shape: str) -> EffectChain:
        """What a shape goes through on this very frame, whatever time of its own it has."""
        course = self._course(shape)
        while self._go_on(course):
            pass
        return EffectChain(course.steps, course.states[-1])

    def _go_on(self, course: _Course) -> bool:
        """Go through the next effect, if there is one."""
        slot = next(course.slots, None)
        if slot is None:
            return False
        state = course.states[-1]
        course.steps.append((slot, state))
        course.states.append(self._after(course.bare, slot, state))
        return True

    def placed(self, shape: Shape) -> State:
        """A shape before its effects, where it stands. Nothing, and a problem, where its mesh cannot be had."""
        matrix = matrix_of(shape.transform)
        try:
            source = self._source(shape, matrix)
        except (CannotEvaluateError, UndeclaredError) as error:
            self._problems.add(("shapes", shape.id), str(error))
            source = self._schedule.stage("source", "nothing", computing.empty)
        state = State(source, dict.fromkeys(EVERYTHING, source.token), matrix, shape.color, (shape.id, 0))
        if shape.source.animated:
            state = self._steadied(shape, state)
        if shape.transform == IDENTITY:
            return state
        placed = self._schedule.stage(
            "transform", (source.token, shape.transform), lambda: source.value.transformed(matrix)
        )
        return state.placed(placed)

    def _steadied(self, shape: Shape, state: State) -> State:
        """The state of an animated shape: what stays the same from frame to frame has the same tokens on each."""
        try:
            key, found, read = self._looking.at(shape.source, state, ("shape", shape.id))
            context = EvaluationContext(0.0, found, read, self._parts.project.assets)
            moving = shape.source.moving(context)
        except (CannotEvaluateError, UndeclaredError):
            return state  # the problem stands at its source already
        still = self._schedule.stage("still", (portable(shape.source), key), lambda: state.stage.value)
        tokens = {name: state.stage.token if name in moving else still.token for name in state.tokens}
        return State(state.stage, tokens, state.matrix, state.color, state.at)

    def _source(self, shape: Shape, matrix: Matrix) -> Stage[Geometry]:
        """What a shape is made from; a kind that refers to other things is made anew when they change."""
        source, assets = shape.source, self._parts.project.assets
        if not source.assembles():
            return self._schedule.stage("source", source, lambda: computing.built(source, assets))
        nothing = self._schedule.stage("source", "nothing", computing.empty)
        bare = State(nothing, dict.fromkeys(EVERYTHING, nothing.token), matrix, shape.color)
        key, found, read = self._looking.at(source, bare, ("shape", shape.id))
        source, clock = paced(source, ("shapes", shape.id, "source"), self._parts, self._others.phases)
        context = EvaluationContext(clock, found, read, assets)
        made_from = portable(source), clock, key
        return self._schedule.stage("source", made_from, lambda: computing.assembled(source, context))

    def _after(self, shape: Shape, slot: EffectSlot, state: State) -> State:
        effect: Effect = slot.effect
        try:
            if isinstance(effect, RememberingEffect):
                return self._remembered(shape, slot, effect, state)
            if effect.is_identity():
                return state.passed_on()
            asked = self.on(state, domain_of(slot))
            at_start = (
                self._others.at_start(self._schedule, self._parts.frame, slot.id, asked) if effect.at_start else None
            )
            made = self._applied(shape, slot, state, at_start)
            for _ in range(effect.repeats() - 1):
                made = self._applied(shape, slot, state.between(made, effect.alters), at_start)
            return state.after(made, effect.alters)
        except (CannotEvaluateError, UndeclaredError) as error:
            self._problems.add(("shapes", shape.id, "effects", slot.id), f"{effect.label}: {error}")
        except Exception as error:  # a kind may raise anything while it is asked what it needs
            text = described(error, effect.label)
            self._problems.add(("shapes", shape.id, "effects", slot.id), f"{effect.label}: {text}")
        return state.passed_on()

    def _applied(self, shape: Shape, slot: EffectSlot, state: State, at_start: Values | None) -> Stage[Geometry]:
        """The stage of an effect on a state. Raises CannotEvaluateError."""
        sight = self._effect_sight(shape, slot, state, at_start)
        before, strength, context, effect = sight.stage, sight.strength, sight.context, sight.kind
        assert strength is not None
        each = self._is_each(slot)

        def apply() -> Geometry:
            return computing.applied(effect, before.value, strength, context, each)

        if not effect.asks_places:
            return self._schedule.stage("effect", sight.made_from, apply)
        return self._schedule.stage("effect", sight.made_from, lambda: timed(slot.id, "effect", apply))

    def _is_each(self, slot: EffectSlot) -> bool:
        return slot.each and slot.effect.own_axes and domain_of(slot) is not Domain.POINT

    def _effect_sight(self, shape: Shape, slot: EffectSlot, state: State, at_start: Values | None = None) -> Sight:
        """What an effect sees. Raises CannotEvaluateError."""
        effect = slot.effect
        strength = at_start
        if strength is None and not effect.asks_places:
            strength = self._effect_strength(shape, slot, self.on(state, domain_of(slot)))
        view = self._view(shape, slot, state)
        effect, made_from, found, read, context = view
        if effect.asks_places:
            places = self._places(slot, state, view)
            asked, found["stage", "places"] = state.asked(places, slot.id), places
            if strength is None:
                strength = self._effect_strength(shape, slot, asked)
            made_from = *made_from, places.token
            if "margin" in read:
                read["margin"] = margin = self._margin(slot, asked)
                made_from = *made_from, margin.token
            if effect.prepares:
                early = *self._early(view), places.token, strength.token
                prepare = partial(computing.prepared, effect, state.stage, strength, context)
                prepared = self._schedule.stage("prepare", early, lambda: timed(slot.id, "prepare", prepare))
                found["stage", "prepared"] = prepared
                made_from = *made_from, prepared.token
        if "neutral" in read:
            read["neutral"] = neutral = self._neutral(slot, self.on(state, domain_of(slot)))
            made_from = *made_from, neutral.token
        assert strength is not None
        return Sight(effect, (*made_from, strength.token), state.stage, strength, context)

    def _view(self, shape: Shape, slot: EffectSlot, state: State) -> "_View":
        """What an effect sees besides places and strengths. Raises CannotEvaluateError."""
        domain, each = domain_of(slot), self._is_each(slot)
        path = "shapes", shape.id, "effects", slot.id, "effect"
        effect, clock = paced(slot.effect, path, self._parts, self._others.phases)
        beside: dict[str, Any] = {"neutral": None}
        if effect.asks_places:
            beside |= {"margin": None, "detail": self.detail(slot)}
        key, found, read = self._looking.at(effect, state, ("shape", shape.id), beside)
        read["matrix"] = _SAME if each else state.matrix
        context = EvaluationContext(clock, found, read, self._parts.project.assets, domain, self._schedule.go_on)
        made_from = effect, clock, key, state.stage.token, shape.transform, domain, each
        return _View(effect, made_from, found, read, context)

    def _places(self, slot: EffectSlot, state: State, view: "_View") -> Stage[Geometry]:
        """What an effect asks strengths for."""
        find = partial(computing.places, view.effect, state.stage, view.context)
        return self._schedule.stage("places", self._early(view), lambda: timed(slot.id, "places", find))

    @staticmethod
    def _early(view: "_View") -> tuple[Hashable, ...]:
        return computing.without(view.effect, view.effect.late), *view.made_from[1:]

    def detail(self, slot: EffectSlot) -> float | None:
        """The finest detail of the falloffs that feed an effect."""
        found = []
        for route in slot.routes:
            for layer in self._parts.falloff(route.falloff).layers:
                detail = layer.source.detail() if layer.enabled else None
                if detail is not None and detail > 0.0:
                    found.append(detail)
        return min(found, default=None)

    def _margin(self, slot: EffectSlot, state: State) -> Values:
        """How far within the reach of an effect's falloffs elements are, in their unit."""
        stacks = [(route, self.measuring.stack(self._parts.falloff(route.falloff), state)) for route in slot.routes]
        if not stacks:
            return self.measuring.filled(1e9, state)
        found = [(route, stack.falloff.range, self.measuring.positions(stack)) for route, stack in stacks]
        key = tuple((route, within, values.token) for route, within, values in found)
        return self._schedule.stage(
            "margin", key, lambda: join_margins([(route, within, values.value) for route, within, values in found])
        )

    def _neutral(self, slot: EffectSlot, state: State) -> Values:
        """The strength of an effect that moves nothing. Raises CannotEvaluateError."""
        middle = plain(getattr(slot.effect, slot.effect.middle_setting))
        found = [self.measuring.strength(route.falloff, state) for route in slot.routes]
        if len(found) < 2:
            return self.measuring.filled(middle, state)
        routes = slot.routes
        key = middle, tuple((route, own.token) for route, own in zip(routes, found, strict=True))
        return self._schedule.stage("neutral", key, lambda: neutral_routes(routes, list(map(_VALUE, found)), middle))

    def _remembered(self, shape: Shape, slot: EffectSlot, effect: RememberingEffect, state: State) -> State:
        """The state behind an effect with memory."""
        sight = self._effect_sight(shape, slot, state)
        place = Place(*state.at, domain_of(slot), "", slot.id)
        link = self._others.linked(self._schedule, self._parts.frame, place, sight)
        made = self._schedule.stage(
            "effect", (sight.made_from, link.token), lambda: computing.shown(effect, link.value.state, sight.seen())
        )
        return state.after(made, effect.alters)

    def on(self, state: State, domain: Domain) -> State:
        """A state with strengths asked for some kind of element; the same one each time."""
        if domain is state.domain:
            return state
        if domain is Domain.POINT:
            return state
        key = state.number, domain
        if key not in self._elsewhere:
            self._elsewhere[key] = state.on(domain)
        return self._elsewhere[key]

    def slot_strength(self, shape_id: str, slot_id: str) -> Values:
        """The strength of one of a shape's effects on what it acts on. Raises CannotEvaluateError."""
        self._follow_attempt()
        course = self._course(shape_id)
        while self._go_on(course):
            slot, state = course.steps[-1]
            if slot.id == slot_id:
                break
        for slot, state in course.steps:
            if slot.id == slot_id:
                return self._effect_strength(course.bare, slot, self.on(state, domain_of(slot)))
        raise CannotEvaluateError("it is switched off on the first frame")

    def _effect_strength(self, shape: Shape, slot: EffectSlot, state: State) -> Values:
        routes: list[Route] = []
        found: list[Values] = []
        for index, route in enumerate(slot.routes):
            try:
                found.append(self.measuring.strength(route.falloff, state))
                routes.append(route)
            except CannotEvaluateError as error:
                path = ("shapes", shape.id, "effects", slot.id, "routes", index)
                self._problems.add(path, f"{slot.effect.label}: {error}")
        if not routes:
            return self.measuring.filled(0.0 if slot.routes else 1.0, state)
        if len(routes) == 1 and routes[0].amount == 1.0 and not routes[0].one_minus:
            return found[0]
        return self._schedule.stage(
            "route",
            tuple((route, own.token) for route, own in zip(routes, found, strict=True)),
            lambda: join_routes(routes, list(map(_VALUE, found))),
        )

    def sight(self, place: Place) -> Sight:
        """What a kind with memory sees at its place on this moment. Raises CannotEvaluateError."""
        state = self.place_of((place.shape, place.effects_before), place.asked_by)
        if place.falloff:
            falloff = self._parts.falloff(place.falloff)
            layer = next(layer for layer in falloff.layers if layer.id == place.own)
            return self.measuring.source_sight(falloff, layer, self.on(state, place.domain))
        slot = self._parts.slot(place.shape, place.own)
        return self._effect_sight(self._course(place.shape).bare, slot, state)


def domain_of(slot: EffectSlot) -> Domain:
    """The kind of element an effect acts on: points where it cannot act on what was chosen."""
    able = slot.effect.able()
    return DOMAINS[slot.acts_on if slot.acts_on in able else able[0]]
