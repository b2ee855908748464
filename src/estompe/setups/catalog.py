"""Everything that can be added to a scene, in one list and one order."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from difflib import get_close_matches
from importlib import import_module
from typing import Any

from estompe.falloffs.forms import FORMS
from estompe.kinds.kind import Effect, Kind, ShapeSource, Source
from estompe.kinds.registry import kinds
from estompe.kinds.settings import settings_of
from estompe.setups import own
from estompe.setups.making import RECIPES, Recipe
from estompe.setups.search import Searchable, loose_score, score, searchable, tokens

FAMILIES = {
    "falloff": "falloff",
    "shape": "shape",
    "control": "control",
    "source": "falloff layer",
    "effect": "effect",
    "recipe": "recipe",
}
"""What one entry of each family is called."""
GROUPS = {
    "falloff": ("falloff",),
    "shape": ("make", "copy", "grow"),
    "control": ("control",),
    "source": ("distance", "pattern", "surface", "time", "scene", "other"),
    "effect": ("deform", "break", "copy", "grow", "volume", "look", "other"),
    "recipe": ("recipe", "your own"),
}
"""The families, and the headings of each in their order."""


@dataclass(frozen=True)
class Entry:
    """Something that can be added. name: unique, as family:tag; picture: the name of its picture in the reference.

    words: other words that people search for, separated by commas; settings: the labels of its settings.
    """

    family: str
    tag: str
    label: str
    text: str
    group: str
    words: str = ""
    settings: tuple[str, ...] = ()

    @property
    def name(self) -> str:
        return f"{self.family}:{self.tag}"

    @property
    def searchable(self) -> Searchable:
        """What is searched of it."""
        group = f"{self.group} {FAMILIES[self.family]}"
        return searchable(self.label, self.text, group, self.words, self.settings)


_FALLOFF = Entry(
    "falloff",
    "new",
    "Falloff",
    "A new falloff on the current shape, with its distance to a control as the first layer.",
    "falloff",
    "weight, mask, influence, field, strength, gradient, attenuation, driver, remap, soft selection, multiply, clamp, "
    "invert, normalize, fit, smoothstep, ease",
)
_FROM_FILES = "from files"
OWN = "own/"
_FORMS = {
    "sphere": (
        "Distances from its middle, or from its surface.",
        "null, control, locator, handle, ball, helper, influence, point, target, empty",
    ),
    "box": (
        "Distances that follow a box.",
        "null, control, cube, region, box mask, bounding box, zone, area, cage, container, block",
    ),
    "plane": (
        "Distances to either side of a plane.",
        "null, control, cut plane, divider, slice, front, wipe, horizon, wall, flat, half space",
    ),
    "cylinder": (
        "Distances from an upright cylinder.",
        "null, control, pipe, column, pillar, tube, rod, pole, axis, capsule",
    ),
    "path": (
        "A line through points: distances from it, and along it.",
        "curve, spline, line, rail, track, polyline, guide, wire, trajectory, route, control",
    ),
    "wind": (
        "Air that moves along an arrow, in gusts and eddies: Sway, Cloth and Set loose take it.",
        "breeze, storm, gust, turbulence, air, force, blow, current, draught, vortex, curl, directional force",
    ),
}
"""What each form of a control does, and other words for it."""


def _otherwise(order: tuple[str, ...]) -> str:
    return "other" if "other" in order else order[0]


def _kinds(family: str, base: type[Kind]) -> Iterator[Entry]:
    registered: dict[str, Any] = dict(kinds(base))
    order = GROUPS[family]
    known = [(tag, kind) for tag, kind in registered.items() if kind.group != _FROM_FILES]
    made = [
        Entry(
            family,
            tag,
            kind.label,
            kind.text,
            kind.group if kind.group in order else _otherwise(order),
            kind.words,
            tuple(rule.label for rule in settings_of(kind) if rule.editor != "hidden"),
        )
        for tag, kind in known
    ]
    yield from sorted(made, key=lambda entry: (order.index(entry.group), entry.label))


def entries(family: str = "") -> tuple[Entry, ...]:
    """What can be added of one family, or of all."""
    makers: dict[str, Callable[[], Iterator[Entry]]] = {
        "falloff": lambda: iter((_FALLOFF,)),
        "shape": lambda: _kinds("shape", ShapeSource),
        "control": lambda: (
            Entry("control", form, form.capitalize(), text, "control", words)
            for form, (text, words) in _FORMS.items()
            if form in FORMS or form == "path"
        ),
        "source": lambda: _kinds("source", Source),
        "effect": lambda: _kinds("effect", Effect),
        "recipe": lambda: (
            Entry("recipe", recipe.tag, recipe.label, recipe.text, "recipe", recipe.words)
            for recipe in recipes().values()
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


def search(words: str, among: Sequence[Entry] | None = None) -> list[Entry]:
    """List the entries that fit words, best first. If none fits all words, list the ones that fit some.

    Parameters
    ----------
    words : str
        What a person typed: names, other words, settings, in either spelling, with small typing errors.
    among : sequence of Entry, optional
        The entries to search; all that can be added if it is not given.

    Returns
    -------
    list of Entry
        The best fit first; all in their order for no words.

    Examples
    --------
    >>> [entry.label for entry in search("inflate")][:1]
    ['Push']
    """
    everything = entries() if among is None else among
    query = tokens(words)
    if not query:
        return list(everything)
    return _best(everything, query, score) or (_best(everything, query, loose_score) if len(query) > 1 else [])


def _best(
    among: Sequence[Entry], query: tuple[str, ...], fit: Callable[[Searchable, tuple[str, ...]], float]
) -> list[Entry]:
    scored = [(fit(entry.searchable, query), -place, entry) for place, entry in enumerate(among)]
    return [entry for points, _, entry in sorted(scored, key=lambda item: item[:2], reverse=True) if points > 0.0]


def nearest_word(words: str, among: Sequence[Entry] | None = None) -> str:
    """The word of the catalog that looks most like one that fits nothing; "" for none."""
    everything = entries() if among is None else among
    vocabulary = sorted({word for entry in everything for word in entry.searchable.vocabulary()})
    for word in tokens(words):
        if not search(word, everything):
            near = get_close_matches(word, vocabulary, 1, 0.6)
            if near:
                return near[0]
    return ""
