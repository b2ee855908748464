"""One scene on one frame: every number resolved, every stage asked of the memo."""

from collections.abc import Callable, Hashable
from typing import NamedTuple

import numpy as np
from msgspec import Struct

from estompe.document.kinds import EffectSettings, MissingError, Source
from estompe.document.numbers import plain_triple, resolve
from estompe.document.project import Blobs, Project
from estompe.document.scene import Effect, Falloff, Layer, Placement, Scene, Shape
from estompe.document.settings import settings_of
from estompe.evaluate.memo import Memo
from estompe.evaluate.sources import build
from estompe.falloffs.joining import join_layers, join_routes
from estompe.falloffs.ramp import remapped
from estompe.geometry import Geometry, GeometryError, Topology
from estompe.geometry.placement import Matrix, placement_matrix, transformed
from estompe.geometry.samples import Samples
from estompe.kernels.types import Floats, Indices

Path = tuple[str | int, ...]
IDENTITY = Placement()


class Problem(NamedTuple):
    """Something that is wrong with a scene: the path of the part and what a person should know."""

    path: Path
    text: str


class State(NamedTuple):
    """A shape at some point of its chain, with the tokens of the arrays falloffs read."""

    geometry: Geometry
    samples: Samples
    points: int
    rest: int
    matrix: Matrix

    def tokens(self, reads: tuple[str, ...]) -> tuple[int, ...]:
        return tuple(self.rest if name == "rest" else self.points for name in reads)


class Values(NamedTuple):
    """An array with the token that stands for it."""

    array: Floats
    token: int


class _Asking:
    """What a source or effect sees of the moment."""

    def __init__(self, moment: "Moment", state: State, clock: float, above: tuple[str, ...]) -> None:
        self._moment, self._state, self._above = moment, state, above
        self.clock = clock
        self.shape_matrix = state.matrix

    def control(self, control: str) -> tuple[str, Matrix]:
        found = self._moment.control(control)
        return found[0], placement_matrix(*_triples(found[1]))

    def strength(self, falloff: str) -> Floats:
        return self._moment.strength(falloff, self._state, self._above).array


class Moment:
    """A scene on one frame. Stages run in the order they are asked; `pause` is called between them and may raise."""

    def __init__(self, project: Project, frame: float, memo: Memo, pause: Callable[[], None] = lambda: None) -> None:
        self.frame = frame
        self.scene: Scene = resolve(project.scene, frame)
        self.problems: dict[Path, Problem] = {}
        self._blobs: Blobs = project.blobs
        self._memo = memo
        self._pause = pause
        self._seconds = (frame - self.scene.first) / self.scene.frames_per_second
        self._controls = {control.id: (control.form, control.placement) for control in self.scene.controls}
        self._falloffs = {falloff.id: falloff for falloff in self.scene.falloffs}

    def finish(self) -> None:
        """From now on no pause stops the stages that are asked."""
        self._pause = lambda: None

    def control(self, control: str) -> tuple[str, Placement]:
        """A control's form and resolved placement. Raises MissingError."""
        if control not in self._controls:
            raise MissingError(f"it looks at a control that is not in the scene ({control}): choose another")
        return self._controls[control]

    def falloff(self, falloff: str) -> Falloff:
        """A falloff with its numbers resolved. Raises MissingError."""
        if falloff not in self._falloffs:
            raise MissingError(f"it uses a falloff that is not in the scene ({falloff}): choose another")
        return self._falloffs[falloff]

    def chain(self, shape: Shape) -> tuple[list[tuple[Effect, State]], State]:
        """A resolved shape's enabled effects, each with the state it is given, and the state after all of them."""
        state = self._placed(shape)
        steps = []
        for effect in shape.effects:
            if effect.enabled:
                steps.append((effect, state))
                state = self._after(shape, effect, state)
        return steps, state

    def strength(self, falloff_id: str, state: State, above: tuple[str, ...] = ()) -> Values:
        """A falloff's strength on a state's points. Raises MissingError where it is missing or refers to itself."""
        falloff = self.falloff(falloff_id)
        joined = self.joined(falloff, state, above)
        return self._values(
            "strength",
            (joined.token, falloff.range, falloff.ramp, falloff.signed),
            lambda: remapped(joined.array, falloff.range, falloff.ramp, falloff.signed),
        )

    def joined(self, falloff: Falloff, state: State, above: tuple[str, ...] = ()) -> Values:
        """The joined layers of a falloff, before its range and ramp."""
        layers = [layer for layer in falloff.layers if layer.enabled]
        values = [self.layer(falloff, layer, state, above) for layer in layers]
        if len(values) == 1 and not layers[0].one_minus:
            return values[0]
        key = (
            state.points,
            tuple((layer.join, layer.one_minus, own.token) for layer, own in zip(layers, values, strict=True)),
        )
        count = len(state.samples)
        return self._values("join", key, lambda: join_layers(layers, [own.array for own in values], count))

    def layer(self, falloff: Falloff, layer: Layer, state: State, above: tuple[str, ...] = ()) -> Values:
        """One layer's values through its own range and ramp where it has them, before one-minus and joining."""
        measured = self.measured(falloff, layer, state, above)
        if layer.range is None or layer.ramp is None:
            return measured
        within, ramp = layer.range, layer.ramp
        return self._values(
            "layer", (measured.token, within, ramp), lambda: remapped(measured.array, within, ramp, signed=False)
        )

    def stage(self, name: str, made_from: Hashable, compute: Callable[[], Floats]) -> Floats:
        """An array worked out from others, kept in the same memo."""
        return self._values(name, made_from, compute).array

    def measured(self, falloff: Falloff, layer: Layer, state: State, above: tuple[str, ...] = ()) -> Values:
        """What a layer's source measures; zeros, and a problem, where it refers to something missing."""
        above = (*above, falloff.id)
        source = layer.source
        clock = source.clock(self._seconds)
        try:
            key = (source, self._referred(source, state, above), clock, state.tokens(source.reads()))
            asking = _Asking(self, state, clock, above)
            return self._values("measure", key, lambda: source.measure(state.samples, asking))
        except MissingError as error:
            path = ("falloffs", falloff.id, "layers", layer.id)
            self.problems[path] = Problem(path, f"{source.label}: {error}")
            count = len(state.samples)
            return self._values("measure", ("nothing", count), lambda: np.zeros(count, np.float32))

    def _referred(self, source: Source, state: State, above: tuple[str, ...]) -> tuple[Hashable, ...]:
        """What the parts that a source names are now."""
        assert isinstance(source, Struct)
        found: list[Hashable] = []
        for item in settings_of(type(source)):
            named = getattr(source, item.name)
            if item.kind == "control":
                found.append(self.control(named))
            elif item.kind == "falloff":
                if named in above:
                    raise MissingError("it refers back to itself: choose another falloff")
                found.append(self.strength(named, state, above).token)
        return tuple(found)

    def _placed(self, shape: Shape) -> State:
        path: Path = ("shapes", shape.id)
        try:
            source, token = self._geometry("source", shape.source, lambda: build(shape.source, self._blobs))
        except (GeometryError, KeyError) as error:
            missing = isinstance(error, KeyError)
            text = "its mesh is not in the file: bring it in again" if missing else f"its mesh cannot be used: {error}"
            self.problems[path] = Problem(path, text)
            source, token = self._geometry("source", "nothing", _empty)
        matrix = placement_matrix(*_triples(shape.placement))
        if shape.placement == IDENTITY:
            return State(source, Samples(source), token, token, matrix)
        placed, moved = self._geometry(
            "place", (token, shape.placement), lambda: source.moved(transformed(source.points, matrix))
        )
        return State(placed, Samples(placed), moved, token, matrix)

    def _after(self, shape: Shape, effect: Effect, state: State) -> State:
        strength = self._effect_strength(shape, effect, state)
        settings: EffectSettings = effect.settings
        asking = _Asking(self, state, 0.0, ())
        geometry, token = self._geometry(
            "effect",
            (settings, state.points, strength.token, shape.placement),
            lambda: settings.apply(state.geometry, strength.array, asking),
        )
        return State(geometry, Samples(geometry), token, state.rest, state.matrix)

    def _effect_strength(self, shape: Shape, effect: Effect, state: State) -> Values:
        count = len(state.samples)
        routes, strengths = [], []
        for index, route in enumerate(effect.routes):
            try:
                strengths.append(self.strength(route.falloff, state))
                routes.append(route)
            except MissingError as error:
                path = ("shapes", shape.id, "effects", effect.id, "routes", index)
                self.problems[path] = Problem(path, f"{effect.settings.label}: {error}")
        if effect.routes and not routes:
            return self._values("route", ("nothing", count), lambda: np.zeros(count, np.float32))
        if len(routes) == 1 and routes[0].amount == 1.0 and not routes[0].inverted:
            return strengths[0]
        key = (count, tuple((route, own.token) for route, own in zip(routes, strengths, strict=True)))
        return self._values("route", key, lambda: join_routes(routes, [own.array for own in strengths], count))

    def _values(self, name: str, made_from: Hashable, compute: Callable[[], Floats]) -> Values:
        self._pause()
        return Values(*self._memo.stage(name, made_from, lambda: _frozen(compute()), lambda array: array.nbytes))

    def _geometry(self, name: str, made_from: Hashable, compute: Callable[[], Geometry]) -> tuple[Geometry, int]:
        self._pause()
        # Points and the normals that will be asked for; the rest is shared.
        return self._memo.stage(name, made_from, compute, lambda made: 2 * made.points.nbytes)


def _frozen(array: Floats) -> Floats:
    array.setflags(write=False)
    return array


def _triples(placement: Placement) -> tuple[tuple[float, float, float], ...]:
    return plain_triple(placement.place), plain_triple(placement.turn), plain_triple(placement.size)


def _empty() -> Geometry:
    none: Indices = np.zeros(0, np.int32)
    return Geometry(np.zeros((0, 3), np.float32), Topology(none, np.zeros(1, np.int32), 0))
