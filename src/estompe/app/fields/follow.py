"""What is read from an animated file: the file, a prim of it, and what is followed."""

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QWidget

from estompe.app.session import Session
from estompe.app.widgets.fields import Box, field_for
from estompe.app.widgets.labels import Elided, icon_button, label, link
from estompe.app.widgets.number import HEIGHT
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.paths import relinked
from estompe.importing.footage import if_open, stamp_of
from estompe.importing.link import Reading
from estompe.importing.stage import stage_endings
from estompe.kinds.settings import Setting


class _Row(QWidget):
    """A label, what stands there, and room for buttons."""

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__()
        self.session, self.path, self.rule = session, path, rule
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(4, 0, 0, 0)
        self.row.setSpacing(4)
        name = label(rule.label, "soft")
        name.setFixedWidth(72)
        name.setToolTip(rule.text)
        self.row.addWidget(name)
        self.setFixedHeight(HEIGHT + 2)

    def reading(self, file: str) -> Reading:
        """How a file of this scene is read."""
        return Reading.of(file, self.session.document.scene)


@field_for("footage")
class FootageField(_Row):
    """The animated file something is read from; another can be pointed at, for everything that is read from it."""

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__(session, path, rule)
        self.name = Elided()
        self.row.addWidget(self.name, 1)
        choose = icon_button("file", "Point at another file")
        choose.clicked.connect(self._choose)
        self.row.addWidget(choose)
        self.pull()

    def pull(self) -> None:
        if not edits.exists(self.session.document.scene, self.path):
            return
        file = edits.get(self.session.document.scene, self.path)
        missing = bool(file) and stamp_of(self.reading(file))[0] is None and "#" not in file
        self.name.setText(f"{Path(file).name} is missing" if missing else Path(file).name)
        self.name.setProperty("role", "error" if missing else "")
        self.name.setToolTip(file)
        self.name.style().polish(self.name)

    def _choose(self) -> None:
        file = edits.get(self.session.document.scene, self.path)
        pattern = " ".join(f"*{ending}" for ending in stage_endings())
        name, _ = QFileDialog.getOpenFileName(
            self, "Point at another file", str(Path(file).parent), f"Animated files ({pattern})"
        )
        if name:
            self.point_at(name)

    def point_at(self, name: str) -> None:
        """Read everything that was read from this file from another one."""
        document = self.session.document
        before = edits.get(document.scene, self.path)
        document.commit(relinked(document.scene, before, name), f"Point at {Path(name).name}")


@field_for("prim")
class PrimField(_Row):
    """A prim of the file beside it."""

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__(session, path, rule)
        self.box = Box()
        self.box.setAccessibleName(rule.label)
        self.box.setFixedHeight(HEIGHT)
        self.box.activated.connect(self._chosen)
        self.row.addWidget(self.box, 1)
        self.pull()

    def pull(self) -> None:
        scene = self.session.document.scene
        if not edits.exists(scene, self.path):
            return
        value = edits.get(scene, self.path)
        prims = self._prims(edits.get(scene, (*self.path[:-1], "file")), self.path[-1] == "rest_prim")
        names = prims if value in prims else [value, *prims]
        if [self.box.itemText(i) for i in range(self.box.count())] != names:
            self.box.clear()
            self.box.addItems(names)
        self.box.setCurrentIndex(names.index(value))
        self.box.setToolTip(f"{self.rule.label}: {value}")

    def _prims(self, file: str, meshes: bool) -> list[str]:
        """The prims of a file that is open already; one that is not is not opened on this thread."""
        footage = if_open(self.reading(file))
        entries = footage.about.entries if footage is not None else ()
        return [entry.path for entry in entries if entry.kind == "mesh" or (not meshes and entry.kind != "other")]

    def _chosen(self, index: int) -> None:
        name = f"Set {self.session.document.name_of(self.path)}"
        self.session.document.put(self.path, self.box.itemText(index), name)


@field_for("follow")
class FollowField(_Row):
    """What something goes along with, and a way to let go of it."""

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__(session, path, rule)
        self.name = Elided()
        self.row.addWidget(self.name, 1)
        self.leave = link("let go", "Stop following; it stays where its own numbers say")
        self.leave.clicked.connect(self._leave)
        self.row.addWidget(self.leave)
        self.pull()

    def pull(self) -> None:
        if not edits.exists(self.session.document.scene, self.path):
            return
        follows = edits.get(self.session.document.scene, self.path)
        if follows is None:
            self.hide()
            return
        if self.parentWidget() is not None:  # without one it would be a window of its own for a moment
            self.show()
        self.name.setText(f"{follows.prim.rsplit('/', 1)[-1]} in {Path(follows.file).name}")
        self.name.setToolTip(f"{follows.prim} of {follows.file}")

    def _leave(self) -> None:
        self.session.document.put(
            self.path, None, f"Let go of what {self.session.document.name_of(self.path[:-1])} follows"
        )
