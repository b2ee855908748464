"""Finding the inputs that kinds declared: the arrays that they read, and the things that their settings name."""

from collections.abc import Callable, Hashable, Mapping
from functools import cache
from typing import Any, NamedTuple

from estompe.document.formula import PER_ELEMENT, FormulaError, names_in, parse
from estompe.document.project import Project
from estompe.document.resolving import Reduce
from estompe.document.scene import Shape
from estompe.document.transforms import matrix_of
from estompe.evaluation.planning.dependencies import Edge, dependencies_of
from estompe.evaluation.planning.inputs import Declared, ElementsOf
from estompe.evaluation.planning.others import Others
from estompe.evaluation.planning.phases import paced
from estompe.evaluation.planning.problems import Problems
from estompe.evaluation.planning.resolved import ResolvedScene
from estompe.evaluation.planning.state import State, Values
from estompe.evaluation.running.memo import Memo
from estompe.evaluation.running.node import Keyed, Node
from estompe.evaluation.running.schedule import Schedule
from estompe.geometry import Domain, Geometry
from estompe.importing.pictures import numbered, stamp
from estompe.kinds.context import CannotEvaluateError, UndeclaredError
from estompe.kinds.kind import Kind, Source
from estompe.kinds.settings import settings_of

_NOTHING: Mapping[str, Any] = {}
_TIMES = {("frame",), ("seconds",)}
Named = dict[tuple[str, Any], Any]


class InputFinder:
    """The resolved scene on a frame, and the inputs of its kinds; `FalloffPlanner` and `ShapePlanner` build on it.

    parts: the scene with plain numbers; others: the plans of other frames; stamps: the states of the picture files that were
    looked at.
    """

    def __init__(
        self,
        project: Project,
        frame: float,
        memo: Memo,
        others: Others,
        reduce: Reduce,
        pause: Callable[[], None] | None,
        rough: float,
    ) -> None:
        self.frame, self.others = frame, others
        self.problems = Problems()
        self.parts = ResolvedScene(project, frame, reduce, rough)
        self.schedule = Schedule(memo, pause)
        self.depends = dependencies_of(project.scene)
        self.stamps: dict[str, Hashable] = {}

    def strength(self, falloff: str, state: State) -> Values:
        """The strength of a falloff on a state's elements. Raises CannotEvaluateError where it is missing."""
        raise NotImplementedError

    def finished(self, shape: Shape) -> Node[Geometry]:
        """A shape after all its effects."""
        raise NotImplementedError

    def declared(
        self,
        kind: Any,
        path: tuple[str, ...],
        state: State,
        beside: Mapping[str, Any] = _NOTHING,
        domain: Domain = Domain.POINT,
    ) -> tuple[Any, Declared]:
        """A kind as it is on this frame, and what it declared, as an input. Raises CannotEvaluateError.

        path: of the kind in the scene; beside: what is known already of what it reads, by name.
        """
        kind, clock = paced(kind, path, self.parts, self.others.phases)
        named, read = self._named(kind, path, state), self._read(kind, state, beside)
        return kind, Declared(clock, named, read, self.parts.project.assets, domain, self.schedule.go_on)

    def _read(self, kind: Kind, state: State, beside: Mapping[str, Any]) -> dict[str, Any]:
        """What a kind reads besides arrays."""
        names = [name for name in kind.reads() if name not in state.tokens]
        return {name: beside[name] if name in beside else self._beside(name, state) for name in names}

    def _beside(self, name: str, state: State) -> Any:
        if name == "camera":
            return self.parts.camera
        if name == "color":
            return state.color
        if name == "matrix":
            return Keyed(state.matrix, state.matrix.tobytes())
        if name == "rough":
            return self.parts.rough
        raise UndeclaredError(f"“{name}” in its reads() is not something to read: its kind has a mistake")

    def _named(self, kind: Kind, path: tuple[str, ...], state: State) -> Named:
        """What a kind's settings name."""
        named: Named = {}
        of_others = isinstance(kind, Source) and kind.of_others
        owner = "falloff" if path[0] == "falloffs" else "shape", path[1]
        for family, setting in references_in(type(kind)):
            value = getattr(kind, setting)
            for name in value if isinstance(value, tuple) else (value,):
                if name:
                    _FINDERS[family](self, named, Asked(family, name, state, owner, of_others))
        if isinstance(kind, Source):
            for offset in kind.other_frames():
                self._add_other_frame(named, kind, state, offset)
        return named

    def _add_other_frame(self, named: Named, kind: Source, state: State, offset: float) -> None:
        """What a source names as it is so many frames from now, and its elements there."""
        frame = self.frame + offset
        for family, setting in references_in(type(kind)):
            name = getattr(kind, setting)
            if family == "falloff" and name:
                named["falloff", (name, offset)] = self.others.strength_on(
                    self.schedule, self.frame, frame, name, state
                )
            elif family in ("control", "path") and name:
                named["control", (name, offset)] = _placed(self.others.parts_on(frame), name)
        if "points" in kind.reads():
            named["elements", offset] = ElementsOf.of(self.others.state_on(self.schedule, frame, state), kind.reads())

    def check_circle(self, owner: Edge, other: Edge, words: str) -> None:
        """Raise CannotEvaluateError, with words, where a reference would close a circle."""
        if (owner, other) in self.depends.broken:
            raise CannotEvaluateError(words)


class Asked(NamedTuple):
    """One reference of a kind: the name that its setting holds, where it is measured, and the kind's owner.

    of_others: whether the shape must be another one than the one that is measured.
    """

    family: str
    name: str
    state: State
    owner: Edge
    of_others: bool


Finder = Callable[[InputFinder, Named, Asked], None]
_FINDERS: dict[str, Finder] = {}


def finds(*families: str) -> Callable[[Finder], Finder]:
    """Register what looks up the references of some families, and puts them among what a kind may ask for."""

    def register(finder: Finder) -> Finder:
        _FINDERS.update(dict.fromkeys(families, finder))
        return finder

    return register


@finds("control", "path")
def _find_control(finder: InputFinder, named: Named, asked: Asked) -> None:
    named["control", asked.name] = _placed(finder.parts, asked.name)


@finds("wind")
def _find_wind(finder: InputFinder, named: Named, asked: Asked) -> None:
    _find_control(finder, named, asked)
    within = finder.parts.control(asked.name).wind.within
    if within is not None:
        _find_falloff(finder, named, asked._replace(family="falloff", name=within))


@finds("falloff")
def _find_falloff(finder: InputFinder, named: Named, asked: Asked) -> None:
    words = "it refers back to itself: choose another falloff"
    finder.check_circle(asked.owner, (asked.family, asked.name), words)
    named[asked.family, asked.name] = finder.strength(asked.name, asked.state)


@finds("shape")
def _find_shape(finder: InputFinder, named: Named, asked: Asked) -> None:
    name, shape = asked.name, finder.parts.shape(asked.name)
    if name == asked.state.at[0] and asked.owner[0] == "falloff" and asked.of_others:
        raise CannotEvaluateError(f"“{shape.name}” is the shape that is measured: choose another")
    words = f"it looks at “{shape.name}”, which in turn depends on it: choose another"
    finder.check_circle(asked.owner, (asked.family, name), words)
    named["shape", name] = finder.finished(shape)
    named["matrix", name] = Keyed(matrix_of(shape.transform), shape.transform)
    named["color", name] = shape.color


@finds("effect")
def _find_effect(finder: InputFinder, named: Named, asked: Asked) -> None:
    named[asked.family, asked.name] = finder.parts.effect(asked.name)


@finds("picture")
def _find_picture(finder: InputFinder, named: Named, asked: Asked) -> None:
    name = numbered(asked.name, finder.frame)
    finder.stamps[name] = None
    finder.stamps[name] = named[asked.family, asked.name] = stamp(name)


@finds("footage")
def _find_footage(finder: InputFinder, named: Named, asked: Asked) -> None:
    footage = finder.parts.footage(asked.name)
    named[asked.family, asked.name] = Keyed(footage, footage.fingerprint)


@finds("formula")
def _find_numbers(finder: InputFinder, named: Named, asked: Asked) -> None:
    """The scene's numbers that a formula per element uses."""
    text = asked.name
    try:
        names = sorted(names_in(parse(text)) - (PER_ELEMENT - _TIMES))
        named.update({("number", parts): finder.parts.number(parts) for parts in names})
    except (FormulaError, LookupError) as error:
        raise CannotEvaluateError(f"“{text[:40]}”: {error}") from None


def _placed(parts: ResolvedScene, name: str) -> Keyed:
    """A control as kinds see it."""
    control = parts.control(name)
    placed = parts.placed(name)
    return Keyed(placed, (control.form, control.transform, control.points, placed.blowing))


@cache
def references_in(kind: type[Kind]) -> tuple[tuple[str, str], ...]:
    """The settings of a kind that name other things: the family, and the setting's name."""
    found = []
    for rule in settings_of(kind):
        family = rule.refers or rule.editor
        if family in _FINDERS:
            found.append((family, rule.name))
    return tuple(found)
