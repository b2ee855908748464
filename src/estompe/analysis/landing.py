"""Making something happen on a chosen frame: when it happens now, and which change of one thing moves it there.

What counts is how far a share of a shape, or one element, is past a strength. The share itself climbs in steps; the strength that
the wanted share is past (an order statistic) is continuous in time, so that it can be solved for.
"""

import math
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from msgspec import Struct, structs

from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.project import Project
from estompe.document.references import references_of
from estompe.document.scene import Scene
from estompe.evaluation.planning.where import strength_where, where_measured
from estompe.evaluation.running.memo import Memo
from estompe.evaluation.time.keep import Keep
from estompe.evaluation.time.past import Past
from estompe.kernels.types import Floats
from estompe.kinds.numbers import Formula, Key, Keyed, Number, with_moved_keys
from estompe.kinds.settings import Setting, setting_named

_EXACT = 1e-4
"""Frames within which a crossing is found."""
_LOOKS = 24
_WIDER = 6
_BRACKETS = 16


class CannotLandError(ValueError):
    """It cannot be made to happen; the text says why, and what comes nearest."""


@dataclass(frozen=True)
class Aim:
    """What should happen: a share of a shape, or one element by its number, past a strength of a falloff."""

    shape: str
    falloff: str
    strength: float = 0.5
    share: float = 0.5
    element: int | None = None


@dataclass(frozen=True)
class Proposal:
    """A change that makes it happen on the frame: what it is in words, the scene, and when it first happens there."""

    label: str
    scene: Scene
    lands: float


class Landing:
    """Finds when an aim is reached and what moves that. pause: called between evaluations; may raise."""

    def __init__(
        self,
        project: Project,
        aim: Aim,
        memo: Memo | None = None,
        keep: Keep | None = None,
        pause: Callable[[], None] = lambda: None,
    ) -> None:
        self.project, self.aim = project, aim
        self._memo, self._keep, self._pause = memo or Memo(), keep or Keep(), pause
        self._past = self._past_of(project)
        self._known: dict[float, float] = {}
        self.evaluations = 0

    def strengths(self, past: Past, frame: float) -> Floats:
        """The falloff's strengths on the shape as the window shows them, float32 (n,)."""
        self._pause()
        self.evaluations += 1
        where = where_measured(past.running(frame), self.aim.shape, self.aim.falloff)
        return strength_where(where, self.aim.falloff)

    def strength_on(self, frame: float) -> Floats:
        """The strengths of the scene as it is, on a frame."""
        return self.strengths(self._past, frame)

    def course(self, scene: Scene | None = None, points: int = 48) -> list[tuple[float, float]]:
        """The share that is past the strength, or the element's strength, over the shot: frames and values."""
        scene = scene or self.project.scene
        past = self._past if scene is self.project.scene else self._past_of(self.project.with_scene(scene))
        frames = np.unique(np.round(np.linspace(scene.first, scene.last, points)))
        return [(float(frame), self._told(self.strengths(past, float(frame)))) for frame in frames]

    def now(self) -> float:
        """The frame on which it first happens now.

        Returns
        -------
        float
            The frame, between whole ones too.

        Raises
        ------
        CannotLandError
            Where it never happens; the text says how near it comes, and when.
        """
        found = self._first_crossing(self._past, self._known)
        if found is None:
            raise CannotLandError(self._nearest())
        return found

    def proposals(self, frame: float) -> Iterator[Proposal]:
        """Changes that make it happen first on a frame, the exact ones first. Raises CannotLandError."""
        now, scene, aim = self.now(), self.project.scene, self.aim
        if not scene.first <= frame <= scene.last:
            raise CannotLandError(f"frame {frame:g} is not in the shot: choose one from {scene.first} to {scene.last}")
        if abs(frame - now) < _EXACT:
            return
        path: ScenePath = ("falloffs", aim.falloff, "at_frame")
        at_frame = edits.get(scene, path)
        name = edits.get(scene, ("falloffs", aim.falloff)).name
        word = "later" if frame > now else "earlier"
        yield from self._checked(
            f"{name} {abs(frame - now):.2f} frames {word}", edits.put(scene, path, _shifted(at_frame, frame - now))
        )
        if frame > scene.first and now > scene.first:
            factor = (frame - scene.first) / (now - scene.first)
            yield from self._checked(
                f"{name} at {100 / factor:.0f} % of its speed",
                edits.put(scene, path, _slowed(at_frame, scene.first, factor)),
            )
        for control in self._controls():
            yield from self._with_keys(control, frame, now)

    def with_number(self, path: ScenePath, frame: float) -> Proposal:
        """The value of one number of the scene that makes it happen on a frame.

        Parameters
        ----------
        path : tuple
            The number's path in the scene; keys and formulas it has are replaced.
        frame : float
            The frame.

        Returns
        -------
        Proposal
            The change.

        Raises
        ------
        CannotLandError
            Where no value within the setting's limits does.
        """
        scene = self.project.scene
        rule = _rule_of(scene, path)
        before = float(self._past.running(frame).parts.part(path))
        change = self._solved(lambda value: edits.put(scene, path, float(value)), frame, _around(before, rule), before)
        if change is None:
            raise CannotLandError(f"no value of {rule.label.lower()} makes it happen on frame {frame:g}")
        made = next(self._checked(f"{rule.label} {change[0]:.4g}", change[1]), None)
        if made is None:
            raise CannotLandError(f"no value of {rule.label.lower()} makes it happen first on frame {frame:g}")
        return made

    # How it is found

    def _past_of(self, project: Project) -> Past:
        return Past(project, self._memo, self._keep, self._pause)

    def _told(self, strengths: Floats) -> float:
        if not len(strengths):
            return 0.0
        if self.aim.element is not None:
            return float(strengths[self.aim.element])
        return float(np.count_nonzero(strengths > self.aim.strength)) / len(strengths)

    def _past_by(self, past: Past, frame: float) -> float:
        """Over 0 once it has happened; continuous in time. Raises CannotLandError for an element that is not there."""
        strengths, aim = self.strengths(past, frame), self.aim
        if not len(strengths):
            return -aim.strength
        if aim.element is not None:
            if not 0 <= aim.element < len(strengths):
                raise CannotLandError(f"there is no element {aim.element}: the shape has {len(strengths):,}")
            return float(strengths[aim.element]) - aim.strength
        rank = min(len(strengths) - 1, max(0, len(strengths) - max(1, math.ceil(aim.share * len(strengths)))))
        return float(np.partition(strengths, rank)[rank]) - aim.strength

    def _first_crossing(self, past: Past, known: dict[float, float]) -> float | None:
        scene = past.project.scene

        def at(frame: float) -> float:
            if frame not in known:
                known[frame] = self._past_by(past, frame)
            return known[frame]

        if at(float(scene.first)) > 0:
            return float(scene.first)
        length = scene.last - scene.first
        for step in dict.fromkeys((max(1, length // _LOOKS), 1)):
            frames = [float(frame) for frame in (*range(scene.first, scene.last, step), scene.last)]
            for low, high in pairwise(frames):
                if at(low) <= 0 < at(high):
                    return _root(at, low, high)
        return None

    def _nearest(self) -> str:
        """How near it comes, and when, in words."""
        told = {frame: self._told(self.strengths(self._past, frame)) for frame in self._known}
        frame = max(told, key=lambda item: told[item])
        best = told[frame]
        if self.aim.element is not None:
            return f"it is never reached: {best:.2f} is the most, on frame {frame:g}"
        return f"it is never reached: {100 * best:.0f} % is the most past {self.aim.strength:g}, on frame {frame:g}"

    def _checked(self, label: str, scene: Scene) -> Iterator[Proposal]:
        """A proposal with the frame on which it then first happens; none where that does not happen at all."""
        past = self._past_of(self.project.with_scene(scene))
        lands = self._first_crossing(past, {})
        if lands is not None:
            yield Proposal(label, scene, lands)

    def _controls(self) -> list[str]:
        """The keyed controls that the falloff looks at, whatever the way."""
        scene, found, waiting, seen = self.project.scene, [], [self.aim.falloff], set()
        while waiting:
            falloff = waiting.pop()
            if falloff in seen or not edits.exists(scene, ("falloffs", falloff)):
                continue
            seen.add(falloff)
            for layer in edits.get(scene, ("falloffs", falloff)).layers:
                for named in references_of(layer.source):
                    if named.family == "falloff":
                        waiting.append(named.id)
                    elif named.family in ("control", "path") and named.id not in found:
                        found.append(named.id)
        there = [item for item in found if edits.exists(scene, ("controls", item))]
        return [item for item in there if any(edits.keyed_below(edits.get(scene, ("controls", item)), ()))]

    def _with_keys(self, control: str, frame: float, now: float) -> Iterator[Proposal]:
        """The keys of a control moved, and stretched from the first frame on."""
        scene, path = self.project.scene, ("controls", control)
        item = edits.get(scene, path)
        first, by = float(scene.first), frame - now

        def moved(amount: float) -> Scene:
            made: Scene = edits.put(scene, path, _each_keyed(item, lambda number: _moved(number, amount)))
            return made

        def stretched(factor: float) -> Scene:
            made: Scene = edits.put(scene, path, _each_keyed(item, lambda number: _stretched(number, first, factor)))
            return made

        tries = [by + step * max(1.0, abs(by)) / 4 for step in range(-_WIDER, _WIDER + 1)]
        found = self._solved(moved, frame, tries, by)
        if found is not None:
            yield from self._checked(f"keys of {item.name} moved by {found[0]:.2f} frames", found[1])
        if now > first and frame > first:
            ratio = (frame - first) / (now - first)
            tries = [ratio * 2.0 ** (step / _WIDER) for step in range(-_WIDER, _WIDER + 1)]
            found = self._solved(stretched, frame, tries, ratio)
            if found is not None:
                yield from self._checked(f"keys of {item.name} stretched to {100 * found[0]:.0f} %", found[1])

    def _solved(
        self, change: Callable[[float], Scene], frame: float, tries: list[float], near: float
    ) -> tuple[float, Scene] | None:
        """The value of one unknown with which it is just reached on a frame; between the tries that are nearest to one."""
        known: dict[float, float] = {}

        def at(value: float) -> float:
            if value not in known:
                known[value] = self._past_by(self._past_of(self.project.with_scene(change(value))), frame)
            return known[value]

        pairs = sorted(pairwise(tries), key=lambda pair: abs(pair[0] + pair[1] - 2 * near))
        for low, high in pairs:
            if (at(low) > 0) != (at(high) > 0):
                value = _root(at, low, high)
                return value, change(value)
        return None


def _root(at: Callable[[float], float], low: float, high: float) -> float:
    """Where a function changes its sign (Alefeld, Potra and Shi, 1995, doi:10.1145/210089.210111), on the side that is past."""
    from scipy.optimize import toms748  # slow to import, and few need it

    found = float(toms748(at, low, high, xtol=_EXACT / 10, rtol=1e-12))
    rising = at(high) > 0
    step = _EXACT / 10 * (1 if rising else -1)
    for _ in range(20):
        if at(found) > 0:
            return found
        found += step
        step *= 2
    return high if rising else low


def _shifted(number: Number | None, by: float) -> Number:
    """The frame a falloff is taken from, so many frames later."""
    if isinstance(number, Keyed):
        return with_moved_keys(number, {key.frame for key in number.keys}, by)
    if isinstance(number, Formula):
        return Formula(re.sub(r"\bframe\b", f"(frame - {by:.6f})", number.text))
    return Formula(f"frame - {by:.6f}") if by >= 0 else Formula(f"frame + {-by:.6f}")


def _slowed(number: Number | None, first: float, factor: float) -> Number:
    """The same, stretched from a frame on."""
    if isinstance(number, Keyed):
        return _stretched(number, first, factor)
    inner = f"({first:g} + (frame - {first:g}) / {factor:.9g})"
    return Formula(re.sub(r"\bframe\b", inner, number.text)) if isinstance(number, Formula) else Formula(inner)


def _moved(number: Keyed, by: float) -> Keyed:
    return with_moved_keys(number, {key.frame for key in number.keys}, by)


def _stretched(number: Keyed, first: float, factor: float) -> Keyed:
    """Keys farther from a frame, or nearer; slopes become flatter or steeper."""

    def moved(key: Key) -> Key:
        slopes = {
            name: None if getattr(key, name) is None else getattr(key, name) / factor
            for name in ("slope_in", "slope_out")
        }
        return structs.replace(key, frame=first + (key.frame - first) * factor, **slopes)

    return structs.replace(number, keys=tuple(moved(key) for key in number.keys))


def _each_keyed(item: Any, change: Callable[[Keyed], Keyed]) -> Any:
    """A part of a scene with each keyed number in it changed."""
    if isinstance(item, Keyed):
        return change(item)
    if isinstance(item, tuple):
        return tuple(_each_keyed(part, change) for part in item)
    if isinstance(item, Struct):
        return structs.replace(
            item, **{name: _each_keyed(getattr(item, name), change) for name in item.__struct_fields__}
        )
    return item


def _rule_of(scene: Scene, path: ScenePath) -> Setting:
    """The setting of a number. Raises CannotLandError for what is none."""
    try:
        owner, name = edits.get(scene, path[:-1]), path[-1]
        if isinstance(name, int):
            owner, name = edits.get(scene, path[:-2]), path[-2]
    except edits.EditError as error:
        raise CannotLandError(str(error)) from None
    rule = setting_named(type(owner), str(name))
    if rule is None or rule.type not in ("number", "triple", "real"):
        raise CannotLandError(f"{'.'.join(map(str, path))} is no number that can be solved for")
    return rule


def _around(value: float, rule: Setting) -> list[float]:
    """Values to try for a setting, from far below to far above the one it has."""
    size = max(abs(value), 1e-3)
    ratios = [2.0 ** (step / 2) for step in range(-_BRACKETS, _BRACKETS + 1)]
    tries = sorted({value, *(size * ratio for ratio in ratios), *(-size * ratio for ratio in ratios)})
    low = -math.inf if rule.low is None else rule.low
    high = math.inf if rule.high is None else rule.high
    inside = [item for item in tries if low <= item <= high]
    ends = [item for item in (low, high) if math.isfinite(item)]
    return sorted({*inside, *ends})


def aim_at(project: Project, shape: str, falloff: str, **more: Any) -> Aim:
    """An aim by the names or ids of a shape and a falloff. Raises CannotLandError for one that is not there."""
    scene = project.scene
    found = []
    for family, name in (("shapes", shape), ("falloffs", falloff)):
        item = next((item for item in getattr(scene, family) if name in (item.id, item.name)), None)
        if item is None:
            names = ", ".join(each.name for each in getattr(scene, family)) or "none"
            raise CannotLandError(f"there is no {family[:-1]} “{name}”; there are: {names}")
        found.append(item.id)
    return Aim(found[0], found[1], **more)
