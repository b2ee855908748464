"""Opening, saving, bringing in and sending out, from the window: always away from its thread, with progress."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from msgspec import structs
from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from estompe.app import units
from estompe.app.preferences import Preferences
from estompe.app.recovery import Lost, discard
from estompe.app.session import Session
from estompe.app.work import Work
from estompe.document import file
from estompe.document.project import Project
from estompe.document.scene import Scene
from estompe.document.shaping import framing, with_mesh
from estompe.exchange import endings, sequence
from estompe.exchange.apart import read_mesh_apart
from estompe.geometry import Geometry
from estompe.samples import sample

_SCENES = f"Scenes (*{file.ENDING})"


class Files(QObject):
    """What the File menu does. Dialogs only ask; the methods below them take a path and can be called by tests."""

    def __init__(self, session: Session, work: Work, preferences: Preferences, window: QWidget) -> None:
        super().__init__(window)
        self._session, self._work, self._preferences, self._window = session, work, preferences, window

    # Scenes

    def new_scene(self) -> None:
        """Begin with an empty scene, after asking about unsaved work."""
        if self.may_leave():
            self._session.begin(Project(Scene()), None, "untitled")

    def ask_open(self) -> None:
        """Ask for a scene or mesh and open it."""
        meshes = " ".join(f"*{ending}" for ending in endings())
        pattern = f"Scenes and meshes (*{file.ENDING} {meshes})"
        name, _ = QFileDialog.getOpenFileName(self._window, "Open", self._folder(), pattern)
        if name:
            self.open(Path(name))

    def open(self, path: Path) -> None:
        """Open a scene file, or bring in a mesh file."""
        if path.suffix.lower() != file.ENDING:
            self.bring_in(path)
        elif self.may_leave():
            self._work.start(
                f"opening {path.name}", lambda _tell: file.load(path), lambda made: self._opened(made, path)
            )

    def open_sample(self, name: str) -> None:
        """Open a sample scene."""
        if self.may_leave():
            chosen = sample(name)
            self._session.begin(chosen.build(), None, chosen.title)

    def recover(self, item: Lost) -> None:
        """Go on with an autosaved scene; it counts as unsaved."""
        try:
            project = file.load(item.path)
        except file.FileError as error:
            self._session.said.emit(f"cannot recover: {error}", "error")
            return
        original = Path(item.original) if item.original else None
        self._session.begin(project, original, item.title, saved=False)
        discard(item.path)
        self._session.said.emit(f"recovered {item.title}; save it to keep it", "warning")

    def save(self) -> bool:
        """Save to the scene's file, asking for one if it has none. True once it is saved."""
        if self._session.path is None:
            return self.ask_save_as()
        return self.save_to(self._session.path)

    def ask_save_as(self) -> bool:
        """Ask for a file and save to it."""
        start = str(self._session.path or Path(self._folder()) / f"{self._session.title}{file.ENDING}")
        name, _ = QFileDialog.getSaveFileName(self._window, "Save as", start, _SCENES)
        if not name:
            return False
        return self.save_to(Path(name).with_suffix(file.ENDING))

    def save_to(self, path: Path) -> bool:
        """Save to a file; the window waits, so that closing after it is safe."""
        project = self._session.project
        try:
            file.save(project, path)
        except file.FileError as error:
            self._session.said.emit(str(error), "error")
            return False
        self._session.saved_as(path, project.scene)
        self._remember(path)
        self._session.said.emit(f"saved {path.name}", "")
        return True

    def may_leave(self) -> bool:
        """Whether the scene may be left: nothing unsaved, or the person saved it or gave it up."""
        if not self._session.unsaved:
            return True
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self._window,
            "Estompe",
            f"“{self._session.title}” has changes that are not saved.",
            buttons.Save | buttons.Discard | buttons.Cancel,
            buttons.Save,
        )
        if answer == buttons.Save:
            return self.save()
        return answer == buttons.Discard

    # Meshes in

    def ask_bring_in(self) -> None:
        """Ask for a mesh and bring it in."""
        pattern = f"Meshes ({' '.join(f'*{ending}' for ending in endings())})"
        name, _ = QFileDialog.getOpenFileName(self._window, "Bring in a mesh", self._folder(), pattern)
        if name:
            self.bring_in(Path(name))

    def bring_in(self, path: Path) -> None:
        """Add the mesh in a file to the scene; the scene is untouched if that fails or is cancelled."""
        self._work.start(
            f"bringing in {path.name}",
            lambda tell: read_mesh_apart(path, tell),
            lambda made: self._brought_in(made, path),
        )

    def _brought_in(self, geometry: Geometry, path: Path) -> None:
        session = self._session
        first = not session.scene.shapes
        if not session.started:
            session.begin(Project(Scene()), None, path.stem)
        project, shape = with_mesh(session.project, geometry, path)
        session.add_blobs(dict(project.blobs))
        scene = project.scene
        if first:
            low, high = geometry.bounds
            scene = structs.replace(scene, camera=framing(low.astype(float), high.astype(float), scene.camera))
        session.commit(scene, f"Bring in {path.name}")
        session.choose_shape(shape)
        self._remember(path)
        session.said.emit(f"brought in {path.name}: {units.counted(len(geometry.points))} points", "")

    def _opened(self, project: Project, path: Path) -> None:
        self._session.begin(project, path, path.name)
        self._remember(path)

    def hand_on_mesh(self, path: Path, then: Callable[[Geometry], None]) -> None:
        """Read a mesh with progress and hand it on."""
        self._work.start(f"reading {path.name}", lambda tell: read_mesh_apart(path, tell), then)

    # Out

    def ask_send_out(self) -> None:
        """Ask for a USD file and bake the shot into it."""
        start = str(Path(self._folder()) / f"{Path(self._session.title).stem}.usdc")
        name, _ = QFileDialog.getSaveFileName(self._window, "Send out an animated scene", start, "USD (*.usdc *.usda)")
        if name:
            path = Path(name)
            self.send_out(path if path.suffix else path.with_suffix(".usdc"))

    def send_out(self, path: Path) -> None:
        """Bake the shot to a USD file."""
        from estompe.exchange import usd_out  # slow to start, and not needed until now

        project = self._session.project
        first, last = project.scene.first, project.scene.last
        self._work.start(
            f"sending out {path.name}",
            lambda tell: usd_out.write(project, first, last, path, tell),
            lambda _: self._session.said.emit(f"frames {first}–{last} are in {path}", ""),
        )

    def ask_send_sequence(self) -> None:
        """Ask for a folder and bake the shot into mesh files."""
        name, kind = QFileDialog.getSaveFileName(
            self._window, "Folder for the sequence", self._folder(), "PLY sequence (*);;OBJ sequence (*)"
        )
        if name:
            self.send_sequence(Path(name), "obj" if kind.startswith("OBJ") else "ply")

    def send_sequence(self, folder: Path, form: Any) -> None:
        """Bake the shot to a folder of mesh files."""
        project = self._session.project
        first, last = project.scene.first, project.scene.last
        self._work.start(
            f"sending out {folder.name}",
            lambda tell: sequence.write(project, first, last, folder, form, tell),
            lambda made: self._session.said.emit(f"{len(made)} files are in {folder}", ""),
        )

    def ask_picture(self) -> Path | None:
        """Ask where a picture of the view should go."""
        start = str(Path(self._folder()) / f"{Path(self._session.title).stem}.png")
        name, _ = QFileDialog.getSaveFileName(self._window, "Save the view as a picture", start, "PNG (*.png)")
        return Path(name).with_suffix(".png") if name else None

    def _folder(self) -> str:
        if self._session.path is not None:
            return str(self._session.path.parent)
        recent = self._preferences.recent
        return str(Path(recent[0]).parent) if recent else str(Path.home())

    def _remember(self, path: Path) -> None:
        self._preferences.remember(path)
        self._preferences.save()
