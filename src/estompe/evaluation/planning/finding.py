"""Finding the inputs that kinds declared: the arrays that they read, and the things that their settings name."""

from collections.abc import Callable, Hashable, Mapping
from functools import cache
from typing import Any

from estompe.document.formula import PER_ELEMENT, FormulaError, names_in, parse
from estompe.document.project import Project
from estompe.document.references import REFERENCES
from estompe.document.resolving import Reduce
from estompe.document.scene import Shape
from estompe.document.transforms import matrix_of
from estompe.evaluation.planning.dependencies import Edge, dependencies_of
from estompe.evaluation.planning.inputs import Declared, ElementsOf, Keyed
from estompe.evaluation.planning.others import Others
from estompe.evaluation.planning.phases import paced
from estompe.evaluation.planning.problems import Problems
from estompe.evaluation.planning.resolved import ResolvedScene
from estompe.evaluation.planning.state import State, Values
from estompe.evaluation.running.memo import Memo
from estompe.evaluation.running.node import Node
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
                    self._add_reference(named, family, name, state, owner, of_others)
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

    def _add_reference(self, named: Named, family: str, name: str, state: State, owner: Edge, of_others: bool) -> None:
        """Look up what a setting names, so that it is at hand when the node is run."""
        if family in ("control", "path"):
            named["control", name] = _placed(self.parts, name)
        elif family == "falloff":
            self._check_circle(owner, (family, name), "it refers back to itself: choose another falloff")
            named[family, name] = self.strength(name, state)
        elif family == "shape":
            shape = self.parts.shape(name)
            if name == state.at[0] and owner[0] == "falloff" and of_others:
                raise CannotEvaluateError(f"“{shape.name}” is the shape that is measured: choose another")
            words = f"it looks at “{shape.name}”, which in turn depends on it: choose another"
            self._check_circle(owner, (family, name), words)
            named[family, name] = self.finished(shape)
            named["matrix", name] = Keyed(matrix_of(shape.transform), shape.transform)
            named["color", name] = shape.color
        elif family == "effect":
            named[family, name] = self.parts.effect(name)
        elif family == "picture":
            named[family, name] = self._stamped(name)
        elif family == "footage":
            footage = self.parts.footage(name)
            named[family, name] = Keyed(footage, footage.fingerprint)
        else:
            self._add_numbers(named, name)

    def _check_circle(self, owner: Edge, other: Edge, words: str) -> None:
        if (owner, other) in self.depends.broken:
            raise CannotEvaluateError(words)

    def _stamped(self, pattern: str) -> Hashable:
        """The state of a picture's file."""
        name = numbered(pattern, self.frame)
        self.stamps[name] = None
        self.stamps[name] = found = stamp(name)
        return found

    def _add_numbers(self, named: Named, text: str) -> None:
        """The scene's numbers that a formula per element uses."""
        try:
            names = sorted(names_in(parse(text)) - (PER_ELEMENT - _TIMES))
            named.update({("number", parts): self.parts.number(parts) for parts in names})
        except (FormulaError, LookupError) as error:
            raise CannotEvaluateError(f"“{text[:40]}”: {error}") from None


def _placed(parts: ResolvedScene, name: str) -> Keyed:
    """A control as kinds see it."""
    control = parts.control(name)
    return Keyed(parts.placed(name), (control.form, control.transform, control.points))


@cache
def references_in(kind: type[Kind]) -> tuple[tuple[str, str], ...]:
    """The settings of a kind that name other things: the family, and the setting's name."""
    found = []
    for rule in settings_of(kind):
        family = rule.refers or rule.editor
        if family in REFERENCES or family in ("picture", "formula", "footage"):
            found.append((family, rule.name))
    return tuple(found)
