"""Edits of what is picked, one step of undo each: remove, duplicate, copy, paste, list, replace, and give a parent."""

from collections.abc import Iterable, Sequence
from typing import Any

from msgspec import structs
from PyQt6.QtGui import QGuiApplication

from estompe.app.session import Session
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.references import renamed_id
from estompe.document.scene import Listing, Route
from estompe.document.uses import replaced_everywhere
from estompe.setups.adding import duplicate as duplicated
from estompe.setups.parenting import with_parent
from estompe.setups.parts import PartsError, as_text, copied, from_text, is_parts, pasted


def named(session: Session, paths: Sequence[ScenePath]) -> str:
    """Picked parts in words: the name of one, else how many of what."""
    if len(paths) == 1:
        return session.document.name_of(paths[0])
    families = {str(path[2] if len(path) == 4 else path[0]) for path in paths}
    return f"{len(paths)} {families.pop() if len(families) == 1 else 'things'}"


def remove(session: Session, paths: Sequence[ScenePath]) -> None:
    """Take parts out of the scene."""
    words, scene = named(session, paths), session.document.scene
    for path in sorted(paths, key=_removal_order):
        if edits.exists(scene, path):
            scene = edits.remove(scene, path)
    session.document.commit(scene, f"Remove {words}")
    session.messages.say(f"removed {words}")


def _removal_order(path: ScenePath) -> tuple[int, int]:
    """Effects and layers come before their owners, and in a plain list the last comes first."""
    return -len(path), -int(path[-1]) if isinstance(path[-1], int) else 0


def duplicate(session: Session, paths: Sequence[ScenePath]) -> None:
    """Put a copy behind each part and pick the copies."""
    words, scene = named(session, paths), session.document.scene
    new: list[ScenePath] = []
    for path in paths:
        if len(path) == 4 and path[2] == "effects":
            scene, copy = _duplicated_effect(scene, path)
        else:
            scene, name = duplicated(scene, path)
            copy = (*path[:-1], name)
        new.append(copy)
    session.document.commit(scene, f"Duplicate {words}")
    pick(session, new)
    session.messages.say(f"duplicated {words}")


def _duplicated_effect(scene: Any, path: ScenePath) -> tuple[Any, ScenePath]:
    slots = edits.get(scene, path[:-1])
    name = edits.fresh_id(scene, "effect")
    place = [slot.id for slot in slots].index(path[-1])
    copy = structs.replace(slots[place], id=name)
    return edits.insert(scene, path[:-1], copy, place + 1), (*path[:-1], name)


def duplicate_with_uses(session: Session, paths: Sequence[ScenePath]) -> None:
    """Put copies of parts, and of the falloffs and controls that they use, into the scene."""
    words = named(session, paths)
    try:
        parts = copied(session.document.project, paths)
        result = pasted(session.document.project, parts, *_hosts(paths), anew=True)
    except PartsError as error:
        session.messages.say(str(error), "error")
        return
    session.document.commit(result.project.scene, f"Duplicate {words} with its falloffs and controls")
    pick(session, result.paths)
    session.messages.say(f"duplicated {words} with all that it uses")


def _hosts(paths: Sequence[ScenePath]) -> tuple[str | None, str | None]:
    """The shape and the falloff that copies of single effects and layers stay on."""
    owners = {str(path[0]): str(path[1]) for path in paths if len(path) == 4}
    return owners.get("shapes"), owners.get("falloffs")


def copy(session: Session, paths: Sequence[ScenePath]) -> None:
    """Put parts on the clipboard as text."""
    try:
        text = as_text(copied(session.document.project, paths))
    except PartsError as error:
        session.messages.say(str(error), "error")
        return
    clipboard = QGuiApplication.clipboard()
    if clipboard is not None:
        clipboard.setText(text)
    session.messages.say(f"copied {named(session, paths)}: paste it here, in another window, or into a text")


def on_clipboard() -> str:
    """The text of parts on the clipboard, "" where there are none."""
    clipboard = QGuiApplication.clipboard()
    text = clipboard.text() if clipboard is not None else ""
    return text if is_parts(text) else ""


def paste(session: Session) -> None:
    """Add the parts on the clipboard; single effects go onto the current shape, single layers into the current falloff."""
    document, selection = session.document, session.selection
    try:
        parts = from_text(on_clipboard())
        result = pasted(document.project, parts, selection.shape_id, selection.falloff_id)
    except PartsError as error:
        session.messages.say(str(error), "error")
        return
    document.add_assets(dict(result.project.assets))
    count = len(result.paths)
    document.commit(result.project.scene, f"Paste {count} part{'s' * (count != 1)}")
    pick(session, result.paths)
    session.messages.say(f"pasted {named(session, result.paths)}")


def pick(session: Session, paths: Sequence[ScenePath]) -> None:
    """Pick parts of any kind; where single effects or layers are among them, the last one."""
    selection, there = session.selection, [path for path in paths if edits.exists(session.document.scene, path)]
    if not there:
        return
    last = there[-1]
    if len(last) == 4 and last[2] == "layers":
        selection.choose_falloff(str(last[1]), str(last[3]))
    elif len(last) == 4:
        selection.choose_shape(str(last[1]))
        selection.mark_last(last)
    else:
        selection.choose_several(path for path in there if len(path) == 2)


def set_listing(session: Session, paths: Iterable[ScenePath], words: str, **changes: object) -> None:
    """Change how the Cast lists things."""
    scene, chosen = session.document.scene, [path for path in paths if len(path) == 2]
    for path in chosen:
        listing: Listing = edits.get(scene, (*path, "listing"))
        scene = edits.put(scene, (*path, "listing"), structs.replace(listing, **changes))
    session.document.commit(scene, f"{words} {named(session, chosen)}")


def set_visible(session: Session, paths: Sequence[ScenePath], visible: bool) -> None:
    """Show or hide shapes and controls."""
    scene, chosen = session.document.scene, [path for path in paths if path[0] in ("shapes", "controls")]
    for path in chosen:
        scene = edits.put(scene, (*path, "visible"), visible)
    session.document.commit(scene, f"{'Show' if visible else 'Hide'} {named(session, chosen)}")


def set_parent(session: Session, paths: Sequence[ScenePath], parent: str | None) -> None:
    """Let shapes and controls ride on another one, or on none; they stay where they are."""
    scene, placed = session.document.scene, session.numbers.placed
    chosen = [path for path in paths if path[0] in ("shapes", "controls") and path[1] != parent]
    try:
        for path in chosen:
            scene = with_parent(scene, placed, path, parent)
    except ValueError as error:
        session.messages.say(str(error), "error")
        return
    families = [family for family in ("controls", "shapes") if edits.exists(scene, (family, parent or ""))]
    words = session.document.name_of((families[0], parent or "")) if families else "no parent"
    session.document.commit(scene, f"Put {named(session, chosen)} on {words}")


def replace_everywhere(session: Session, path: ScenePath, other: str) -> None:
    """Let everything that uses a part use another one."""
    document = session.document
    words = f"Use {document.name_of((path[0], other))} instead of {document.name_of(path)}"
    document.commit(replaced_everywhere(document.scene, str(path[1]), other), words)


def feed(session: Session, effect: ScenePath, falloff: str) -> None:
    """Let one more falloff drive an effect."""
    routes = edits.get(session.document.scene, (*effect, "routes"))
    if any(route.falloff == falloff for route in routes):
        session.messages.say(f"{session.document.name_of(effect)} is driven by that falloff already", "warning")
        return
    scene = edits.insert(session.document.scene, (*effect, "routes"), Route(falloff))
    words = f"Feed {session.document.name_of(effect)} by {session.document.name_of(('falloffs', falloff))}"
    session.document.commit(scene, words)


def hand_over(session: Session, path: ScenePath, owner: ScenePath, keeps: bool) -> None:
    """Move an effect or layer to another shape or falloff. keeps: leave the original where it is."""
    try:
        parts = copied(session.document.project, [path])
        shape, falloff = (str(owner[1]), None) if owner[0] == "shapes" else (None, str(owner[1]))
        result = pasted(session.document.project, parts, shape, falloff)
    except PartsError as error:
        session.messages.say(str(error), "error")
        return
    scene = result.project.scene
    if not keeps:
        scene = renamed_id(edits.remove(scene, path), {str(path[-1]): str(result.paths[0][-1])})
    words = f"{'Copy' if keeps else 'Move'} {session.document.name_of(path)} to {session.document.name_of(owner)}"
    session.document.commit(scene, words)
    pick(session, result.paths)
