"""One scene on one frame: every number resolved, every stage planned, and those run whose results nobody kept.

Planning comes first because it costs next to nothing as long as the interpreter is in the processor's cache, and a kernel
that has run leaves nothing of it there.
"""

from collections.abc import Callable, Hashable
from functools import cache
from operator import attrgetter
from typing import Any, NamedTuple, TypeVar
from weakref import proxy

import numpy as np
from msgspec import Struct, structs
from numpy.typing import NDArray

from estompe.document.edits import EditError, Path
from estompe.document.formula import PER_ELEMENT, FormulaError, names_in, parse
from estompe.document.kinds import EVERYTHING, EffectSettings, MissingError, Placed, Source, Timed
from estompe.document.naming import spoken
from estompe.document.pictures import stamp
from estompe.document.project import Blobs, Project
from estompe.document.resolving import Resolver
from estompe.document.scene import (
    Camera,
    Control,
    Effect,
    Falloff,
    Layer,
    Placement,
    Ramp,
    Range,
    Route,
    Scene,
    Shape,
)
from estompe.document.settings import settings_of
from estompe.evaluate.asking import Asking, matrix_of
from estompe.evaluate.memo import Memo
from estompe.evaluate.plan import Plan
from estompe.evaluate.sources import build
from estompe.evaluate.state import Problem, State, Values
from estompe.falloffs.joining import join_layers, join_routes, strengths
from estompe.falloffs.ramp import positions, remapped, remapping
from estompe.geometry import Geometry, GeometryError, Topology, frozen
from estompe.geometry.samples import Samples
from estompe.kernels.ramp import remap
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats, Indices

Planned = TypeVar("Planned")
_VALUE = attrgetter("value")
IDENTITY = Placement()
_NOWHERE: Floats = frozen(np.zeros((0, 3), np.float32))
_REFERRING = frozenset({"control", "controls", "path", "falloff", "shape", "effect", "picture", "formula"})


class Stack(Struct, frozen=True):
    """A falloff's enabled layers on some state: what each measures, its values through a range of its own, and their key."""

    falloff: Falloff
    state: State
    layers: list[Layer]
    measured: list[Values]
    values: list[Values]
    made_from: Hashable


class Chain(NamedTuple):
    """A shape's enabled effects, each with the state it is given, and the state after all of them."""

    steps: list[tuple[Effect, State]]
    last: State


class Moment:
    """A scene on one frame.

    What is asked of it is a stage, which has its value once `settled` has run it; `pause` is called before each run and may
    raise.
    """

    def __init__(self, project: Project, frame: float, memo: Memo, pause: Callable[[], None] | None = None) -> None:
        self.frame = frame
        self.problems: dict[Path, Problem] = {}
        self.reductions: dict[tuple[str, str, str], float] = {}
        self._placements: dict[str, Placed] = {}
        self._project = project
        self._blobs: Blobs = project.blobs
        self._memo = memo
        self._pause = pause
        self._chains: dict[str, Chain] = {}
        self._working: list[str] = []
        self._plan = Plan()
        # Weak, so that the frame's arrays go when the frame does, and not when the collector comes round.
        self._me = me = proxy(self)
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
        """From now on no pause stops the stages that are asked."""
        self._pause = None

    @property
    def camera(self) -> Camera:
        """The camera with its numbers resolved."""
        return self._part(("camera",))  # type: ignore[no-any-return]

    def control(self, control: str) -> Control:
        """A control with its numbers resolved. Raises MissingError."""
        return self._controls.get(control) or self._named("controls", control, "it looks at a control")  # type: ignore[no-any-return]

    def placed(self, control: str) -> Placed:
        """A control as sources and effects see it. Raises MissingError."""
        found = self._placements.get(control)
        if found is None:
            item = self.control(control)
            points = np.asarray(item.points, np.float32).reshape(-1, 3) if item.points else _NOWHERE
            found = self._placements[control] = Placed(item.form, matrix_of(item.placement), points)
        return found

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

    def settled(self, plan: Callable[[], Planned]) -> Planned:
        """What a plan gives, with all stages that it asked for run. Where one fails, it is planned again without it."""
        while True:
            self._memo.take_in()
            failures = len(self._plan.failed)
            found = plan()
            if len(self._plan.failed) > failures:
                # Of what a number depends on, while planning: what was planned before may have counted on it too.
                self._forget()
            elif self._run():
                return found

    def _run(self) -> bool:
        """Run what is waiting, in the order it was asked for, up to a stage that fails."""
        plan = self._plan
        waiting, plan.waiting = plan.waiting, []
        done = 0
        try:
            # Nothing is called here but what makes the value: after a kernel each call costs many times what it does before.
            for stage in waiting:
                if self._pause is not None:
                    self._pause()
                stage.value = value = stage.compute()  # type: ignore[misc]
                if isinstance(value, np.ndarray):
                    value.setflags(write=False)
                stage.compute = None
                done += 1
        except (MissingError, GeometryError) as error:
            failed = waiting[done].token
            if failed in plan.failed:
                raise  # it was planned again all the same
            plan.failed[failed] = str(error)
        finally:
            self._memo.keep(waiting[:done])
            plan.let_go(waiting[:done])
            if done < len(waiting):
                self._forget()
        return done == len(waiting)

    def _forget(self) -> None:
        """Let go of what was planned."""
        self._plan.forget()
        self._chains.clear()

    def reduced(self, what: str, falloff: str, shape: str) -> float:
        """A reduction of a falloff over a shape as it stands before its effects."""

        def plan() -> Values:
            state = self._placed(self._bare(shape))
            measured = what in ("nearest", "farthest")
            stack = self.stack(self.falloff(falloff), state)
            return self.joined(stack) if measured else self.through_ramp(stack)

        try:
            values = self.settled(plan).value
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
        return self.chain(found).last

    def chains(self) -> dict[str, Chain]:
        """What each shape goes through, by the shape's id."""
        return {shape.id: self.chain(shape) for shape in self.scene.shapes}

    def chain(self, shape: Shape) -> Chain:
        """What a resolved shape goes through."""
        known = self._chains.get(shape.id)
        if known is not None:
            return known
        self._working.append(shape.id)
        try:
            state = self._placed(shape)
            steps = []
            for effect in shape.effects:
                if effect.enabled:
                    steps.append((effect, state))
                    state = self._after(shape, effect, state)
        finally:
            self._working.pop()
        found = self._chains[shape.id] = Chain(steps, state)
        return found

    def strength(self, falloff: str, state: State, above: tuple[str, ...] = ()) -> Values:
        """A falloff's strength on a state's points. Raises MissingError where it is missing or refers to itself."""
        return self.through_ramp(self.stack(self.falloff(falloff), state, above))

    def through_ramp(self, stack: Stack) -> Values:
        """The strength that a falloff's layers give."""
        falloff, layers, values = stack.falloff, stack.layers, stack.values
        key = stack.made_from, falloff.range, falloff.ramp, falloff.signed
        how = remapping(falloff.range, falloff.ramp, falloff.signed)
        # Whoever drags a ramp looks at the falloff and has its joined values: to remap them is half the work, for the same bits.
        joined = self._memo.held("join", stack.made_from) if values else self._filled(0.0, stack.state)
        if joined is not None:
            return self._memo.stage(self._plan, "strength", key, lambda: remap(joined.value, *how))
        return self._memo.stage(self._plan, "strength", key, lambda: strengths(layers, list(map(_VALUE, values)), how))

    def joined(self, stack: Stack) -> Values:
        """The joined layers of a falloff, before its range and ramp."""
        layers, values = stack.layers, stack.values
        if not values:
            return self._filled(0.0, stack.state)
        if len(values) == 1 and not layers[0].one_minus:
            return values[0]
        return self._memo.stage(
            self._plan, "join", stack.made_from, lambda: join_layers(layers, list(map(_VALUE, values)))
        )

    def positions(self, stack: Stack) -> Values:
        """Where a falloff's joined values lie in its range."""
        joined, within = self.joined(stack), stack.falloff.range
        return self._memo.stage(
            self._plan, "positions", (joined.token, within), lambda: positions(joined.value, within)
        )

    def stack(self, falloff: Falloff, state: State, above: tuple[str, ...] = ()) -> Stack:
        """A falloff's enabled layers with what each measures."""
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
        made_from = tuple(parts) or ("none", state.tokens["topology"])
        return Stack(falloff, state, layers, measured, values, made_from)

    def _remapped(self, measured: Values, within: Range, ramp: Ramp) -> Values:
        """A layer's values through a range and ramp of its own."""
        key = measured.token, within, ramp
        return self._memo.stage(self._plan, "layer", key, lambda: remapped(measured.value, within, ramp, signed=False))

    def _measured(self, layer: Layer, state: State, above: tuple[str, ...]) -> Values:
        """What a layer's source measures; zeros, and a problem, where it refers to something missing.

        above: the falloffs that are being worked out, the layer's own last.
        """
        source: Source = layer.source
        clock = source.clock(self._seconds, self.frame)
        try:
            key = source, clock, self._looked_at(source, state, above)
            before, asking = state.stage, Asking(self._me, state, clock, above)
            return self._memo.stage(
                self._plan, "measure", key, lambda: source.measure(Samples(before.value, before.value.points), asking)
            )
        except MissingError as error:
            path = ("falloffs", above[-1], "layers", layer.id)
            self.problems[path] = Problem(path, f"{source.label}: {error}")
            return self._filled(0.0, state)

    def _filled(self, value: float, state: State) -> Values:
        """One value on all of a state's points."""
        made_from = value, state.tokens["topology"]
        return self._memo.stage(
            self._plan, "filled", made_from, lambda: np.full(len(state.geometry.points), value, np.float32)
        )

    def _looked_at(self, kind: Timed, state: State, above: tuple[str, ...]) -> tuple[Hashable, ...]:
        """What the arrays that a kind reads and the parts that it names are now."""
        tokens = state.tokens
        found: list[Hashable] = []
        for name in kind.reads():
            found.append(tokens[name] if name in tokens else self._beside(name, state))
        for family, setting in _references(type(kind)):  # type: ignore[arg-type]
            named = getattr(kind, setting)
            if not named:
                found.append(named)
                continue
            for name in named if isinstance(named, tuple) else (named,):
                found.append(self._reference(family, name, state, above))
        return tuple(found)

    def _beside(self, name: str, state: State) -> Hashable:
        """What decides a result and is no array."""
        return {"color": state.color, "camera": self.camera}[name]

    def _reference(self, family: str, name: str, state: State, above: tuple[str, ...]) -> Hashable:
        if family in ("control", "controls", "path"):
            control = self.control(name)
            self.placed(name)  # while it costs little: between kernels it takes five times as long
            return control.form, control.placement, control.points
        if family == "falloff":
            if name in above:
                raise MissingError("it refers back to itself: choose another falloff")
            return self.strength(name, state, above).token
        if family == "shape":
            return self.finished(name).stage.token
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
        matrix, blobs = matrix_of(shape.placement), self._blobs
        try:
            source = self._memo.stage(self._plan, "source", shape.source, lambda: build(shape.source, blobs))
        except MissingError as error:
            self.problems["shapes", shape.id] = Problem(("shapes", shape.id), str(error))
            source = self._memo.stage(self._plan, "source", "nothing", _empty)
        state = State(source, dict.fromkeys(EVERYTHING, source.token), matrix, shape.color)
        if shape.placement == IDENTITY:
            return state
        placed = self._memo.stage(
            self._plan,
            "place",
            (source.token, shape.placement),
            lambda: source.value.moved(transformed(source.value.points, matrix)),
        )
        return state.after(placed, ("points", "normals"))

    def _after(self, shape: Shape, effect: Effect, state: State) -> State:
        strength = self._effect_strength(shape, effect, state)
        settings: EffectSettings = effect.settings
        clock = settings.clock(self._seconds, self.frame)
        try:
            looked_at = self._looked_at(settings, state, ())
            before, asking = state.stage, Asking(self._me, state, clock, ())
            made = self._memo.stage(
                self._plan,
                "effect",
                (settings, clock, looked_at, before.token, strength.token, shape.placement),
                lambda: settings.apply(before.value, strength.value, asking),
            )
            return state.after(made, settings.alters)
        except MissingError as error:
            path = ("shapes", shape.id, "effects", effect.id)
            self.problems[path] = Problem(path, f"{settings.label}: {error}")
            return state

    def _effect_strength(self, shape: Shape, effect: Effect, state: State) -> Values:
        routes: list[Route] = []
        found: list[Values] = []
        for index, route in enumerate(effect.routes):
            try:
                found.append(self.strength(route.falloff, state))
                routes.append(route)
            except MissingError as error:
                path = ("shapes", shape.id, "effects", effect.id, "routes", index)
                self.problems[path] = Problem(path, f"{effect.settings.label}: {error}")
        if not routes:
            return self._filled(0.0 if effect.routes else 1.0, state)
        if len(routes) == 1 and routes[0].amount == 1.0 and not routes[0].inverted:
            return found[0]
        return self._memo.stage(
            self._plan,
            "route",
            tuple((route, own.token) for route, own in zip(routes, found, strict=True)),
            lambda: join_routes(routes, list(map(_VALUE, found))),
        )


@cache
def _references(kind: Any) -> tuple[tuple[str, str], ...]:
    """The settings of a kind that name other parts: what they refer to, and the setting's name."""
    return tuple((item.kind, item.name) for item in settings_of(kind) if item.kind in _REFERRING)


def _empty() -> Geometry:
    none: Indices = np.zeros(0, np.int32)
    return Geometry(np.zeros((0, 3), np.float32), Topology(none, np.zeros(1, np.int32), 0))
