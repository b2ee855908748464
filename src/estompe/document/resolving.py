"""All numbers of a scene on one frame, formulas included, each computed once and in the order they depend on each other."""

import contextlib
from collections.abc import Callable, Iterator
from typing import Any

from msgspec import Struct, structs

from estompe.document import edits, formula
from estompe.document.edits import ScenePath
from estompe.document.formula import FormulaError, Node
from estompe.document.naming import path_of, spoken
from estompe.document.scene import Scene, seconds_at
from estompe.kinds.identity_cache import IdentityCache
from estompe.kinds.numbers import LARGEST, Formula, Number, moving, resolve
from estompe.kinds.settings import settings_of

Reduce = Callable[[str, str, str], float]
"""What a reduction of a falloff over a shape gives: its name, the falloff's id and the shape's id."""
REDUCTIONS = ("smallest", "largest", "mean", "nearest", "farthest")
"""The first three of strengths; the others of what is measured before the ramp, such as distances in scene units."""

# From this many formulas within each other on, those further inside are computed in a loop.
_DEEP = 12
_MOST_STEPS = 20_000
_LEADING: IdentityCache[frozenset[ScenePath]] = IdentityCache()


def no_reductions(what: str, _falloff: str, _shape: str) -> float:
    """Where nothing can be measured."""
    raise LookupError(f"{what} cannot be computed here")


class Resolver:
    """Plain numbers of a scene on a frame. What is wrong with formulas is kept in `errors` by path; their value is then 0."""

    def __init__(self, scene: Scene, frame: float, reduce: Reduce = no_reductions) -> None:
        self.frame = frame
        self.errors: dict[ScenePath, FormulaError] = {}
        self._reduce = reduce
        # Keys first: what is left are the formulas.
        self._keyed = resolve(scene, frame)
        # Names are asked of the scene as it is kept, whose parts are known from frame to frame.
        self._scene = scene
        self._leading = _leading_to_formulas(scene)
        self._values: dict[ScenePath, float] = {}
        self._open: list[ScenePath] = []

    def scene(self) -> Scene:
        """The whole scene with plain numbers."""
        return self.part(())  # type: ignore[no-any-return]

    def scene_errors(self) -> dict[ScenePath, FormulaError]:
        """What is wrong with the scene's formulas, by the path of each."""
        self.part(())
        return self.errors

    def part(self, path: ScenePath) -> Any:
        """One part of the scene with plain numbers. Raises EditError for a path that names nothing."""
        return self._plain(edits.get(self._keyed, path), path)

    def _plain(self, item: Any, path: ScenePath) -> Any:
        if path not in self._leading:
            return item
        if isinstance(item, Formula):
            return self._value(path, item)
        if isinstance(item, tuple):
            parts = tuple(self._plain(part, (*path, getattr(part, "id", i))) for i, part in enumerate(item))
            return item if all(a is b for a, b in zip(parts, item, strict=True)) else parts
        if isinstance(item, Struct):
            changes = {}
            for name in item.__struct_fields__:
                before = getattr(item, name)
                after = self._plain(before, (*path, name))
                if after is not before:
                    changes[name] = _within_limits(type(item), name, after)
            return structs.replace(item, **changes) if changes else item
        return item

    def _value(self, path: ScenePath, number: Formula) -> float:
        if path in self._values:
            return self._values[path]
        if path in self._open:
            chain = [*self._open[self._open.index(path) :], path]
            words = " → ".join(spoken(self._keyed, step) for step in chain)
            raise LookupError(f"it depends on itself: {words}")
        if len(self._open) >= _DEEP:
            self._compute_first(path)
        self._open.append(path)
        try:
            value = float(formula.compute(formula.parse(number.text), self.number, self._ask))
        except FormulaError as error:
            self.errors[path] = error
            value = 0.0
        finally:
            self._open.pop()
        if abs(value) > LARGEST:
            self.errors[path] = FormulaError(
                f"it comes to {value:.3g}, which is more than {LARGEST:g}", 0, len(number.text)
            )
            value = 0.0
        self._values[path] = value
        return value

    def _compute_first(self, path: ScenePath) -> None:
        """Compute what a formula depends on in a loop, the innermost first, so that long chains need no deep recursion."""
        order, waiting, seen = [], [path], {path}
        while waiting:
            step = waiting.pop()
            order.append(step)
            for below in self._depends_on(step):
                if below in self._open or below == path:
                    raise LookupError("it depends on itself")
                if below not in self._values:
                    order = [item for item in order if item != below]
                    waiting.append(below)
                    if below not in seen:
                        seen.add(below)
                    elif len(order) + len(waiting) > _MOST_STEPS:
                        raise LookupError("it depends on itself, or on more formulas than can be followed")
        outer, self._open = self._open, []
        try:
            for step in reversed(order[1:]):
                self._value(step, edits.get(self._keyed, step))
        finally:
            self._open = outer

    def _depends_on(self, path: ScenePath) -> list[ScenePath]:
        found = []
        for parts in sorted(formula.names_in(formula.parse(edits.get(self._keyed, path).text))):
            with contextlib.suppress(LookupError):
                below = path_of(self._scene, parts)
                if isinstance(edits.get(self._keyed, below), Formula):
                    found.append(below)
        return found

    def number(self, parts: tuple[str, ...]) -> float:
        """The value of a dotted name. Raises LookupError with words."""
        if parts == ("frame",):
            return float(self.frame)
        if parts == ("seconds",):
            return seconds_at(self._keyed, self.frame)
        path = path_of(self._scene, parts)
        item: Number = edits.get(self._keyed, path)
        if isinstance(item, Formula):
            return self._value(path, item)
        if isinstance(item, bool) or not isinstance(item, int | float):
            raise LookupError(f"“{'.'.join(parts)}” is not a single number")
        return float(item)

    def _ask(self, name: str, inner: tuple[Node, ...]) -> float | None:
        if name not in REDUCTIONS:
            return None
        if len(inner) != 2 or any(node.what != "name" for node in inner):
            raise LookupError(f"{name} takes a falloff and a shape, such as {name}('Lantern glow', Amphora)")
        paths = [path_of(self._scene, node.parts) for node in inner]
        for path, family, word in zip(paths, ("falloffs", "shapes"), ("falloff", "shape"), strict=True):
            if path[0] != family or len(path) != 2:
                raise LookupError(f"“{path[-1]}” is not a {word}")
        return self._reduce(name, str(paths[0][1]), str(paths[1][1]))


def _leading_to_formulas(scene: Scene) -> frozenset[ScenePath]:
    """The paths of a scene's formulas and of all that holds them."""
    known = _LEADING.get(scene)
    return known if known is not None else _LEADING.put(scene, frozenset(_with_formulas(scene, ())))


def _with_formulas(item: Any, path: ScenePath) -> Iterator[ScenePath]:
    if isinstance(item, Formula):
        yield path
    elif isinstance(item, tuple | Struct) and moving(item).formulas:
        yield path
        for step, part in edits.steps_of(item):
            yield from _with_formulas(part, (*path, step))


def _within_limits(kind: type, name: str, value: Any) -> Any:
    """What a formula gave, kept where the setting allows it to be."""
    rule = next((item for item in settings_of(kind) if item.name == name), None)
    if rule is None or not isinstance(value, float):
        return value
    low = value if rule.low is None else rule.low
    high = value if rule.high is None else rule.high
    return min(max(value, low), high)
