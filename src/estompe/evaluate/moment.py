"""One scene on one frame: every number resolved, every stage asked of the memo."""

from collections.abc import Callable, Hashable
from functools import cache
from typing import Any
from weakref import proxy

import numpy as np
from msgspec import Struct, structs
from numpy.typing import NDArray

from estompe.document.edits import EditError, Path
from estompe.document.formula import PER_ELEMENT, FormulaError, names_in, parse
from estompe.document.kinds import EffectSettings, MissingError, Timed
from estompe.document.naming import spoken
from estompe.document.pictures import stamp
from estompe.document.project import Blobs, Project
from estompe.document.resolving import Resolver
from estompe.document.scene import Camera, Color, Control, Effect, Falloff, Layer, Placement, Ramp, Range, Scene, Shape
from estompe.document.settings import settings_of
from estompe.evaluate.asking import Asking, matrix_of
from estompe.evaluate.memo import Made, Memo
from estompe.evaluate.sources import build
from estompe.evaluate.state import Problem, State, Values
from estompe.falloffs.joining import join_layers, join_routes, strengths
from estompe.falloffs.ramp import remapped
from estompe.geometry import Geometry, GeometryError, Topology
from estompe.geometry.placement import Matrix
from estompe.geometry.samples import Samples
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats, Indices

IDENTITY = Placement()
_REFERRING = frozenset({"control", "controls", "path", "falloff", "shape", "effect", "picture", "formula"})


class Stack(Struct, frozen=True):
    """A falloff's enabled layers on some state: what each measured, its values through a range of its own, and their key."""

    layers: list[Layer]
    measured: list[Values]
    values: list[Values]
    made_from: Hashable
    count: int


class Moment:
    """A scene on one frame. Stages run in the order they are asked; `pause` is called between them and may raise."""

    def __init__(self, project: Project, frame: float, memo: Memo, pause: Callable[[], None] = lambda: None) -> None:
        self.frame = frame
        self.problems: dict[Path, Problem] = {}
        self.reductions: dict[tuple[str, str, str], float] = {}
        self._project = project
        self._blobs: Blobs = project.blobs
        self._memo = memo
        self._pause = pause
        self._chains: dict[str, tuple[list[tuple[Effect, State]], State]] = {}
        self._working: list[str] = []
        self._stacks: dict[tuple[str, int], tuple[State, Stack]] = {}
        # Weak, so that the frame's arrays go when the frame does, and not when the collector comes round.
        me = proxy(self)
        self._resolver = Resolver(project.scene, frame, lambda *asked: me.reduced(*asked))
        self._parts: dict[Path, Any] = {}
        # Empty while numbers are still being worked out.
        self._controls: dict[str, Control] = {}
        self._falloffs: dict[str, Falloff] = {}
        self._seconds = (frame - project.scene.first) / project.scene.frames_per_second
        self.scene: Scene = self._resolver.scene()
        self._controls = {item.id: item for item in self.scene.controls}
        self._falloffs = {item.id: item for item in self.scene.falloffs}
        for path, error in self._resolver.errors.items():
            self.problems[path] = Problem(path, f"{spoken(project.scene, path)}: {error}")

    def finish(self) -> None:
        """From now on no pause stops the stages that are asked. What is kept on the way is let go."""
        self._pause = lambda: None
        self._stacks.clear()

    @property
    def camera(self) -> Camera:
        """The camera with its numbers resolved."""
        return self._part(("camera",))  # type: ignore[no-any-return]

    def control(self, control: str) -> Control:
        """A control with its numbers resolved. Raises MissingError."""
        return self._controls.get(control) or self._named("controls", control, "it looks at a control")  # type: ignore[no-any-return]

    def falloff(self, falloff: str) -> Falloff:
        """A falloff with its numbers resolved. Raises MissingError."""
        return self._falloffs.get(falloff) or self._named("falloffs", falloff, "it uses a falloff")  # type: ignore[no-any-return]

    def effect(self, effect: str) -> EffectSettings:
        """An effect's settings with their numbers resolved. Raises MissingError."""
        for shape in self._project.scene.shapes:
            if any(item.id == effect for item in shape.effects):
                found: EffectSettings = self._part(("shapes", shape.id, "effects", effect)).settings
                return found
        raise MissingError(f"it looks at an effect that is not in the scene ({effect}): choose another")

    def array(self, blob: str) -> NDArray[Any]:
        """A big array beside the scene. Raises MissingError."""
        if blob not in self._blobs:
            raise MissingError("its data is not in the file: make it again")
        return self._blobs[blob]

    def number(self, parts: tuple[str, ...]) -> float:
        """A number by its dotted name. Raises LookupError."""
        return self._resolver.number(parts)

    def _named(self, family: str, item: str, words: str) -> Any:
        try:
            return self._part((family, item))
        except EditError:
            raise MissingError(f"{words} that is not in the scene ({item}): choose another") from None

    def _part(self, path: Path) -> Any:
        """A part of the scene with plain numbers, also while the scene as a whole is still being resolved."""
        if path not in self._parts:
            self._parts[path] = self._resolver.part(path)
        return self._parts[path]

    def reduced(self, what: str, falloff: str, shape: str) -> float:
        """A reduction of a falloff over a shape as it stands before its effects."""
        try:
            state = self._placed(self._bare(shape))
            measured = what in ("nearest", "farthest")
            found = self.joined(self.falloff(falloff), state) if measured else self.strength(falloff, state)
            values = found.value
        except MissingError as error:
            raise LookupError(str(error)) from None
        if not len(values):
            raise LookupError("the shape has no points")
        if what == "mean":
            value = float(values.mean(dtype=np.float64))
        else:
            value = float(values.min() if what in ("smallest", "nearest") else values.max())
        self.reductions[what, falloff, shape] = value
        return value

    def _bare(self, shape: str) -> Shape:
        """A shape without its effects, whose numbers may be what is being worked out."""
        whole = next(item for item in self._project.scene.shapes if item.id == shape)
        parts = {name: self._part(("shapes", shape, name)) for name in ("source", "placement")}
        return structs.replace(whole, effects=(), **parts)

    def finished(self, shape: str) -> State:
        """A shape after all its effects. Raises MissingError where it is missing or is being worked out right now."""
        found = self._named("shapes", shape, "it looks at a shape")
        if shape in self._working:
            raise MissingError(f"it looks at “{found.name}”, which in turn depends on it: choose another")
        return self.chain(found)[1]

    def chain(self, shape: Shape) -> tuple[list[tuple[Effect, State]], State]:
        """A resolved shape's enabled effects, each with the state it is given, and the state after all of them."""
        if shape.id not in self._chains:
            self._working.append(shape.id)
            try:
                self._chains[shape.id] = self._chain(shape)
            finally:
                self._working.pop()
        return self._chains[shape.id]

    def _chain(self, shape: Shape) -> tuple[list[tuple[Effect, State]], State]:
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
        stack = self.stack(falloff, state, above)
        key = stack.made_from, falloff.range, falloff.ramp, falloff.signed
        return self._values("strength", key, lambda: self._strengths(falloff, stack))

    def _strengths(self, falloff: Falloff, stack: Stack) -> Floats:
        how = falloff.range, falloff.ramp, falloff.signed
        # Whoever drags a ramp looks at the falloff and has its joined values: to remap them is half the work, for the same bits.
        joined = self._memo.held("join", stack.made_from)
        if joined is not None:
            return remapped(joined.value, *how)
        return strengths(stack.layers, [own.value for own in stack.values], stack.count, *how)

    def joined(self, falloff: Falloff, state: State, above: tuple[str, ...] = ()) -> Values:
        """The joined layers of a falloff, before its range and ramp."""
        stack = self.stack(falloff, state, above)
        if len(stack.values) == 1 and not stack.layers[0].one_minus:
            return stack.values[0]
        arrays = [own.value for own in stack.values]
        return self._values("join", stack.made_from, lambda: join_layers(stack.layers, arrays, stack.count))

    def stack(self, falloff: Falloff, state: State, above: tuple[str, ...] = ()) -> Stack:
        """A falloff's enabled layers with what each measures."""
        key = falloff.id, id(state)
        found = self._stacks.get(key)
        if found is not None and not above:
            return found[1]
        layers, measured, values, parts = [], [], [], []
        inner = (*above, falloff.id)
        for layer in falloff.layers:
            if layer.enabled:
                own = self._measured(layer, state, inner)
                layers.append(layer)
                measured.append(own)
                if layer.range is not None and layer.ramp is not None:
                    own = self._remapped(own, layer.range, layer.ramp)
                values.append(own)
                parts.append((layer.join, layer.one_minus, own.token))
        count = len(state.geometry.points)
        stack = Stack(layers, measured, values, tuple(parts) or count, count)
        if not above:
            # Not what is asked on the way to another falloff: where they refer to each other, that ends somewhere else.
            # With its state, so that the state's identity stands for it.
            self._stacks[key] = state, stack
        return stack

    def _remapped(self, measured: Values, within: Range, ramp: Ramp) -> Values:
        """A layer's values through a range and ramp of its own."""
        key = measured.token, within, ramp
        return self._values("layer", key, lambda: remapped(measured.value, within, ramp, signed=False))

    def stage(self, name: str, made_from: Hashable, compute: Callable[[], Floats]) -> Floats:
        """An array worked out from others, kept in the same memo."""
        return self._values(name, made_from, compute).value

    def _measured(self, layer: Layer, state: State, above: tuple[str, ...]) -> Values:
        """What a layer's source measures; zeros, and a problem, where it refers to something missing.

        above: the falloffs that are being worked out, the layer's own last.
        """
        source = layer.source
        clock = source.clock(self._seconds, self.frame)
        try:
            key = source, clock, self._looked_at(source, state, above)
            return self._values(
                "measure", key, lambda: source.measure(state.samples, Asking(self, state, clock, above))
            )
        except MissingError as error:
            path = ("falloffs", above[-1], "layers", layer.id)
            self.problems[path] = Problem(path, f"{source.label}: {error}")
            count = len(state.samples)
            return self._values("measure", ("nothing", count), lambda: np.zeros(count, np.float32))

    def _looked_at(self, kind: Timed, state: State, above: tuple[str, ...]) -> tuple[Hashable, ...]:
        """What the arrays that a kind reads and the parts that it names are now."""
        tokens = state.tokens
        found: list[Hashable] = []
        for name in kind.reads():
            found.append(tokens[name] if name in tokens else self._beside(name, state))
        for family, setting in _references(type(kind)):  # type: ignore[arg-type]
            named = getattr(kind, setting)
            for name in named if isinstance(named, tuple) else (named,):
                found.append(None if name is None else self._reference(family, name, state, above))
        return tuple(found)

    def _beside(self, name: str, state: State) -> Hashable:
        """What decides a result and is no array."""
        return {"color": state.color, "camera": self.camera}[name]

    def _reference(self, family: str, name: str, state: State, above: tuple[str, ...]) -> Hashable:
        if family in ("control", "controls", "path"):
            control = self.control(name)
            return control.form, control.placement, control.points
        if family == "falloff":
            if name in above:
                raise MissingError("it refers back to itself: choose another falloff")
            return self.strength(name, state, above).token
        if family == "shape":
            return self.finished(name).points
        if family == "effect":
            return self.effect(name)
        if family == "picture":
            return stamp(name) if "#" not in name else None
        if family == "formula":
            return self._numbers_in(name)
        return None

    def _numbers_in(self, text: str) -> Hashable:
        """The values of the scene's numbers that a formula per element uses."""
        try:
            names = sorted(names_in(parse(text)) - PER_ELEMENT)
            return tuple((parts, self.number(parts)) for parts in names)
        except (FormulaError, LookupError) as error:
            raise MissingError(f"“{text[:40]}”: {error}") from None

    def _placed(self, shape: Shape) -> State:
        """A shape before its effects, where it stands. Nothing, and a problem, where its mesh cannot be had."""
        try:
            return self._memo.stage(
                "placed", (shape.source, shape.placement, shape.color), lambda: self._placing(shape)
            ).value
        except (GeometryError, KeyError) as error:
            missing = isinstance(error, KeyError)
            text = "its mesh is not in the file: bring it in again" if missing else f"its mesh cannot be used: {error}"
            self.problems["shapes", shape.id] = Problem(("shapes", shape.id), text)
            nothing = self._memo.stage("source", "nothing", _empty)
            return _source_state(nothing, matrix_of(shape.placement), shape.color)

    def _placing(self, shape: Shape) -> State:
        self._pause()
        source = self._memo.stage("source", shape.source, lambda: build(shape.source, self._blobs))
        matrix = matrix_of(shape.placement)
        state = _source_state(source, matrix, shape.color)
        if shape.placement == IDENTITY:
            return state
        mesh = source.value
        key = (source.token, shape.placement)
        return state.after(self._memo.stage("place", key, lambda: mesh.moved(transformed(mesh.points, matrix))))

    def _after(self, shape: Shape, effect: Effect, state: State) -> State:
        strength = self._effect_strength(shape, effect, state)
        settings: EffectSettings = effect.settings
        clock = settings.clock(self._seconds, self.frame)
        try:
            looked_at = self._looked_at(settings, state, ())
            key = settings, clock, looked_at, state.points, strength.token, shape.placement
            self._pause()
            made = self._memo.stage(
                "effect",
                key,
                lambda: settings.apply(state.geometry, strength.value, Asking(self, state, clock, ())),
            )
        except (MissingError, GeometryError) as error:
            path = ("shapes", shape.id, "effects", effect.id)
            self.problems[path] = Problem(path, f"{settings.label}: {error}")
            return state
        return state.after(made)

    def _effect_strength(self, shape: Shape, effect: Effect, state: State) -> Values:
        routes, found = [], []
        for index, route in enumerate(effect.routes):
            try:
                found.append(self.strength(route.falloff, state))
                routes.append(route)
            except MissingError as error:
                path = ("shapes", shape.id, "effects", effect.id, "routes", index)
                self.problems[path] = Problem(path, f"{effect.settings.label}: {error}")
        if len(routes) == 1 and routes[0].amount == 1.0 and not routes[0].inverted:
            return found[0]
        count = len(state.samples)
        if effect.routes and not routes:
            return self._values("route", ("nothing", count), lambda: np.zeros(count, np.float32))
        key = (count, tuple((route, own.token) for route, own in zip(routes, found, strict=True)))
        return self._values("route", key, lambda: join_routes(routes, [own.value for own in found], count))

    def _values(self, name: str, made_from: Hashable, compute: Callable[[], Floats]) -> Values:
        self._pause()
        made = self._memo.stage(name, made_from, compute)
        made.value.setflags(write=False)
        return made


@cache
def _references(kind: Any) -> tuple[tuple[str, str], ...]:
    """The settings of a kind that name other parts: what they refer to, and the setting's name."""
    return tuple((item.kind, item.name) for item in settings_of(kind) if item.kind in _REFERRING)


def _source_state(source: Made[Geometry], matrix: Matrix, color: Color) -> State:
    tokens = dict.fromkeys(("points", "normals", "rest", "attributes", "topology"), source.token)
    return State(source.value, Samples(source.value), tokens, matrix, color)


def _empty() -> Geometry:
    none: Indices = np.zeros(0, np.int32)
    return Geometry(np.zeros((0, 3), np.float32), Topology(none, np.zeros(1, np.int32), 0))
