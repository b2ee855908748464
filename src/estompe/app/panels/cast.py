"""Cast: the scene's shapes, controls and falloffs, and the camera."""

from collections.abc import Hashable, Sequence
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QMenu, QVBoxLayout

from estompe.app.session import Session
from estompe.app.widgets.labels import Head, label
from estompe.app.widgets.panel import Panel
from estompe.app.widgets.removal import remove_widget
from estompe.app.widgets.rows import Row
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.scene import Camera, Scene
from estompe.setups.adding import duplicate
from estompe.setups.shot import look_through

_SECTIONS = (("shapes", "Shapes", "shape"), ("controls", "Controls", "control"), ("falloffs", "Falloffs", "falloff"))


def nested(items: Sequence[Any]) -> list[tuple[Any, int]]:
    """Things in the order of the list, each with its depth: copies and strands stand below what they are made of."""
    ids = {item.id for item in items}
    below: dict[str, list[Any]] = {}
    for item in items:
        made_of = _made_of(item)
        below.setdefault(made_of if made_of in ids and made_of != item.id else "", []).append(item)
    found: list[tuple[Any, int]] = []
    waiting = [(item, 0) for item in reversed(below.get("", []))]
    while waiting:
        item, depth = waiting.pop()
        found.append((item, depth))
        waiting += [(other, depth + 1) for other in reversed(below.get(item.id, []))]
    there = {item.id for item, _ in found}
    return found + [(item, 0) for item in items if item.id not in there]


def _made_of(item: Any) -> str:
    """The shape that something is copies of, or "" where it is not."""
    source = getattr(item, "source", None)
    return getattr(source, "form", "") if source is not None and source.makes_pieces else ""


class CastPanel(Panel):
    """Everything that is in the scene, by name."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.rows: dict[ScenePath, Row] = {}
        self._sections: dict[str, QVBoxLayout] = {}
        self._hints: dict[str, QLabel] = {}
        self._listed: tuple[object, ...] | None = None
        self.refresh()

    def structure(self) -> Hashable:
        return "cast"

    def build(self, layout: QVBoxLayout) -> None:
        self.rows, self._sections, self._hints, self._listed = {}, {}, {}, None
        for family, title, _ in _SECTIONS:
            section = self._section(layout, title)
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

    def pull(self) -> None:
        scene, selection = self.session.document.scene, self.session.selection
        listed = (scene.shapes, scene.controls, scene.falloffs, scene.camera, scene.other_cameras)
        if self._listed is None or any(a is not b for a, b in zip(listed, self._listed, strict=True)):
            self._listed = listed
            for family, _, icon in _SECTIONS:
                self._list(family, icon)
            self._list_cameras(scene)
        current = (("shapes", selection.shape_id), ("falloffs", selection.falloff_id), selection.picked)
        for path, row in self.rows.items():
            row.set_current(path in current)

    def _list_cameras(self, scene: Scene) -> None:
        """The camera that is looked through, and the others below it."""
        cameras: dict[ScenePath, Camera] = {("camera",): scene.camera}
        cameras.update({("other_cameras", index): camera for index, camera in enumerate(scene.other_cameras)})
        for path in [path for path in self.rows if path[0] == "other_cameras" and path not in cameras]:
            row = self.rows.pop(path)
            self._sections["camera"].removeWidget(row)
            remove_widget(row)
        for path, camera in cameras.items():
            if path not in self.rows:
                self._sections["camera"].addWidget(self._made(path, Row(camera.name, "camera", None)))
            self.rows[path].show_as(camera.name, None, 0 if path == ("camera",) else 1)

    def _list(self, family: str, icon: str) -> None:
        """Bring a section's rows up to date: a scene may have many hundred, and most of them stay as they are."""
        ordered = nested(getattr(self.session.document.scene, family))
        items: dict[ScenePath, Any] = {(family, item.id): item for item, _ in ordered}
        depths: dict[ScenePath, int] = {(family, item.id): depth for item, depth in ordered}
        section = self._sections[family]
        for path in [path for path in self.rows if path[0] == family and path not in items]:
            row = self.rows.pop(path)
            section.removeWidget(row)
            remove_widget(row)
        for index, (path, item) in enumerate(items.items(), start=1):
            visible = getattr(item, "visible", None)
            if path not in self.rows:
                section.insertWidget(index, self._made(path, Row(item.name, icon, visible)))
                self.rows[path].show_as(item.name, visible, depths[path])
                continue
            self.rows[path].show_as(item.name, visible, depths[path])
            if section.itemAt(index).widget() is not self.rows[path]:
                section.insertWidget(index, self.rows[path])
        self._hints[family].setVisible(not items)

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

    def _made(self, path: ScenePath, row: Row) -> Row:
        self.rows[path] = row
        row.picked.connect(lambda: self.pick(path))
        row.renamed.connect(lambda name: self._rename(path, name))
        row.eye_clicked.connect(lambda: self._toggle_visible(path))
        row.moved.connect(lambda steps: self._move(path, steps))
        row.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        row.customContextMenuRequested.connect(lambda at: self._menu(path, row).exec(row.mapToGlobal(at)))
        return row

    def _menu(self, path: ScenePath, row: Row) -> QMenu:
        menu = QMenu(row)
        menu.addAction("Rename", row.rename)
        if path[0] == "other_cameras":
            menu.addAction("Look through it", lambda: self.look_through(path))
            menu.addAction("Remove", lambda: self.remove(path))
        elif path != ("camera",):
            menu.addAction("Duplicate", lambda: self.duplicate(path))
            menu.addAction("Remove", lambda: self.remove(path))
        return menu

    def _rename(self, path: ScenePath, name: str) -> None:
        self.session.document.put((*path, "name"), name, f"Rename {self.session.document.name_of(path)}")

    def _toggle_visible(self, path: ScenePath) -> None:
        visible = edits.get(self.session.document.scene, (*path, "visible"))
        self.session.document.put(
            (*path, "visible"), not visible, f"{'Hide' if visible else 'Show'} {self.session.document.name_of(path)}"
        )

    def _move(self, path: ScenePath, steps: int) -> None:
        if path[0] in ("camera", "other_cameras"):
            return
        items = edits.get(self.session.document.scene, path[:-1])
        seen = [item.id for item, _ in nested(items)]
        target = seen[max(0, min(len(seen) - 1, seen.index(path[-1]) + steps))]
        index = [item.id for item in items].index(target)
        scene = edits.reorder(self.session.document.scene, path, index)
        self.session.document.commit(scene, f"Reorder {self.session.document.name_of(path)}")

    def duplicate(self, path: ScenePath) -> None:
        """Put a copy behind something and make it current."""
        scene, made = duplicate(self.session.document.scene, path)
        self.session.document.commit(scene, f"Duplicate {self.session.document.name_of(path)}")
        if len(path) == 4:
            self.session.selection.choose_falloff(str(path[1]), made)
        else:
            self.pick((path[0], made))

    def look_through(self, path: ScenePath) -> None:
        """Make another camera the one that pictures are taken through."""
        name = edits.get(self.session.document.scene, path).name
        self.session.document.commit(look_through(self.session.document.scene, name), f"Look through {name}")

    def remove(self, path: ScenePath) -> None:
        """Take something out of the scene."""
        name = self.session.document.name_of(path)
        self.session.document.commit(edits.remove(self.session.document.scene, path), f"Remove {name}")
