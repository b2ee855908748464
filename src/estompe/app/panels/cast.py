"""Cast: the scene's shapes, controls and falloffs, and the cameras."""

from collections.abc import Hashable
from typing import Any

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QLabel, QVBoxLayout

from estompe.app import editing
from estompe.app.panels import cast_menu
from estompe.app.panels.cast_order import FAMILIES, FOLDER, Listed, listed
from estompe.app.session import Session
from estompe.app.widgets.keyed_line import KeyedLine
from estompe.app.widgets.labels import Head, label
from estompe.app.widgets.panel import Panel
from estompe.app.widgets.removal import remove_widget
from estompe.app.widgets.rows import FolderRow, Row
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.scene import Camera, Scene
from estompe.setups.shot import look_through

_ICONS = {"shapes": "shape", "controls": "control", "falloffs": "falloff"}


class CastPanel(Panel):
    """Everything that is in the scene, by name. closed: the folders whose rows are hidden, as (family, name)."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.rows: dict[ScenePath, Row] = {}
        self.folders: dict[ScenePath, FolderRow] = {}
        self.closed: set[tuple[str, str]] = set()
        self._sections: dict[str, QVBoxLayout] = {}
        self._hints: dict[str, QLabel] = {}
        self._listed: tuple[object, ...] | None = None
        self._words = ""
        self.search = KeyedLine(Qt.Key.Key_Escape)
        self.refresh()

    def structure(self) -> Hashable:
        return "cast"

    def build(self, layout: QVBoxLayout) -> None:
        self.rows, self.folders, self._sections, self._hints, self._listed = {}, {}, {}, {}, None
        self.search = KeyedLine(Qt.Key.Key_Escape, self._words)
        self.search.setPlaceholderText("find by name")
        self.search.setAccessibleName("Find by name")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._search_changed)
        self.search.kept.connect(self._leave_search)
        self.search.setVisible(bool(self._words))
        layout.addWidget(self.search)
        for family in FAMILIES:
            section = self._section(layout, family.capitalize())
            self._hints[family] = label(f"no {family} yet", "soft")
            self._hints[family].setContentsMargins(16, 0, 0, 0)
            section.addWidget(self._hints[family])
            self._sections[family] = section
        self._sections["camera"] = self._section(layout, "Camera")
        layout.addStretch(1)

    @staticmethod
    def _section(layout: QVBoxLayout, title: str) -> QVBoxLayout:
        head = Head(title)
        head.layout().setContentsMargins(16, 10, 6, 4)
        layout.addWidget(head)
        section = QVBoxLayout()
        section.setSpacing(0)
        layout.addLayout(section)
        return section

    # Finding by name

    def find_by_name(self) -> None:
        """Let a name be typed; only what has it in its name is listed."""
        self.search.show()
        self.search.setFocus()
        self.search.selectAll()

    def _search_changed(self, text: str) -> None:
        self._words, self._listed = text.strip(), None
        if not text and not self.search.hasFocus():
            self.search.hide()
        self.pull()

    def _leave_search(self) -> None:
        """List everything again and give the keys back to the view."""
        self.search.clearFocus()
        self.search.clear()
        self.search.hide()

    # What is listed

    def pull(self) -> None:
        scene, selection = self.session.document.scene, self.session.selection
        wanted = (scene.shapes, scene.controls, scene.falloffs, scene.camera, scene.other_cameras)
        if self._listed is None or any(a is not b for a, b in zip(wanted, self._listed, strict=True)):
            self._listed = wanted
            for family in FAMILIES:
                self._list(family)
            self._list_cameras(scene)
        current = (("shapes", selection.shape_id), ("falloffs", selection.falloff_id), selection.picked)
        for path, row in self.rows.items():
            row.set_current(path in current, len(selection.picks) > 1 and path in selection.picks)

    def _list_cameras(self, scene: Scene) -> None:
        """The camera that is looked through, and the others below it."""
        cameras: dict[ScenePath, Camera] = {("camera",): scene.camera}
        cameras.update({("other_cameras", index): camera for index, camera in enumerate(scene.other_cameras)})
        self._drop_rows("camera", [path for path in self.rows if path[0] == "other_cameras" and path not in cameras])
        for path, camera in cameras.items():
            if path not in self.rows:
                self._sections["camera"].addWidget(self._new_row(path, Row(camera.name, "camera", None)))
            self.rows[path].show_as(camera.name, None, 0 if path == ("camera",) else 1)

    def _list(self, family: str) -> None:
        """Bring a section's rows up to date: a scene may have many hundred, and most of them stay as they are."""
        items = getattr(self.session.document.scene, family)
        rows = {row.path: row for row in listed(family, items, self.closed, self._words)}
        section = self._sections[family]
        here = [path for path in (*self.rows, *self.folders) if family in path[:2]]
        self._drop_rows(family, [path for path in here if path not in rows])
        for index, (path, row) in enumerate(rows.items(), start=1):
            widget = self.rows.get(path) or self.folders.get(path) or self._new(family, row)
            self._show_row(widget, row)
            if section.itemAt(index) is None or section.itemAt(index).widget() is not widget:
                section.insertWidget(index, widget)
        self._hints[family].setText(f"no {family} named so" if self._words and items else f"no {family} yet")
        self._hints[family].setVisible(not rows)

    def _drop_rows(self, section: str, paths: list[ScenePath]) -> None:
        for path in paths:
            row = self.rows.pop(path, None) or self.folders.pop(path)
            self._sections[section].removeWidget(row)
            remove_widget(row)

    def _new(self, family: str, row: Listed) -> Row | FolderRow:
        if row.item is None:
            return self._new_folder(family, row)
        return self._new_row(
            row.path, Row(row.item.name, _icon_of(family, row.item), getattr(row.item, "visible", None))
        )

    @staticmethod
    def _show_row(widget: Row | FolderRow, row: Listed) -> None:
        if isinstance(widget, FolderRow):
            widget.show_as(row.size, row.opened)
        else:
            listing = row.item.listing
            widget.show_icon(_icon_of(str(row.path[0]), row.item))
            widget.show_as(row.item.name, getattr(row.item, "visible", None), row.depth, listing.tag, listing.locked)

    def _new_row(self, path: ScenePath, row: Row) -> Row:
        self.rows[path] = row
        row.carries, row.takes = path, lambda carried, copies: self._take(path, carried, copies)
        row.picked.connect(lambda: self._picked(path, row.modifiers))
        row.renamed.connect(lambda name: self._rename(path, name))
        row.eye_clicked.connect(lambda: self._toggle_visible(path))
        row.moved.connect(lambda steps: self._move(path, steps))
        row.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        row.customContextMenuRequested.connect(lambda at: self.open_menu(path, row.mapToGlobal(at)))
        return row

    def _new_folder(self, family: str, listed_folder: Listed) -> FolderRow:
        name = str(listed_folder.path[2])
        row = FolderRow(name, listed_folder.opened)
        self.folders[listed_folder.path] = row
        row.takes = lambda carried, _copies: self._file(family, name, carried)
        row.picked.connect(lambda: self._fold(family, name))
        row.renamed.connect(lambda new: self._rename_folder(family, name, new))
        return row

    # Picking

    def pick(self, path: ScenePath) -> None:
        """Make one thing current."""
        choose = {
            "shapes": self.session.selection.choose_shape,
            "controls": self.session.selection.choose_control,
            "falloffs": self.session.selection.choose_falloff,
        }
        if path[0] in ("camera", "other_cameras"):
            self.session.selection.choose_part(path)
        else:
            choose[str(path[0])](str(path[1]))

    def _picked(self, path: ScenePath, modifiers: Qt.KeyboardModifier) -> None:
        """Pick a row: with Ctrl one more or less, with Shift all from the last one on."""
        selection = self.session.selection
        if path[0] not in FAMILIES or not modifiers:
            self.pick(path)
        elif modifiers & Qt.KeyboardModifier.ControlModifier:
            selection.toggle(path)
        elif modifiers & Qt.KeyboardModifier.ShiftModifier:
            shown = [item for family in FAMILIES for item in self._paths(family)]
            first = selection.last if selection.last in shown else path
            begin, end = sorted((shown.index(first), shown.index(path)))
            between = [item for item in shown[begin : end + 1] if item not in (first, path)]
            selection.choose_several([first, *between, path])

    def _paths(self, family: str) -> list[ScenePath]:
        items = getattr(self.session.document.scene, family)
        return [row.path for row in listed(family, items, self.closed, self._words) if row.item is not None]

    def open_menu(self, path: ScenePath, at: QPoint) -> None:
        """What can be done with a row, and with the others that are picked along with it."""
        menu = cast_menu.menu_of(self, self, path)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(at)

    # Edits

    def _rename(self, path: ScenePath, name: str) -> None:
        self.session.document.put((*path, "name"), name, f"Rename {self.session.document.name_of(path)}")

    def _toggle_visible(self, path: ScenePath) -> None:
        visible = edits.get(self.session.document.scene, (*path, "visible"))
        editing.set_visible(self.session, self.session.selection.with_picks(path), not visible)

    def _move(self, path: ScenePath, steps: int) -> None:
        if path[0] not in FAMILIES:
            return
        items = edits.get(self.session.document.scene, path[:-1])
        seen = [str(item[1]) for item in self._paths(str(path[0]))]
        target = seen[max(0, min(len(seen) - 1, seen.index(str(path[-1])) + steps))]
        index = [item.id for item in items].index(target)
        scene = edits.reorder(self.session.document.scene, path, index)
        self.session.document.commit(scene, f"Reorder {self.session.document.name_of(path)}")

    def _take(self, path: ScenePath, carried: ScenePath, copies: bool) -> bool:
        """Take what is dropped on a row: an effect on a shape, a layer on a falloff, an effect to be fed on a falloff."""
        if len(carried) != 4 or carried[:2] == path:
            return False
        if carried[2] == "effects" and path[0] == "falloffs":
            editing.feed(self.session, carried, str(path[1]))
        elif (carried[2], path[0]) in (("effects", "shapes"), ("layers", "falloffs")):
            editing.hand_over(self.session, carried, path, copies)
        else:
            return False
        return True

    def _file(self, family: str, name: str, carried: ScenePath) -> bool:
        """Put what is dropped on a folder into it."""
        if len(carried) != 2 or carried[0] != family:
            return False
        picked = [path for path in self.session.selection.with_picks(carried) if path[0] == family]
        editing.set_listing(self.session, picked, f"Put into {name}", folder=name)
        return True

    def _fold(self, family: str, name: str) -> None:
        self.closed ^= {(family, name)}
        self._listed = None
        self.pull()

    def _rename_folder(self, family: str, name: str, new: str) -> None:
        items = getattr(self.session.document.scene, family)
        paths: list[ScenePath] = [(family, item.id) for item in items if item.listing.folder == name]
        editing.set_listing(self.session, paths, f"Rename folder {name}", folder=new)

    def duplicate(self, path: ScenePath) -> None:
        """Put a copy behind something and make it current."""
        editing.duplicate(self.session, [path])

    def remove(self, path: ScenePath) -> None:
        """Take something out of the scene."""
        editing.remove(self.session, [path])

    def look_through(self, path: ScenePath) -> None:
        """Make another camera the one that pictures are taken through."""
        name = edits.get(self.session.document.scene, path).name
        self.session.document.commit(look_through(self.session.document.scene, name), f"Look through {name}")

    def ask_folder(self, paths: list[ScenePath]) -> None:
        """Put things into a new folder, whose name can be typed at once."""
        family = str(paths[0][0])
        items: Any = getattr(self.session.document.scene, family)
        taken = {item.listing.folder for item in items}
        name = edits.fresh_name(sorted(taken), "Folder")
        editing.set_listing(self.session, paths, f"Put into {name}", folder=name)
        row = self.folders.get((FOLDER, family, name))
        if row is not None:
            row.rename()


def _icon_of(family: str, item: Any) -> str:
    """The icon of something in the Cast."""
    return "wind" if getattr(item, "form", "") == "wind" else _ICONS[family]
