"""The files that a scene reads: where they are, what is missing, and another one in the place of each."""

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from estompe.app.session import Session
from estompe.app.widgets.labels import Elided, closing_head, hairline, label, link
from estompe.document.paths import relinked
from estompe.setups.collecting import FileUsed, files_used

_NONE = "This scene reads no files: its meshes are stored with it."


class FilesSheet(QWidget):
    """closed() when it should go; collect_wanted() for a folder with everything."""

    closed = pyqtSignal()
    collect_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session = session
        self.links: dict[str, QPushButton] = {}
        self._area = QScrollArea()
        self._area.setWidgetResizable(True)
        self.collect = QPushButton("Collect into a folder…")
        self.collect.setToolTip("Copy the scene and everything that it reads into a new folder")
        self.collect.clicked.connect(self.collect_wanted.emit)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(self.collect)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 24, 16)
        layout.setSpacing(8)
        layout.addWidget(closing_head("Files", "the files", self.closed.emit))
        layout.addWidget(hairline())
        layout.addWidget(self._area, 1)
        layout.addLayout(foot)
        session.document.scene_changed.connect(self._follow)
        self.refresh()

    def _follow(self, _scene: object, _before: object) -> None:
        self.refresh()

    def refresh(self) -> None:
        """List the files of the scene as it is now."""
        inner = QWidget()
        grid = QGridLayout(inner)
        grid.setContentsMargins(0, 0, 12, 0)
        grid.setHorizontalSpacing(16)
        grid.setColumnStretch(1, 1)
        self.links = {}
        used = files_used(self._session.document.scene)
        if not used:
            grid.addWidget(label(_NONE, "soft"), 0, 0, 1, 2)
        for row, item in enumerate(used):
            self._add(grid, row, item)
        grid.setRowStretch(max(1, len(used)), 1)
        self._area.setWidget(inner)

    def _add(self, grid: QGridLayout, row: int, item: FileUsed) -> None:
        grid.addWidget(label(Path(item.name).name), row, 0)
        words = Elided(item.problem or str(Path(item.name).parent))
        words.setProperty("role", "error" if item.problem else "soft")
        words.setToolTip(item.name if item.name == item.place else f"{item.name}\n{item.place}")
        grid.addWidget(words, row, 1)
        other = link("choose another", f"Read another file wherever {Path(item.name).name} is read")
        other.clicked.connect(lambda: self._choose(item))
        grid.addWidget(other, row, 2)
        self.links[item.name] = other

    def _choose(self, item: FileUsed) -> None:
        begin = str(Path(item.place).parent)
        name, _ = QFileDialog.getOpenFileName(self, f"In the place of {Path(item.name).name}", begin)
        if name:
            self.relink(item.name, name)

    def relink(self, before: str, name: str) -> None:
        """Read another file wherever one is read, as one step of undo."""
        document = self._session.document
        document.commit(
            relinked(document.scene, before, name), f"Read {Path(name).name} in the place of {Path(before).name}"
        )
        self._session.evaluator.ask()
