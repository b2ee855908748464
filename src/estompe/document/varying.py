"""Numbers that are to be varied, as they are typed: `Push.amount=0.1,0.2,0.3` or `Lantern glow.range.gone=0.5..1.5/4`."""

import contextlib
import re
from typing import NamedTuple

from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.naming import path_of
from estompe.document.scene import Falloff, Scene, Shape
from estompe.kinds.numbers import Formula, Keyed

MOST_VALUES = 100
_NUMBER = r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?"


class Varied(NamedTuple):
    """A number of a scene, what it is called, and the values it takes."""

    path: ScenePath
    name: str
    values: tuple[float, ...]

    def in_scene(self, scene: Scene, value: float) -> Scene:
        """The scene with the number at a value."""
        made: Scene = edits.put(scene, self.path, value)
        return made


def parse_varied(scene: Scene, text: str) -> Varied:
    """What was typed. Raises ValueError with words."""
    name, found, values = text.partition("=")
    if not found or not name.strip():
        raise ValueError(f"{text}: write it as NAME=1,2,3 or NAME=FROM..TO/COUNT")
    parts = tuple(part.strip().strip("'") for part in re.findall(r"'[^']*'|[^.]+", name))
    path = _found(scene, parts, name.strip())
    number = edits.get(scene, path)
    if isinstance(number, bool) or not isinstance(number, int | float | Keyed | Formula):
        raise ValueError(f"{name.strip()}: is not a single number")
    return Varied(path, name.strip(), parse_values(values))


def _found(scene: Scene, parts: tuple[str, ...], name: str) -> ScenePath:
    """The path of a dotted name; the shape or falloff it begins with may be left out where there is but one that has it."""
    try:
        return path_of(scene, parts)
    except LookupError as error:
        words = str(error)
    found: dict[str, ScenePath] = {}
    owners: tuple[Shape | Falloff, ...] = (*scene.shapes, *scene.falloffs)
    for item in owners:
        with contextlib.suppress(LookupError):
            found[f"{item.name}.{name}"] = path_of(scene, (item.id, *parts))
    if len(found) > 1:
        raise ValueError(f"{name}: it is not clear which is meant; say one of {', '.join(found)}")
    if not found:
        raise ValueError(f"{name}: {words}")
    return next(iter(found.values()))


def parse_values(text: str) -> tuple[float, ...]:
    """Numbers with commas between them, or so many from one to another. Raises ValueError with words."""
    even = re.fullmatch(rf"\s*({_NUMBER})\s*\.\.\s*({_NUMBER})\s*/\s*(\d+)\s*", text)
    if even:
        count = int(even[3])
        if not 2 <= count <= MOST_VALUES:
            raise ValueError(f"{text}: use 2 to {MOST_VALUES} values")
        first, last = float(even[1]), float(even[2])
        return tuple(first + (last - first) * index / (count - 1) for index in range(count))
    words = [word.strip() for word in text.split(",")]
    if not all(re.fullmatch(_NUMBER, word) for word in words) or len(words) > MOST_VALUES:
        raise ValueError(f"{text}: write values as 1,2,3 or as FROM..TO/COUNT")
    return tuple(float(word) for word in words)
