"""What kinds look at: the arrays they read and the parts they name, as a key and as values to hand out."""

from collections.abc import Hashable, Mapping
from functools import cache
from typing import Any, Protocol

from estompe.document.formula import PER_ELEMENT, FormulaError, names_in, parse
from estompe.document.references import REFERENCES
from estompe.document.scene import Shape
from estompe.document.transforms import matrix_of
from estompe.evaluation.planning.dependencies import Dependencies, Node
from estompe.evaluation.planning.lookup import SceneAtFrame
from estompe.evaluation.planning.state import State, Values
from estompe.evaluation.running.schedule import Schedule
from estompe.evaluation.running.stage import Stage
from estompe.geometry import Geometry
from estompe.importing.pictures import numbered, stamp
from estompe.kinds.context import CannotEvaluateError, UndeclaredError
from estompe.kinds.kind import Kind, Source
from estompe.kinds.settings import settings_of

_NOTHING: Mapping[str, Any] = {}
_TIMES = {("frame",), ("seconds",)}
Found = dict[tuple[str, Any], Any]


class Falloffs(Protocol):
    """What looking needs of falloffs."""

    def strength(self, falloff: str, state: State) -> Values:
        """A falloff's strength on a state's elements."""


class Shapes(Protocol):
    """What looking needs of shapes."""

    def finished(self, shape: Shape) -> Stage[Geometry]:
        """A shape after all its effects."""


class OnOtherFrames(Protocol):
    """What looking needs of other moments."""

    def strength_on(self, schedule: Schedule, now: float, frame: float, falloff: str, state: State) -> Values:
        """A falloff's strength as it is at the same place on another frame, on the elements of this one (now)."""

    def state_on(self, schedule: Schedule, frame: float, state: State) -> State:
        """The same place of the same shape on another frame."""

    def parts_on(self, frame: float) -> SceneAtFrame:
        """The parts of the scene on another frame."""


class Looking:
    """Finds what kinds declared. stamps: the states of the picture files that were looked at."""

    def __init__(
        self,
        parts: SceneAtFrame,
        falloffs: Falloffs,
        shapes: Shapes,
        depends: Dependencies,
        schedule: Schedule,
        others: OnOtherFrames,
    ) -> None:
        self._parts, self._falloffs, self._shapes, self._depends = parts, falloffs, shapes, depends
        self._schedule, self._others = schedule, others
        self.stamps: dict[str, Hashable] = {}

    def at(
        self, kind: Kind, state: State, owner: Node, beside: Mapping[str, Any] = _NOTHING
    ) -> tuple[Hashable, Found, dict[str, Any]]:
        """What the arrays that a kind reads and the parts that it names are now: as a key, and as values to hand out.

        beside: what is known already of what it reads, by name.
        """
        tokens = state.tokens
        parts: list[Hashable] = []
        read: dict[str, Any] = {}
        for name in kind.reads():
            if name in tokens:
                parts.append(tokens[name])
            else:
                read[name] = value = beside[name] if name in beside else self._beside(name, state)
                parts.append(value if name != "matrix" else value.tobytes())
        found: Found = {}
        of_others = isinstance(kind, Source) and kind.of_others
        for family, setting in references_in(type(kind)):
            value = getattr(kind, setting)
            for name in value if isinstance(value, tuple) else (value,):
                parts.append(self._reference(family, name, state, owner, found, of_others) if name else name)
        if isinstance(kind, Source):
            for offset in kind.other_frames():
                parts.append(self._on_other_frame(kind, state, offset, found))
        return tuple(parts), found, read

    def _on_other_frame(self, kind: Source, state: State, offset: float, found: Found) -> Hashable:
        """What a source names as it is so many frames from now, and its elements there."""
        frame = self._parts.frame + offset
        parts: list[Hashable] = [offset]
        for family, setting in references_in(type(kind)):
            name = getattr(kind, setting)
            if family == "falloff" and name:
                found["falloff", (name, offset)] = strength = self._others.strength_on(
                    self._schedule, self._parts.frame, frame, name, state
                )
                parts.append(strength.token)
            elif family in ("control", "path") and name:
                there = self._others.parts_on(frame)
                found["control", (name, offset)] = there.placed(name)
                control = there.control(name)
                parts += [control.form, control.transform, control.points]
        if "points" in kind.reads():
            there_state = self._others.state_on(self._schedule, frame, state)
            found["elements", offset] = there_state.stage, kind.reads()
            parts += [there_state.tokens[name] for name in kind.reads() if name in there_state.tokens]
        return tuple(parts)

    def _beside(self, name: str, state: State) -> Any:
        """What decides a result and is no array."""
        if name == "camera":
            return self._parts.camera
        if name == "color":
            return state.color
        if name == "matrix":
            return state.matrix
        if name == "rough":
            return self._parts.rough
        raise UndeclaredError(f"“{name}” in its reads() is not something to read: its kind has a mistake")

    def _reference(
        self, family: str, name: str, state: State, owner: Node, found: Found, of_others: bool = False
    ) -> Hashable:
        """Look up what a setting names, so that it is at hand when the stage runs. Returns what decides about it."""
        if family in ("control", "path"):
            control = self._parts.control(name)
            found["control", name] = self._parts.placed(name)
            return control.form, control.transform, control.points
        if family == "falloff":
            self._check_circle(owner, (family, name), "it refers back to itself: choose another falloff")
            found[family, name] = strength = self._falloffs.strength(name, state)
            return strength.token
        if family == "shape":
            shape = self._parts.shape(name)
            if name == state.at[0] and owner[0] == "falloff" and of_others:
                raise CannotEvaluateError(f"“{shape.name}” is the shape that is measured: choose another")
            words = f"it looks at “{shape.name}”, which in turn depends on it: choose another"
            self._check_circle(owner, (family, name), words)
            found[family, name] = last = self._shapes.finished(shape)
            found["matrix", name], found["color", name] = matrix_of(shape.transform), shape.color
            return last.token, shape.transform, shape.color
        if family == "effect":
            found[family, name] = effect = self._parts.effect(name)
            return effect
        if family == "picture":
            return self._picture(name)
        if family == "footage":
            found[family, name] = footage = self._parts.footage(name)
            return footage.fingerprint
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


@cache
def references_in(kind: type[Kind]) -> tuple[tuple[str, str], ...]:
    """The settings of a kind that name other things: the family, and the setting's name."""
    found = []
    for rule in settings_of(kind):
        family = rule.refers or rule.editor
        if family in REFERENCES or family in ("picture", "formula", "footage"):
            found.append((family, rule.name))
    return tuple(found)
