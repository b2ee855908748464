"""The menu of a row in the Cast, which acts on everything that is picked along with it."""

from collections.abc import Mapping
from typing import Protocol, get_args

from PyQt6.QtWidgets import QMenu, QWidget

from estompe.app import editing
from estompe.app.session import Session
from estompe.app.widgets.rows import Row
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.references import REFERENCES
from estompe.document.scene import Listing, Tag
from estompe.document.uses import users_of

_MOST_LISTED = 40


class Rows(Protocol):
    """The list whose rows have the menu."""

    session: Session

    @property
    def rows(self) -> Mapping[ScenePath, Row]:
        """The rows by what they stand for."""

    def look_through(self, path: ScenePath) -> None:
        """Make another camera the one that pictures are taken through."""

    def remove(self, path: ScenePath) -> None:
        """Take something out of the scene."""

    def ask_folder(self, paths: list[ScenePath]) -> None:
        """Put things into a new folder."""


def menu_of(cast: Rows, parent: QWidget, path: ScenePath) -> QMenu:
    """The menu of one row; parent: the widget that it belongs to."""
    menu = QMenu(parent)
    menu.setToolTipsVisible(True)
    if path[0] in ("camera", "other_cameras"):
        menu.addAction("Rename", cast.rows[path].rename)
        if path[0] == "other_cameras":
            menu.addAction("Look through it", lambda: cast.look_through(path))
            menu.addAction("Remove", lambda: cast.remove(path))
        return menu
    session, paths = cast.session, list(cast.session.selection.with_picks(path))
    listing: Listing = edits.get(session.document.scene, (*path, "listing"))
    menu.addAction("Rename", cast.rows[path].rename)
    menu.addAction("Duplicate", lambda: editing.duplicate(session, paths))
    menu.addAction("Duplicate with falloffs and controls", lambda: editing.duplicate_with_uses(session, paths))
    menu.addAction("Copy", lambda: editing.copy(session, paths))
    menu.addAction("Remove", lambda: editing.remove(session, paths))
    menu.addSeparator()
    if path[0] in ("shapes", "controls"):
        words = "Unlock" if listing.locked else "Lock"
        locked = not listing.locked
        menu.addAction(words, lambda: editing.set_listing(session, paths, words, locked=locked))
        _add_parents(menu, cast, paths)
    _add_folders(menu, cast, paths)
    _add_tags(menu, cast, paths, listing)
    menu.addSeparator()
    _add_uses(menu, cast, path)
    _add_replacements(menu, cast, path)
    return menu


def _add_parents(menu: QMenu, cast: Rows, paths: list[ScenePath]) -> None:
    """What the picked parts can ride on."""
    session, below = cast.session, menu.addMenu("Parent")
    scene = session.document.scene
    own = {path[1] for path in paths}
    current = edits.get(scene, (*paths[-1], "transform")).parent if paths[-1][0] in ("shapes", "controls") else None
    choices: list[tuple[str | None, str]] = [(None, "none")]
    choices += [(item.id, item.name) for item in REFERENCES["parent"].candidates(scene)]
    for name, words in choices:
        if name not in own:
            action = below.addAction(words, lambda name=name: editing.set_parent(session, paths, name))
            action.setCheckable(True)
            action.setChecked(name == current)


def _add_folders(menu: QMenu, cast: Rows, paths: list[ScenePath]) -> None:
    session, below = cast.session, menu.addMenu("Folder")
    scene = session.document.scene
    names = {item.listing.folder for path in paths for item in getattr(scene, str(path[0]))}
    for name in sorted(filter(None, names), key=str.casefold):
        below.addAction(name, lambda name=name: editing.set_listing(session, paths, f"Put into {name}", folder=name))
    below.addAction("New folder…", lambda: cast.ask_folder(paths))
    below.addAction("No folder", lambda: editing.set_listing(session, paths, "Take out of its folder", folder=""))


def _add_tags(menu: QMenu, cast: Rows, paths: list[ScenePath], listing: Listing) -> None:
    session, below = cast.session, menu.addMenu("Colour in the Cast")
    for tag in get_args(Tag):
        action = below.addAction(tag or "none", lambda tag=tag: editing.set_listing(session, paths, "Mark", tag=tag))
        action.setCheckable(True)
        action.setChecked(tag == listing.tag)


def _add_uses(menu: QMenu, cast: Rows, path: ScenePath) -> None:
    """What uses a part; each entry picks it."""
    session, below = cast.session, menu.addMenu("Used by")
    users = users_of(session.document.scene, str(path[1]))
    for user in users[:_MOST_LISTED]:
        owner = session.document.name_of(user[:2])
        words = owner if len(user) == 2 else f"{owner}: {session.document.name_of(user).removeprefix(owner).strip()}"
        below.addAction(words, lambda user=user: editing.pick(session, [user]))
    if len(users) > _MOST_LISTED:
        below.addAction(f"and {len(users) - _MOST_LISTED} more").setEnabled(False)
    if not users:
        below.addAction("nothing").setEnabled(False)


def _add_replacements(menu: QMenu, cast: Rows, path: ScenePath) -> None:
    """Others of the family, to be used in place of a part everywhere."""
    session, below = cast.session, menu.addMenu("Use instead everywhere")
    others = [item for item in getattr(session.document.scene, str(path[0])) if item.id != path[1]]
    for item in others:
        below.addAction(item.name, lambda name=item.id: editing.replace_everywhere(session, path, name))
    below.setEnabled(bool(others))
