"""What each falloff measures on a state of a shape, as stages: sources, layers, ramps, strengths."""

from operator import attrgetter
from weakref import proxy

import numpy as np

from estompe.document.scene import Falloff, Layer, Ramp, Range
from estompe.evaluation.planning import computing
from estompe.evaluation.planning.context import EvaluationContext
from estompe.evaluation.planning.dependencies import Dependencies
from estompe.evaluation.planning.looking import Looking, Shapes
from estompe.evaluation.planning.lookup import SceneAtFrame
from estompe.evaluation.planning.others import Others, Place, Sight
from estompe.evaluation.planning.phases import paced
from estompe.evaluation.planning.problems import Problems
from estompe.evaluation.planning.stack import Stack
from estompe.evaluation.planning.state import State, Values
from estompe.evaluation.running.schedule import Schedule, described
from estompe.falloffs.joining import join_layers, strengths
from estompe.falloffs.ramp import positions, remapped, remapping
from estompe.geometry import Domain
from estompe.kernels.ramp import remap
from estompe.kinds.context import CannotEvaluateError, UndeclaredError
from estompe.kinds.kind import Source
from estompe.kinds.numbers import plain
from estompe.kinds.remembering import RememberingSource

_VALUE = attrgetter("made")
_FAR = 1e6
"""A position far beyond gone, in widths of a range."""


class Measuring:
    """Plans stages of falloffs and their keys; runs nothing. shapes: what is asked about shapes after their effects."""

    def __init__(
        self,
        parts: SceneAtFrame,
        schedule: Schedule,
        problems: Problems,
        others: Others,
        depends: Dependencies,
        shapes: Shapes,
    ) -> None:
        self._parts, self._schedule, self._problems, self._others = parts, schedule, problems, others
        self._depends = depends
        # Weak: circles wait for the collector with all their arrays.
        self.looking = Looking(parts, proxy(self), shapes, depends, schedule, others)
        self._attempt = 0
        self._strengths: dict[tuple[str, int], Values] = {}

    def _follow_attempt(self) -> None:
        """Let go of what was planned in an attempt that was discarded."""
        if self._attempt != self._schedule.attempt:
            self._attempt = self._schedule.attempt
            self._strengths.clear()

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
        if stack.is_lost:
            return self.filled(0.0, stack.state)
        falloff, layers, values = stack.falloff, stack.layers, stack.values
        key = stack.made_from, falloff.range, falloff.ramp, falloff.signed
        how = remapping(falloff.range, falloff.ramp, falloff.signed)
        # Whoever drags a ramp looks at the falloff and has its joined values: to remap them is half the work, for the same bits.
        joined = self._schedule.held("join", stack.made_from) if values else self.filled(0.0, stack.state)
        if joined is not None:
            ready = joined
            return self._schedule.stage("strength", key, lambda: remap(ready.value, *how))
        return self._schedule.stage("strength", key, lambda: strengths(layers, list(map(_VALUE, values)), how))

    def joined(self, stack: Stack) -> Values:
        """The joined layers of a falloff, before its range and ramp."""
        layers, values = stack.layers, stack.values
        if not values:
            return self.filled(0.0, stack.state)
        if len(values) == 1 and not layers[0].one_minus:
            return values[0]
        return self._schedule.stage("join", stack.made_from, lambda: join_layers(layers, list(map(_VALUE, values))))

    def positions(self, stack: Stack) -> Values:
        """Where a falloff's joined values lie in its range."""
        if stack.is_lost:
            return self.filled(_FAR, stack.state)
        joined, within = self.joined(stack), stack.falloff.range
        return self._schedule.stage("positions", (joined.token, within), lambda: positions(joined.value, within))

    def stack(self, falloff: Falloff, state: State) -> Stack:
        """A falloff's enabled layers with what each measures, on the frame it looks at.

        Nothing, and a problem, where values of another frame do not fit the elements here.
        """
        if falloff.at_frame is None:
            return self.stack_now(falloff, state)
        now, frame = self._parts.frame, plain(falloff.at_frame)
        try:
            return self._others.stack_on(self._schedule, self._problems, now, frame, falloff.id, state)
        except CannotEvaluateError as error:
            self._problems.add(("falloffs", falloff.id), f"{falloff.name}: {error}")
            made_from = "lost", state.tokens["topology"], state.domain
            return Stack(falloff, state, [], [], [], made_from, is_lost=True)

    def stack_now(self, falloff: Falloff, state: State) -> Stack:
        """A falloff's enabled layers with what each measures on this frame."""
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
            if isinstance(source, RememberingSource):
                return self._recalled(falloff, layer, source, state)
            sight = self.source_sight(falloff, layer, state)
            source = sight.kind
            before, context = sight.stage, sight.context
            return self._schedule.stage(
                "measure", sight.made_from, lambda: computing.measured(source, before.value, context)
            )
        except (CannotEvaluateError, UndeclaredError) as error:
            text = str(error)
        except Exception as error:  # a kind may raise anything while it is asked what it needs
            text = described(error, source.label)
        self._problems.add(("falloffs", falloff.id, "layers", layer.id), f"{source.label}: {text}")
        return self.filled(0.0, state)

    def source_sight(self, falloff: Falloff, layer: Layer, state: State) -> Sight:
        """What a layer's source sees. Raises CannotEvaluateError."""
        path = "falloffs", falloff.id, "layers", layer.id, "source"
        source, clock = paced(layer.source, path, self._parts, self._others.phases)
        key, found, read = self.looking.at(source, state, ("falloff", falloff.id))
        context = EvaluationContext(clock, found, read, self._parts.project.assets, state.domain)
        if state.domain is not Domain.POINT or isinstance(source, RememberingSource):
            # Where faces and pieces are, and what is next to them, lies in the topology, too.
            key = key, state.domain, state.tokens["topology"], state.tokens["rest"]
        return Sight(source, (source, clock, key), state.stage, None, context)

    def _recalled(self, falloff: Falloff, layer: Layer, source: RememberingSource, state: State) -> Values:
        """What a source with memory measures."""
        sight = self.source_sight(falloff, layer, state)
        place = Place(*state.at, state.domain, falloff.id, layer.id, state.asked_by)
        link = self._others.linked(self._schedule, self._parts.frame, place, sight)
        return self._schedule.stage(
            "measure", (sight.made_from, link.token), lambda: computing.recalled(source, link.value.state, sight.seen())
        )

    def filled(self, value: float, state: State) -> Values:
        """One value on all of a state's points."""
        made_from, domain = (value, state.tokens["topology"], state.domain), state.domain
        return self._schedule.stage(
            "filled", made_from, lambda: np.full(state.geometry.count(domain), value, np.float32)
        )
