"""Planning what shapes go through: what they are made from, and their effects one after the other."""

from collections.abc import Iterator
from typing import Any, NamedTuple

import numpy as np

from estompe.document.scene import EffectSlot, Route, Shape, Transform
from estompe.document.transforms import matrix_of
from estompe.evaluation.planning import computing
from estompe.evaluation.planning.falloffs import FalloffPlanner
from estompe.evaluation.planning.following import portable
from estompe.evaluation.planning.inputs import Declared, View
from estompe.evaluation.planning.others import Place
from estompe.evaluation.planning.state import State, Values
from estompe.evaluation.running.node import Keyed, Node, Several, Unkeyed
from estompe.evaluation.running.schedule import described
from estompe.geometry import DOMAINS, Domain, Geometry
from estompe.geometry.transforms import Matrix
from estompe.kinds.context import CannotEvaluateError, UndeclaredError
from estompe.kinds.kind import EVERYTHING, Effect
from estompe.kinds.numbers import plain
from estompe.kinds.remembering import RememberingEffect

IDENTITY = Transform()
_OWN_SPACE = Keyed(np.eye(4)[:3], "own")
"""The matrix that an effect gets where it acts on each element by itself."""


class EffectChain(NamedTuple):
    """A shape's enabled effects, each with the state it is given, and the state after all of them."""

    steps: list[tuple[EffectSlot, State]]
    last: State

    @property
    def first(self) -> State:
        """The state before all effects."""
        return self.steps[0][1] if self.steps else self.last


class _Course:
    """A shape's effect chain, planned as far as it was asked for: the bare shape, the effects still to come, and its states."""

    __slots__ = ("bare", "slots", "states", "steps")

    def __init__(self, bare: Shape, slots: Iterator[EffectSlot], placed: State) -> None:
        self.bare, self.slots = bare, slots
        self.states = [placed]
        self.steps: list[tuple[EffectSlot, State]] = []


class ShapePlanner(FalloffPlanner):
    """Plans nodes of shapes; runs nothing."""

    def __init__(self, *arguments: Any) -> None:
        super().__init__(*arguments)
        self._courses_attempt = 0
        self._courses: dict[str, _Course] = {}
        self._chains: dict[str, EffectChain] = {}
        self._on_domains: dict[tuple[int, Domain], State] = {}

    def _follow_attempt(self) -> None:
        """Let go of what was planned in an attempt that was discarded."""
        if self._courses_attempt != self.schedule.attempt:
            self._courses_attempt = self.schedule.attempt
            self._courses.clear()
            self._chains.clear()
            self._on_domains.clear()

    def chains(self) -> dict[str, EffectChain]:
        """What each shape goes through, by the shape's id."""
        return {shape.id: self.chain(shape.id) for shape in self.parts.scene.shapes}

    def chain(self, shape: str) -> EffectChain:
        """What a shape goes through; shapes that it depends on come first, so that this needs no deep recursion."""
        self._follow_attempt()
        if shape not in self._chains:
            for other in self.depends.before[shape]:
                if other not in self._chains:
                    self._chains[other] = self._to_the_end(other)
            self._chains[shape] = self._to_the_end(shape)
        return self._chains[shape]

    def finished(self, shape: Shape) -> Node[Geometry]:
        return self.chain(shape.id).last.node

    def before_effects(self, shape: str) -> State:
        """Where formulas measure falloffs on a shape: its elements before its effects. Raises CannotEvaluateError."""
        bare = self.parts.bare_shape(shape)
        state = self.placed(bare)
        return self.on(state, Domain.PIECE) if bare.source.makes_copies else state

    def state_at(self, shape: str, index: int) -> State:
        """A shape after so many of its enabled effects; nothing behind them is planned. Raises CannotEvaluateError."""
        self._follow_attempt()
        course = self._course(shape)
        while len(course.states) <= index:
            if not self._go_on(course):
                raise CannotEvaluateError("the shape has fewer effects than before")
        return course.states[index]

    def same_place(self, state: State) -> State:
        """The state of another frame's plan as it is on this frame. Raises CannotEvaluateError."""
        return self.on(self._place_of(state.at, state.asked_by), state.domain)

    def _place_of(self, at: tuple[str, int], asked_by: str) -> State:
        state = self.state_at(*at)
        if not asked_by:
            return state
        slot: EffectSlot = self.parts.slot(at[0], asked_by)
        # Places do not depend on strengths, which may be measured on this very frame and ask for the places again.
        effect, declared = self._effect_declared(self._course(at[0]).bare, slot, state)
        return state.asked(self._places(slot, state, effect, declared), asked_by)

    def _course(self, shape: str) -> _Course:
        if shape not in self._courses:
            bare = self.parts.bare_shape(shape)
            self._courses[shape] = _Course(bare, self.parts.enabled_slots(shape), self.placed(bare))
        return self._courses[shape]

    def _to_the_end(self, shape: str) -> EffectChain:
        """A shape as it is seen: on a time of its own, if it has one."""
        frame = self.parts.own_time(shape)
        if frame is None or frame == self.parts.frame:
            return self.chain_now(shape)
        chain: EffectChain = self.others.chain_on(self.schedule, self.problems, frame, shape)
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

    # Before effects

    def placed(self, shape: Shape) -> State:
        """A shape before its effects, in world space. An empty mesh, and a problem, where its own cannot be had."""
        matrix = matrix_of(shape.transform)
        try:
            source = self._source(shape, matrix)
        except (CannotEvaluateError, UndeclaredError) as error:
            self.problems.add(("shapes", shape.id), str(error))
            source = self.schedule.node(computing.empty)
        state = State(source, dict.fromkeys(EVERYTHING, source.token), matrix, shape.color, (shape.id, 0))
        if shape.source.animated:
            state = self._steadied(shape, state)
        if shape.transform == IDENTITY:
            return state
        return state.placed(self.schedule.node(computing.transform, source, Keyed(matrix, shape.transform)))

    def _source(self, shape: Shape, matrix: Matrix) -> Node[Geometry]:
        """What a shape is made from; a kind that refers to other things is made anew when they change."""
        source, assets = shape.source, self.parts.project.assets
        if not source.assembles():
            return self.schedule.node(computing.build, source, Keyed(assets))
        nothing = self.schedule.node(computing.empty)
        bare = State(nothing, dict.fromkeys(EVERYTHING, nothing.token), matrix, shape.color)
        source, declared = self.declared(source, ("shapes", shape.id, "source"), bare)
        return self.schedule.node(computing.assemble, Keyed(source, portable(source)), declared)

    def _steadied(self, shape: Shape, state: State) -> State:
        """The state of an animated shape: arrays that do not change have the same tokens on each frame."""
        source, path = shape.source, ("shapes", shape.id, "source")
        try:
            timeless = Declared(
                0.0, self._named(source, path, state), self._read(source, state, {}), self.parts.project.assets
            )
            moving = source.moving(timeless)
        except (CannotEvaluateError, UndeclaredError):
            return state  # the problem stands at its source already
        still = self.schedule.node(computing.still, Keyed(source, portable(source)), timeless, Unkeyed(state.node))
        tokens = {name: state.node.token if name in moving else still.token for name in state.tokens}
        return State(state.node, tokens, state.matrix, state.color, state.at)

    # Effects

    def _after(self, shape: Shape, slot: EffectSlot, state: State) -> State:
        effect: Effect = slot.effect
        try:
            if isinstance(effect, RememberingEffect):
                return self._remembered(shape, slot, state)
            if effect.is_identity():
                return state.passed_on()
            at_start = self._strength_at_start(slot, state) if effect.at_start else None
            node = self._applied(shape, slot, state, at_start)
            for _ in range(effect.repeats() - 1):
                node = self._applied(shape, slot, state.between(node, effect.alters), at_start)
            return state.after(node, effect.alters)
        except (CannotEvaluateError, UndeclaredError) as error:
            self.problems.add(("shapes", shape.id, "effects", slot.id), f"{effect.label}: {error}")
        except Exception as error:  # a kind may raise anything while it is asked what it needs
            text = described(error, effect.label)
            self.problems.add(("shapes", shape.id, "effects", slot.id), f"{effect.label}: {text}")
        return state.passed_on()

    def _strength_at_start(self, slot: EffectSlot, state: State) -> Values | None:
        return self.others.at_start(self.schedule, self.frame, slot.id, self.on(state, domain_of(slot)))

    def _applied(self, shape: Shape, slot: EffectSlot, state: State, at_start: Values | None) -> Node[Geometry]:
        """The node of an effect on a state. Raises CannotEvaluateError."""
        view = self._effect_view(shape, slot, state, at_start)
        if view.kind.asks_places:
            return self.schedule.node(
                computing.apply_late, view.kind, state.node, view.strength, view.declared, Keyed(slot.id)
            )
        return self.schedule.node(computing.apply, view.kind, state.node, view.strength, view.declared, view.each)

    def _effect_view(self, shape: Shape, slot: EffectSlot, state: State, at_start: Values | None = None) -> View:
        """What an effect sees. Raises CannotEvaluateError."""
        on, strength = self.on(state, domain_of(slot)), at_start
        if strength is None and not slot.effect.asks_places:
            strength = self._effect_strength(shape, slot, on)
        effect, declared = self._effect_declared(shape, slot, state)
        if effect.asks_places:
            places = self._places(slot, state, effect, declared)
            asked, declared = state.asked(places, slot.id), declared.naming("node", "places", places)
            if strength is None:
                strength = self._effect_strength(shape, slot, asked)
            if declared.reads("margin"):
                declared = declared.reading("margin", self._margin(slot, asked))
            if effect.prepares:
                declared = declared.naming("node", "prepared", self._prepared(slot, state, effect, strength, declared))
        if declared.reads("neutral"):
            declared = declared.reading("neutral", self._neutral(slot, on))
        return View(effect, declared, state, strength, _is_each(slot))

    def _effect_declared(self, shape: Shape, slot: EffectSlot, state: State) -> tuple[Effect, Declared]:
        """An effect as it is on this frame, and what it declared besides places and strengths. Raises CannotEvaluateError."""
        path = "shapes", shape.id, "effects", slot.id, "effect"
        beside: dict[str, Any] = {"neutral": None}
        if slot.effect.asks_places:
            beside |= {"margin": None, "detail": self.detail(slot)}
        domain = domain_of(slot)
        effect, declared = self.declared(slot.effect, path, self.on(state, domain), beside, domain)
        # Effects may always ask for the matrix.
        return effect, declared.reading(
            "matrix", _OWN_SPACE if _is_each(slot) else Keyed(state.matrix, shape.transform)
        )

    def _places(self, slot: EffectSlot, state: State, effect: Effect, declared: Declared) -> Node[Geometry]:
        """What an effect asks strengths for."""
        early = computing.without(effect, effect.late)
        return self.schedule.node(computing.places, early, state.node, declared, Keyed(slot.id))

    def _prepared(
        self, slot: EffectSlot, state: State, effect: Effect, strength: Values, declared: Declared
    ) -> Node[Any]:
        """What an effect prepares."""
        early = computing.without(effect, effect.late)
        return self.schedule.node(computing.prepare, early, state.node, strength, declared, Keyed(slot.id))

    def detail(self, slot: EffectSlot) -> float | None:
        """The finest detail of the falloffs that feed an effect."""
        falloffs = [self.parts.falloff(route.falloff) for route in slot.routes]
        details = [layer.source.detail() for falloff in falloffs for layer in falloff.layers if layer.enabled]
        return min((detail for detail in details if detail is not None and detail > 0.0), default=None)

    def _margin(self, slot: EffectSlot, state: State) -> Values:
        """How far within the reach of an effect's falloffs elements are, in their unit."""
        stacks = [self.stack(self.parts.falloff(route.falloff), state) for route in slot.routes]
        if not stacks:
            return self.filled(1e9, state)
        routes = tuple([(route, stack.falloff.range) for route, stack in zip(slot.routes, stacks, strict=True)])
        return self.schedule.node(computing.margin, routes, Several(tuple(map(self.positions, stacks))))

    def _neutral(self, slot: EffectSlot, state: State) -> Values:
        """The strength of an effect that moves nothing. Raises CannotEvaluateError."""
        middle = plain(getattr(slot.effect, slot.effect.middle_setting))
        strengths = tuple([self.strength(route.falloff, state) for route in slot.routes])
        if len(strengths) < 2:
            return self.filled(middle, state)
        return self.schedule.node(computing.neutral, middle, slot.routes, Several(strengths))

    def _remembered(self, shape: Shape, slot: EffectSlot, state: State) -> State:
        """The state behind an effect with memory."""
        view = self._effect_view(shape, slot, state)
        place = Place(*state.at, domain_of(slot), "", slot.id)
        kept = self.others.state_after(self.schedule, self.frame, place, view)
        return state.after(self.schedule.node(computing.show, view.kind, kept, view), slot.effect.alters)

    def on(self, state: State, domain: Domain) -> State:
        """A state with strengths asked for some kind of element; the same one each time."""
        if domain is state.domain or domain is Domain.POINT:
            return state
        key = state.number, domain
        if key not in self._on_domains:
            self._on_domains[key] = state.on(domain)
        return self._on_domains[key]

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
        strengths: list[Values] = []
        for index, route in enumerate(slot.routes):
            try:
                strengths.append(self.strength(route.falloff, state))
                routes.append(route)
            except CannotEvaluateError as error:
                path = ("shapes", shape.id, "effects", slot.id, "routes", index)
                self.problems.add(path, f"{slot.effect.label}: {error}")
        if not routes:
            return self.filled(0.0 if slot.routes else 1.0, state)
        if len(routes) == 1 and routes[0].amount == 1.0 and not routes[0].one_minus:
            return strengths[0]
        return self.schedule.node(computing.route, tuple(routes), Several(tuple(strengths)))

    def view(self, place: Place) -> View:
        """What a kind with memory sees at its place on this frame. Raises CannotEvaluateError."""
        state = self._place_of((place.shape, place.effects_before), place.asked_by)
        if place.falloff:
            falloff = self.parts.falloff(place.falloff)
            layer = next(layer for layer in falloff.layers if layer.id == place.own)
            return self.source_view(falloff, layer, self.on(state, place.domain))
        slot = self.parts.slot(place.shape, place.own)
        return self._effect_view(self._course(place.shape).bare, slot, state)


def domain_of(slot: EffectSlot) -> Domain:
    """The kind of element an effect acts on: points where it cannot act on what was chosen."""
    able = slot.effect.able()
    return DOMAINS[slot.acts_on if slot.acts_on in able else able[0]]


def _is_each(slot: EffectSlot) -> bool:
    return slot.each and slot.effect.own_axes and domain_of(slot) is not Domain.POINT
