"""Import a shot: the tree of an animated file, with a tick at everything that should come in."""

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QBrush
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from estompe.app import icons, units
from estompe.app.session import Session
from estompe.app.widgets.labels import closing_head, hairline, label, link
from estompe.importing.footage import Footage
from estompe.importing.stage import Entry
from estompe.setups.shot import ticked_at_first

_WORDS = {"mesh": "mesh", "copies": "copies", "camera": "camera", "transform": "transform", "other": "cannot be used"}
_ICONS = {"mesh": "shape", "copies": "shape", "camera": "camera", "transform": "control", "other": "remove"}
_MOST_OPEN = 400


class ShotSheet(QWidget):
    """wanted(prims): import these. closed(): the person is done."""

    wanted = pyqtSignal(object)
    closed = pyqtSignal()

    def __init__(self, session: Session, footage: Footage) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session, self.footage = session, footage
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 24, 16)
        layout.setSpacing(8)
        layout.addWidget(closing_head("Import a shot", "Import a shot", self.closed.emit))
        layout.addWidget(hairline())
        layout.addWidget(label(self._described(), "soft", wrap=True))
        for note in footage.about.notes:
            layout.addWidget(label(note, "warning", wrap=True))
        layout.addLayout(self._tools())
        self.tree = self._tree()
        layout.addWidget(self.tree, 1)
        layout.addLayout(self._foot())
        self.tree.itemChanged.connect(self._count)
        self._count()

    def _described(self) -> str:
        about, scene = self.footage.about, self._session.document.scene
        words = [Path(self.footage.reading.file).name]
        if about.first is not None and about.last is not None:
            unit = "frames" if about.frames_per_second is not None or not about.rate else "seconds"
            words.append(f"{unit} {about.first:g} to {about.last:g}")
        if about.frames_per_second is not None:
            words.append(f"{about.frames_per_second:g} frames per second")
        words.append(f"{about.up} up")
        if self.footage.scale != 1.0:
            words.append(f"units of {about.metres_per_unit:g} m, scaled by {self.footage.scale:g} to the scene's")
        else:
            words.append(f"units of {scene.metres_per_unit:g} m")
        return " · ".join(words)

    def _tools(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find by name")
        self.search.setAccessibleName("Find a prim")
        self.search.textChanged.connect(self._find)
        row.addWidget(self.search, 1)
        for text, kinds in (("all", None), ("nothing", ()), ("meshes only", ("mesh", "copies"))):
            button = link(text, f"Tick {text}")
            button.clicked.connect(lambda _, kinds=kinds: self.tick(kinds))
            row.addWidget(button)
        return row

    def _tree(self) -> QTreeWidget:
        tree = QTreeWidget()
        tree.setAccessibleName("What the file holds")
        tree.setHeaderLabels(["prim", "comes in as", "size", "over time", ""])
        tree.setUniformRowHeights(True)
        tree.setRootIsDecorated(True)
        entries = self.footage.about.entries
        ticked = ticked_at_first(entries)
        self.items: dict[str, QTreeWidgetItem] = {}
        for entry in entries:
            above = self._above(entry.path)
            item = QTreeWidgetItem(above or tree, self._columns(entry))
            item.setData(0, Qt.ItemDataRole.UserRole, entry.path)
            item.setIcon(0, icons.icon(_ICONS[entry.kind], "soft" if entry.kind == "other" else "ink"))
            if entry.kind == "other":
                item.setFlags(Qt.ItemFlag.ItemIsEnabled)
                for column in range(5):
                    item.setForeground(column, QBrush(icons.current_theme().color("soft")))
            else:
                item.setCheckState(0, Qt.CheckState.Checked if entry.path in ticked else Qt.CheckState.Unchecked)
            self.items[entry.path] = item
        if len(entries) <= _MOST_OPEN:
            tree.expandAll()
        header = tree.header()
        header.setStretchLastSection(True)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        for column, width in enumerate((300, 96, 104, 90)):
            header.resizeSection(column, width)
        return tree

    def _above(self, path: str) -> QTreeWidgetItem | None:
        while "/" in path.strip("/"):
            path = path.rsplit("/", 1)[0]
            if path in self.items:
                return self.items[path]
        return None

    @staticmethod
    def _columns(entry: Entry) -> list[str]:
        unit = {"mesh": "points", "copies": "copies"}.get(entry.kind, "")
        size = f"{units.counted(entry.points)} {unit}" if unit else ""
        how = ", ".join(entry.varies) if entry.varies else "moves" if entry.moves else "still"
        return [entry.name, _WORDS[entry.kind], size, "" if entry.kind == "other" else how, entry.note]

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.counted = label("", "soft")
        row.addWidget(self.counted, 1)
        cancel = link("Cancel")
        cancel.clicked.connect(self.closed.emit)
        row.addWidget(cancel)
        self.take = QPushButton("Import")
        self.take.setProperty("role", "main")
        self.take.clicked.connect(lambda: self.wanted.emit(self.ticked()))
        row.addWidget(self.take)
        return row

    def ticked(self) -> list[str]:
        """The prims that are ticked, in the order of the tree."""
        able = (entry.path for entry in self.footage.about.entries if entry.kind != "other")
        return [path for path in able if self.items[path].checkState(0) is Qt.CheckState.Checked]

    def tick(self, kinds: tuple[str, ...] | None) -> None:
        """Tick the prims of these kinds and no others; None: all that come in unless somebody says otherwise."""
        first = ticked_at_first(self.footage.about.entries)
        for entry in self.footage.about.entries:
            if entry.kind != "other":
                on = entry.path in first if kinds is None else entry.kind in kinds
                self.items[entry.path].setCheckState(0, Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)

    def _find(self, text: str) -> None:
        wanted = text.strip().lower()
        shown = {path for path in self.items if wanted in path.lower()}
        for path, item in self.items.items():
            below = any(other == path or other.startswith(path + "/") for other in shown) if wanted else True
            item.setHidden(not below)

    def _count(self) -> None:
        count = len(self.ticked())
        self.counted.setText(f"{count} of {len(self.items)} prims are imported")
        self.take.setEnabled(count > 0)
