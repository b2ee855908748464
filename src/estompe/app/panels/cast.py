"""Cast: the scene's shapes, controls and falloffs, and the camera."""

from collections.abc import Hashable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMenu, QVBoxLayout

from estompe.app.session import Session
from estompe.app.widgets.labels import Head, label
from estompe.app.widgets.panel import Panel
from estompe.app.widgets.rows import Row
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.setups.adding import duplicate

_SECTIONS = (("shapes", "Shapes", "shape"), ("controls", "Controls", "control"), ("falloffs", "Falloffs", "falloff"))


class CastPanel(Panel):
    """Everything that is in the scene, by name."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.rows: dict[ScenePath, Row] = {}
        self.refresh()

    def structure(self) -> Hashable:
        scene = self.session.document.scene
        listed = tuple(
            tuple((item.id, item.name, getattr(item, "visible", None)) for item in getattr(scene, family))
            for family, _, _ in _SECTIONS
        )
        return listed, scene.camera.name

    def build(self, layout: QVBoxLayout) -> None:
        self.rows = {}
        for family, title, icon in _SECTIONS:
            head = Head(title)
            head.layout().setContentsMargins(16, 10, 6, 4)
            layout.addWidget(head)
            items = getattr(self.session.document.scene, family)
            for item in items:
                self._add_row(layout, (family, item.id), Row(item.name, icon, getattr(item, "visible", None)))
            if not items:
                hint = label(f"no {family} yet", "soft")
                hint.setContentsMargins(16, 0, 0, 0)
                layout.addWidget(hint)
        head = Head("Camera")
        head.layout().setContentsMargins(16, 10, 6, 4)
        layout.addWidget(head)
        self._add_row(layout, ("camera",), Row(self.session.document.scene.camera.name, "camera", None))
        layout.addStretch(1)

    def pull(self) -> None:
        session = self.session
        for path, row in self.rows.items():
            current = path in (
                ("shapes", session.selection.shape_id),
                ("falloffs", session.selection.falloff_id),
                session.selection.picked,
            )
            row.set_current(current)

    def pick(self, path: ScenePath) -> None:
        """Make one thing current."""
        choose = {
            "shapes": self.session.selection.choose_shape,
            "controls": self.session.selection.choose_control,
            "falloffs": self.session.selection.choose_falloff,
        }
        if path == ("camera",):
            self.session.selection.choose_camera()
        else:
            choose[str(path[0])](str(path[1]))

    def _add_row(self, layout: QVBoxLayout, path: ScenePath, row: Row) -> None:
        self.rows[path] = row
        row.picked.connect(lambda: self.pick(path))
        row.renamed.connect(lambda name: self._rename(path, name))
        row.eye_clicked.connect(lambda: self._toggle_visible(path))
        row.moved.connect(lambda steps: self._move(path, steps))
        row.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        row.customContextMenuRequested.connect(lambda at: self._menu(path, row).exec(row.mapToGlobal(at)))
        layout.addWidget(row)

    def _menu(self, path: ScenePath, row: Row) -> QMenu:
        menu = QMenu(row)
        menu.addAction("Rename", row.rename)
        if path != ("camera",):
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
        if path == ("camera",):
            return
        items = edits.get(self.session.document.scene, path[:-1])
        ids = [item.id for item in items]
        index = max(0, min(len(ids) - 1, ids.index(path[-1]) + steps))
        scene = edits.reorder(self.session.document.scene, path, index)
        self.session.document.commit(scene, f"Reorder {self.session.document.name_of(path)}")

    def duplicate(self, path: ScenePath) -> None:
        """Put a copy behind something and make it current."""
        scene, made = duplicate(self.session.document.scene, path)
        self.session.document.commit(scene, f"Duplicate {self.session.document.name_of(path)}")
        self.pick((path[0], made))

    def remove(self, path: ScenePath) -> None:
        """Take something out of the scene."""
        name = self.session.document.name_of(path)
        self.session.document.commit(edits.remove(self.session.document.scene, path), f"Remove {name}")
