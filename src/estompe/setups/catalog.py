"""Everything that can be added to a scene, in one list and one order, for whoever offers it."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from importlib import import_module
from typing import Any

from estompe.falloffs.forms import FORMS
from estompe.kinds.kind import Effect, Kind, ShapeSource, Source
from estompe.kinds.registry import kinds
from estompe.setups import own
from estompe.setups.making import RECIPES, Recipe

GROUPS = {
    "shape": ("make", "copy", "grow"),
    "control": ("control",),
    "source": ("distance", "pattern", "surface", "time", "scene", "other"),
    "effect": ("deform", "break", "copy", "grow", "volume", "look", "other"),
    "recipe": ("recipe", "your own"),
}
"""The families, and the headings of each in their order."""


@dataclass(frozen=True)
class Entry:
    """Something that can be added. name: unique, as family:tag; picture: the name of its picture in the reference."""

    family: str
    tag: str
    label: str
    text: str
    group: str
    words: tuple[str, ...] = ()

    @property
    def name(self) -> str:
        return f"{self.family}:{self.tag}"

    def matches(self, words: str) -> bool:
        """Whether all words are found in its label, text, group, family or other words."""
        everything = f"{self.label} {self.text} {self.group} {self.family} {' '.join(self.words)}".lower()
        return all(word in everything for word in words.lower().split())

    def rank(self, words: str) -> int:
        """How well the words fit: 0 for a label that begins with them, 1 for one that holds them, else 2."""
        label, text = self.label.lower(), words.lower().strip()
        return 0 if label.startswith(text) else 1 if text in label else 2


_FROM_FILES = "from files"
OWN = "own/"
_FORMS = {
    "sphere": "Distances from its middle, or from its surface.",
    "box": "Distances that follow a box.",
    "plane": "Distances to either side of a plane.",
    "cylinder": "Distances from an upright cylinder.",
    "path": "A line through points: distances from it, and along it.",
}


def _otherwise(order: tuple[str, ...]) -> str:
    return "other" if "other" in order else order[0]


def _kinds(family: str, base: type[Kind]) -> Iterator[Entry]:
    registered: dict[str, Any] = dict(kinds(base))
    order = GROUPS[family]
    known = [(tag, kind) for tag, kind in registered.items() if kind.group != _FROM_FILES]
    made = [
        Entry(family, tag, kind.label, kind.text, kind.group if kind.group in order else _otherwise(order), kind.words)
        for tag, kind in known
    ]
    yield from sorted(made, key=lambda entry: (order.index(entry.group), entry.label))


def entries(family: str = "") -> tuple[Entry, ...]:
    """What can be added of one family, or of all."""
    makers: dict[str, Callable[[], Iterator[Entry]]] = {
        "shape": lambda: _kinds("shape", ShapeSource),
        "control": lambda: (
            Entry("control", form, form.capitalize(), text, "control")
            for form, text in _FORMS.items()
            if form in FORMS or form == "path"
        ),
        "source": lambda: _kinds("source", Source),
        "effect": lambda: _kinds("effect", Effect),
        "recipe": lambda: (
            Entry("recipe", recipe.tag, recipe.label, recipe.text, "recipe") for recipe in recipes().values()
        ),
    }
    return tuple(entry for name, make in makers.items() if family in ("", name) for entry in make())


def own_entries() -> tuple[Entry, ...]:
    """The set-ups of one's own that are kept, as entries; their tags begin with `OWN`."""
    text = "A set-up of your own, at the size of the shape."
    return tuple(Entry("recipe", f"{OWN}{name}", name, text, "your own") for name in own.kept())


def recipes() -> dict[str, Recipe]:
    """All recipes by tag, the simplest first."""
    import_module("estompe.setups.recipes")
    return dict(sorted(RECIPES.items(), key=lambda item: (item[0] != "push-near", item[1].label)))


def entry(name: str) -> Entry:
    """The entry of that name, as family:tag. Raises LookupError."""
    found = next((item for item in entries() if item.name == name), None)
    if found is None:
        raise LookupError(f"there is nothing called {name} that can be added")
    return found
