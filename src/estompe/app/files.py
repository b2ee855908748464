"""Opening, saving, importing and exporting, from the window: always away from its thread, with progress."""

import contextlib
from collections.abc import Callable
from pathlib import Path

from msgspec import structs
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from estompe.app import units
from estompe.app.model.recovery import Autosave, Lost
from estompe.app.preferences import Preferences
from estompe.app.session import Session
from estompe.app.work import Work
from estompe.document import file
from estompe.document.project import Project
from estompe.document.scene import Scene
from estompe.exchange import sequence
from estompe.exchange.formats import SCENE_WRITERS, SEQUENCE_WRITERS, load_formats, scene_writer_for
from estompe.geometry import Geometry
from estompe.importing.footage import Footage
from estompe.importing.formats import READERS, load_readers
from estompe.importing.isolated import read_mesh_isolated
from estompe.importing.stage import stage_endings
from estompe.samples import sample
from estompe.setups import own
from estompe.setups.collecting import Collected, collect
from estompe.setups.meshes import framing, with_mesh
from estompe.setups.shot import ShotError, listed, with_shot

_SHOTS = (".usd", ".usda", ".usdc", ".usdz", ".gltf", ".glb")
_SCENES = f"Scenes (*{file.ENDING})"
Stamp = tuple[int, int]


def mesh_pattern() -> str:
    """What a dialog shows for meshes."""
    load_readers()
    return " ".join(f"*{ending}" for ending in READERS)


class Files(QObject):
    """What the File menu does. Dialogs only ask; the methods below them take a path and can be called by tests."""

    shot_opened = pyqtSignal(object)

    def __init__(
        self, session: Session, work: Work, preferences: Preferences, autosave: Autosave, window: QWidget
    ) -> None:
        super().__init__(window)
        self._session, self._work, self._preferences, self._window = session, work, preferences, window
        self._autosave = autosave

    # Scenes

    def new_scene(self) -> None:
        """Begin with an empty scene, after asking about unsaved work."""
        if self.may_leave():
            self._session.begin(Project(Scene()), None, "untitled")

    def ask_open(self) -> None:
        """Ask for a scene or mesh and open it."""
        pattern = f"Scenes and meshes (*{file.ENDING} {mesh_pattern()})"
        name, _ = QFileDialog.getOpenFileName(self._window, "Open", self.folder(), pattern)
        if name:
            self.open(Path(name))

    def open(self, path: Path) -> None:
        """Open a scene file, or import a mesh file; one that holds more than a mesh is handed on as a shot."""
        if path.suffix.lower() in _SHOTS:
            self.open_shot(path, lambda footage: self._shot_or_mesh(footage, path))
        elif path.suffix.lower() != file.ENDING:
            self.import_mesh(path)
        elif self.may_leave():
            left = self._session.document.scene
            self._work.start(
                f"opening {path.name}", lambda _progress: file.load(path), lambda made: self._opened(made, path, left)
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
            self._session.messages.say(f"cannot recover: {error}", "error")
            return
        original = Path(item.original) if item.original else None
        self._session.begin(project, original, item.title, saved=False)
        if original is not None:
            self._session.document.stamp = _stamp_known(item, original)
        # Until the scene is kept again under this window's own name, the one it came from is the only copy.
        self._autosave.follow(item.path)
        self._autosave.write()
        self._session.messages.say(f"recovered {item.title}; save it to keep it", "warning")

    def save(self) -> bool:
        """Save to the scene's file, asking for one if it has none. True once it is saved."""
        if self._session.document.path is None:
            return self.ask_save_as()
        return self.save_to(self._session.document.path)

    def ask_save_as(self) -> bool:
        """Ask for a file and save to it."""
        start = str(self._session.document.path or Path(self.folder()) / f"{self._session.document.title}{file.ENDING}")
        name, _ = QFileDialog.getSaveFileName(self._window, "Save as", start, _SCENES)
        if not name:
            return False
        return self.save_to(Path(name).with_suffix(file.ENDING))

    def save_to(self, path: Path) -> bool:
        """Save to a file; the window waits, so that closing after it is safe."""
        project = self._session.document.project
        if not self._may_overwrite(path):
            return False
        try:
            file.save(project, path)
        except file.FileError as error:
            self._session.messages.say(str(error), "error")
            return False
        self._session.document.stamp = _stamp(path)
        self._session.document.saved_as(path, project.scene)
        self._remember(path)
        self._session.messages.say(f"saved {path.name}")
        return True

    def _may_overwrite(self, path: Path) -> bool:
        """Whether what is in the scene's own file may be replaced, though somebody else wrote it since it was opened."""
        known = self._session.document.stamp
        if path != self._session.document.path or known is None:
            return True
        now = _stamp(path)
        if now is None or now == known:
            return True
        return self.may_replace(
            f"“{path.name}” was changed on the disk since it was opened here. Overwrite what is there now?"
        )

    def may_replace(self, question: str) -> bool:
        """Ask whether something that is there may be replaced."""
        buttons = QMessageBox.StandardButton
        return (
            QMessageBox.question(self._window, "Estompe", question, buttons.Yes | buttons.No, buttons.No) == buttons.Yes
        )

    def may_leave(self) -> bool:
        """Whether the scene may be left: nothing unsaved, or the person saved it or gave it up."""
        if not self._session.document.unsaved:
            return True
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self._window,
            "Estompe",
            f"“{self._session.document.title}” has changes that are not saved.",
            buttons.Save | buttons.Discard | buttons.Cancel,
            buttons.Save,
        )
        if answer == buttons.Save:
            return self.save()
        return answer == buttons.Discard

    # Meshes in

    def ask_import(self) -> None:
        """Ask for a mesh and import it."""
        pattern = f"Meshes ({mesh_pattern()})"
        name, _ = QFileDialog.getOpenFileName(self._window, "Import a mesh", self.folder(), pattern)
        if name:
            self.import_mesh(Path(name))

    def import_mesh(self, path: Path) -> None:
        """Add the mesh in a file to the scene; the scene is untouched if that fails or is cancelled."""
        unit = self._session.document.scene.metres_per_unit
        self._work.start(
            f"importing {path.name}",
            lambda progress: read_mesh_isolated(path, progress, unit),
            lambda made: self._imported(made, path),
            self._session.document.still_open(),
        )

    def ask_import_shot(self, show: Callable[[Footage], None]) -> None:
        """Ask for an animated file, and hand it on once it is open."""
        pattern = " ".join(f"*{ending}" for ending in stage_endings())
        name, _ = QFileDialog.getOpenFileName(
            self._window, "Import a shot", self.folder(), f"Animated files ({pattern})"
        )
        if name:
            self.open_shot(Path(name), show)

    def open_shot(self, path: Path, show: Callable[[Footage], None]) -> None:
        """Open an animated file, or the sequence that a numbered mesh file is one of, and hand it on."""
        scene = self._session.document.scene
        self._work.start(
            f"opening {path.name}",
            lambda progress: listed(path, scene, lambda: progress(0.5, f"opening {path.name}")),
            show,
            self._session.document.still_open(),
        )

    def _shot_or_mesh(self, footage: Footage, path: Path) -> None:
        if any(entry.moves or entry.kind in ("camera", "copies") for entry in footage.about.entries):
            self.shot_opened.emit(footage)
        else:
            self.import_mesh(path)

    def import_shot(self, footage: Footage, prims: list[str]) -> bool:
        """Add prims of an animated file to the scene. True once they are in."""
        session, path = self._session, Path(footage.reading.file)
        if not session.document.started:
            session.begin(Project(Scene()), None, path.stem)
        try:
            made = with_shot(session.document.project, footage, prims, exactly=True)
        except ShotError as error:
            session.messages.say(str(error), "error")
            return False
        session.document.commit(made.project.scene, f"Import {path.name}")
        if made.shapes:
            session.selection.choose_shape(made.shapes[0])
        session.playhead.go(max(made.project.scene.first, min(made.project.scene.last, session.playhead.frame)))
        self._remember(path)
        text = "; ".join((f"imported {made.words} of {path.name}", *made.notes))
        session.messages.say(text, "warning" if made.notes else "")
        return True

    def _imported(self, geometry: Geometry, path: Path) -> None:
        session = self._session
        first = not session.document.scene.shapes
        if not session.document.started:
            session.begin(Project(Scene()), None, path.stem)
        project, shape = with_mesh(session.document.project, geometry, path)
        session.document.add_assets(dict(project.assets))
        scene = project.scene
        if first:
            low, high = geometry.bounds
            scene = structs.replace(scene, camera=framing(low.astype(float), high.astype(float), scene.camera))
        session.document.commit(scene, f"Import {path.name}")
        session.selection.choose_shape(shape)
        self._remember(path)
        text = "; ".join((f"imported {path.name}: {units.counted(len(geometry.points))} points", *geometry.notes))
        session.messages.say(text, "warning" if geometry.notes else "")

    def _opened(self, project: Project, path: Path, left: Scene) -> None:
        # Edits that were made while the file was read are not lost without a question.
        if self._session.document.scene is not left and not self.may_leave():
            self._session.messages.say(f"{path.name} is not opened: this scene stays open", "warning")
            return
        stamp = _stamp(path)
        self._session.begin(project, path, path.name)
        self._session.document.stamp = stamp
        self._remember(path)

    def hand_on_mesh(self, path: Path, then: Callable[[Geometry], None]) -> None:
        """Read a mesh with progress and hand it on."""
        unit = self._session.document.scene.metres_per_unit
        self._work.start(
            f"reading {path.name}",
            lambda progress: read_mesh_isolated(path, progress, unit),
            then,
            self._session.document.still_open(),
        )

    # Out

    def ask_export(self) -> None:
        """Ask for a file and bake the shot into it."""
        load_formats()
        kinds = {
            f"{writer.label} ({' '.join(f'*{ending}' for ending in writer.endings)})": writer
            for writer in SCENE_WRITERS.values()
        }
        first = next(iter(kinds.values())).endings[0]
        start = str(Path(self.folder()) / f"{Path(self._session.document.title).stem}{first}")
        name, kind = QFileDialog.getSaveFileName(self._window, "Export an animated scene", start, ";;".join(kinds))
        if name:
            path = Path(name)
            self.export_scene(path if path.suffix else path.with_suffix(kinds[kind].endings[0] if kind else first))

    def export_scene(self, path: Path) -> None:
        """Bake the shot to a file; its ending says how."""
        writer = scene_writer_for(path)
        if writer is None:
            known = ", ".join(ending for item in SCENE_WRITERS.values() for ending in item.endings)
            self._session.messages.say(f"{path.name}: choose a name that ends in one of {known}", "error")
            return
        project = self._session.document.project
        first, last = project.scene.first, project.scene.last
        self._work.start(
            f"exporting {path.name}",
            lambda progress: writer.write(project, first, last, path, progress),
            lambda _: self._session.messages.say(f"frames {first}–{last} are in {path}"),
        )

    def ask_export_sequence(self) -> None:
        """Ask for a folder and bake the shot into mesh files."""
        load_formats()
        kinds = {f"{writer.label} (*)": name for name, writer in SEQUENCE_WRITERS.items()}
        name, kind = QFileDialog.getSaveFileName(
            self._window, "Folder for the sequence", self.folder(), ";;".join(kinds)
        )
        if name:
            self.export_sequence(Path(name), kinds.get(kind, next(iter(SEQUENCE_WRITERS))))

    def export_sequence(self, folder: Path, name: str) -> None:
        """Bake the shot to a folder of mesh files of a format."""
        project = self._session.document.project
        first, last = project.scene.first, project.scene.last
        self._work.start(
            f"exporting {folder.name}",
            lambda progress: sequence.write(project, first, last, folder, name, progress),
            lambda made: self._session.messages.say(f"{len(made)} files are in {folder}"),
        )

    def ask_collect(self) -> None:
        """Ask for a new folder, and copy the scene and everything that it reads into it."""
        start = str(Path(self.folder()) / f"{Path(self._session.document.title).stem}-collected")
        name, _ = QFileDialog.getSaveFileName(self._window, "New folder for the scene and its files", start)
        if name:
            self.collect(Path(name))

    def collect(self, folder: Path) -> None:
        """Copy the scene and everything that it reads into a new folder."""
        document = self._session.document
        project, title = document.project, Path(document.title).stem
        self._work.start(
            f"collecting into {folder.name}",
            lambda progress: collect(project, folder, title, progress),
            lambda collected: self._say_collected(collected, folder),
        )

    def _say_collected(self, collected: Collected, folder: Path) -> None:
        words = f"the scene and {collected.files} of its files are in {folder}"
        self._session.messages.say("; ".join((words, *collected.notes)), "warning" if collected.notes else "")

    def ask_setup(self) -> Path | None:
        """Ask for the file of a set-up."""
        name, _ = QFileDialog.getOpenFileName(
            self._window, "Use a set-up", str(own.folder()), f"Set-ups (*{file.ENDING})"
        )
        return Path(name) if name else None

    def ask_picture(self) -> Path | None:
        """Ask where a picture of the view should go."""
        start = str(Path(self.folder()) / f"{Path(self._session.document.title).stem}.png")
        name, _ = QFileDialog.getSaveFileName(self._window, "Save the view as a picture", start, "PNG (*.png)")
        return Path(name).with_suffix(".png") if name else None

    def folder(self) -> str:
        """Where files of this scene go at first."""
        if self._session.document.path is not None:
            return str(self._session.document.path.parent)
        recent = self._preferences.recent
        return str(Path(recent[0]).parent) if recent else str(Path.home())

    def _remember(self, path: Path) -> None:
        self._preferences.remember(path)
        self._preferences.save()


def _stamp_known(item: Lost, original: Path) -> Stamp | None:
    """The state of a scene's own file that an autosave was begun from; one that it cannot have where that is not known."""
    if item.stamp is not None:
        return item.stamp
    now = _stamp(original)
    return (0, -1) if now is not None and now[0] > item.when * 1e9 else now


def _stamp(path: Path) -> Stamp | None:
    """What tells one state of a file from another."""
    with contextlib.suppress(OSError):
        about = path.stat()
        return about.st_mtime_ns, about.st_size
    return None
