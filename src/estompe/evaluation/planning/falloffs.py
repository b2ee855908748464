"""Planning what falloffs measure on a state of a shape: sources, layers, ramps, strengths."""

from typing import Any

from estompe.document.scene import Falloff, Layer
from estompe.evaluation.planning import computing
from estompe.evaluation.planning.finding import InputFinder
from estompe.evaluation.planning.inputs import CountOf, ElementsOf, LayerValues, View
from estompe.evaluation.planning.others import Place
from estompe.evaluation.planning.stack import Stack
from estompe.evaluation.planning.state import State, Values
from estompe.evaluation.running.schedule import described
from estompe.kinds.context import CannotEvaluateError, UndeclaredError
from estompe.kinds.kind import Source
from estompe.kinds.numbers import plain
from estompe.kinds.remembering import RememberingSource

_FAR = 1e6
"""A position far beyond gone, in widths of a range."""


class FalloffPlanner(InputFinder):
    """Plans nodes of falloffs; runs nothing."""

    def __init__(self, *arguments: Any) -> None:
        super().__init__(*arguments)
        self._strengths: dict[tuple[str, int], Values] = {}
        self._strengths_attempt = 0

    def strength(self, falloff: str, state: State) -> Values:
        if self._strengths_attempt != self.schedule.attempt:
            # What was planned in an attempt that was discarded is let go of.
            self._strengths_attempt = self.schedule.attempt
            self._strengths.clear()
        known = self._strengths.get((falloff, state.number))
        if known is None:
            for other in self.depends.inner.get(falloff, ()):
                if (other, state.number) not in self._strengths:
                    self._strengths[other, state.number] = self._strength(other, state)
            known = self._strengths[falloff, state.number] = self._strength(falloff, state)
        return known

    def _strength(self, falloff: str, state: State) -> Values:
        return self.through_ramp(self.stack(self.parts.falloff(falloff), state))

    def through_ramp(self, stack: Stack) -> Values:
        """The strength that a falloff's layers give."""
        if stack.is_lost:
            return self.filled(0.0, stack.state)
        falloff, layers = stack.falloff, self._layers(stack)
        if not stack.values:
            joined: Values | None = self.filled(0.0, stack.state)
        else:
            joined = self.schedule.held(computing.join, layers)
        ready = LayerValues(layers.layers, layers.nodes, layers.token, joined)
        return self.schedule.node(
            computing.strength, ready, falloff.range, falloff.ramp, falloff.signed, falloff.passed
        )

    @staticmethod
    def _layers(stack: Stack) -> LayerValues:
        return LayerValues(stack.layers, stack.values, stack.token)

    def joined(self, stack: Stack) -> Values:
        """The joined layers of a falloff, before its range and ramp."""
        if not stack.values:
            return self.filled(0.0, stack.state)
        if len(stack.values) == 1 and not stack.layers[0].one_minus:
            return stack.values[0]
        return self.schedule.node(computing.join, self._layers(stack))

    def positions(self, stack: Stack) -> Values:
        """Where a falloff's joined values lie in its range."""
        if stack.is_lost:
            return self.filled(_FAR, stack.state)
        return self.schedule.node(computing.positions, self.joined(stack), stack.falloff.range, stack.falloff.passed)

    def stack(self, falloff: Falloff, state: State) -> Stack:
        """A falloff's enabled layers with what each measures, on the frame it looks at.

        Nothing, and a problem, where values of another frame do not fit the elements here.
        """
        if falloff.at_frame is None:
            return self.stack_now(falloff, state)
        now, frame = self.parts.frame, plain(falloff.at_frame)
        try:
            return self.others.stack_on(self.schedule, self.problems, now, frame, falloff.id, state)
        except CannotEvaluateError as error:
            self.problems.add(("falloffs", falloff.id), f"{falloff.name}: {error}")
            token = "lost", state.tokens["topology"], state.domain
            return Stack(falloff, state, (), (), (), token, is_lost=True)

    def stack_now(self, falloff: Falloff, state: State) -> Stack:
        """A falloff's enabled layers with what each measures on this frame."""
        layers = tuple([layer for layer in falloff.layers if layer.enabled])
        measured = tuple([self._measured(falloff, layer, state) for layer in layers])
        values = tuple([self._through_own_ramp(layer, own) for layer, own in zip(layers, measured, strict=True)])
        parts = tuple([(layer.join, layer.one_minus, own.token) for layer, own in zip(layers, values, strict=True)])
        return Stack(
            falloff, state, layers, measured, values, parts or ("none", state.tokens["topology"], state.domain)
        )

    def _through_own_ramp(self, layer: Layer, measured: Values) -> Values:
        if layer.range is None or layer.ramp is None:
            return measured
        return self.schedule.node(computing.layer, measured, layer.range, layer.ramp)

    def _measured(self, falloff: Falloff, layer: Layer, state: State) -> Values:
        """What a layer's source measures; zeros, and a problem, where it cannot."""
        source: Source = layer.source
        try:
            if isinstance(source, RememberingSource):
                return self._recalled(falloff, layer, state)
            source, declared = self.declared(source, _path(falloff, layer), state, domain=state.domain)
            return self.schedule.node(computing.measure, source, ElementsOf.of(state, source.reads()), declared)
        except (CannotEvaluateError, UndeclaredError) as error:
            text = str(error)
        except Exception as error:  # a kind may raise anything while it is asked what it needs
            text = described(error, source.label)
        self.problems.add(("falloffs", falloff.id, "layers", layer.id), f"{source.label}: {text}")
        return self.filled(0.0, state)

    def source_view(self, falloff: Falloff, layer: Layer, state: State) -> View:
        """What a layer's source with memory sees. Raises CannotEvaluateError."""
        source, declared = self.declared(layer.source, _path(falloff, layer), state, domain=state.domain)
        return View(source, declared, state)

    def _recalled(self, falloff: Falloff, layer: Layer, state: State) -> Values:
        """What a source with memory measures."""
        view = self.source_view(falloff, layer, state)
        place = Place(*state.at, state.domain, falloff.id, layer.id, state.asked_by)
        kept = self.others.state_after(self.schedule, self.frame, place, view)
        return self.schedule.node(computing.recall, view.kind, kept, view)

    def filled(self, value: float, state: State) -> Values:
        """One value on all of a state's elements."""
        return self.schedule.node(computing.filled, value, CountOf(state))


def _path(falloff: Falloff, layer: Layer) -> tuple[str, ...]:
    return "falloffs", falloff.id, "layers", layer.id, "source"
