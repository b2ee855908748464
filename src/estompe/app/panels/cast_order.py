"""The order in which the Cast lists things: folders, and below each thing its copies and what rides on it."""

from collections.abc import Sequence
from typing import Any, NamedTuple

from estompe.document.edits import ScenePath

FAMILIES = ("shapes", "controls", "falloffs")
FOLDER = "folder"


class Listed(NamedTuple):
    """A row: a thing at a depth, or a folder (no item); size: how many things are in it."""

    path: ScenePath
    item: Any = None
    depth: int = 0
    size: int = 0
    opened: bool = True


def listed(family: str, items: Sequence[Any], closed: set[tuple[str, str]], words: str) -> list[Listed]:
    """The rows of a section.

    Parameters
    ----------
    family : str
        "shapes", "controls" or "falloffs".
    items : sequence
        The things, in the order of the scene.
    closed : set of (str, str)
        Folders whose things are not listed, as (family, name).
    words : str
        Only things with this in their names are listed, without folders; "" for all.

    Returns
    -------
    list of Listed
        The rows from top to bottom.
    """
    if words:
        return [Listed((family, item.id), item) for item in items if words.casefold() in item.name.casefold()]
    rows: list[Listed] = []
    folders: dict[str, list[Any]] = {}
    for item in items:
        folders.setdefault(item.listing.folder, []).append(item)
    for name in sorted(filter(None, folders), key=str.casefold):
        opened = (family, name) not in closed
        rows.append(Listed((FOLDER, family, name), size=len(folders[name]), opened=opened))
        if opened:
            rows += [Listed((family, item.id), item, depth + 1) for item, depth in nested(folders[name])]
    return rows + [Listed((family, item.id), item, depth) for item, depth in nested(folders.get("", []))]


def nested(items: Sequence[Any]) -> list[tuple[Any, int]]:
    """Things in the order of the list, each with its depth: copies below what they are made of, parts below their parent."""
    ids = {item.id for item in items}
    below: dict[str, list[Any]] = {}
    for item in items:
        above = _above(item)
        below.setdefault(above if above in ids and above != item.id else "", []).append(item)
    rows: list[tuple[Any, int]] = []
    waiting = [(item, 0) for item in reversed(below.get("", []))]
    while waiting:
        item, depth = waiting.pop()
        rows.append((item, depth))
        waiting += [(other, depth + 1) for other in reversed(below.get(item.id, []))]
    there = {item.id for item, _ in rows}
    return rows + [(item, 0) for item in items if item.id not in there]


def _above(item: Any) -> str:
    """The shape that something is copies of, else its parent, else ""."""
    source, transform = getattr(item, "source", None), getattr(item, "transform", None)
    form = getattr(source, "form", "") if source is not None and source.makes_pieces else ""
    return form or (transform.parent or "" if transform is not None else "")
