"""What the window is about at this moment, put together from its parts."""

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from estompe.app.model.document import DocumentModel
from estompe.app.model.evaluator import Evaluator
from estompe.app.model.fitting import Fitting
from estompe.app.model.fronts import Fronts
from estompe.app.model.messages import Messages
from estompe.app.model.numbers import Numbers
from estompe.app.model.overlaps import Overlaps
from estompe.app.model.painting import Painting
from estompe.app.model.past import PastModel
from estompe.app.model.playhead import Playhead
from estompe.app.model.selection import Selection
from estompe.app.model.slices import Slices
from estompe.app.model.variants import Variants
from estompe.document.project import Project
from estompe.document.scene import Scene


class Session(QObject):
    """The models behind the window: pull what you show when their signals come.

    mesh_wanted(path, then): read a mesh away from this thread and hand it on; palette_wanted(family): offer what can be added.
    """

    mesh_wanted = pyqtSignal(object, object)
    palette_wanted = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.messages = Messages(self)
        self.document = DocumentModel(self.messages, self)
        self.selection = Selection(self.document, self)
        self.playhead = Playhead(self.document, self)
        # What is current must be there before anybody looks.
        self.document.scene_changed.connect(self._follow)
        self.evaluator = Evaluator(self.document, self.selection, self.playhead, self.messages, self)
        self.fitting = Fitting(self.document, self.evaluator, self.messages, self)
        self.past = PastModel(self.document, self.playhead, self.evaluator, self.messages, self)
        self.numbers = Numbers(self.document, self.playhead, self.evaluator, self.messages, self)
        self.painting = Painting(self.document, self.selection, self.evaluator, self.messages, self)
        self.overlaps = Overlaps(self.document, self.evaluator, self.messages, self)
        self.fronts = Fronts(self.document, self.evaluator, self.messages, self)
        self.slices = Slices(self.document, self.evaluator, self.messages, self)
        self.variants = Variants(self.document, self.messages, self)
        self.playhead.left.connect(self.document.end_gesture)

    def begin(self, project: Project, path: Path | None, title: str, saved: bool = True) -> None:
        """Go on with another project; nothing of the one before stays current."""
        scene = project.scene
        self.document.begin(project, path, title, saved)
        self.selection.begin(scene)
        self.playhead.begin(scene)
        self.evaluator.begin()
        self.numbers.begin()
        self.painting.take(None)
        self.document.project_changed.emit()
        self.document.scene_changed.emit(Scene(), scene)
        self.selection.changed.emit()
        self.playhead.changed.emit()
        self.evaluator.ask()
        self.messages.say("")  # what was said of the one before is over

    def close(self) -> None:
        """End background work."""
        self.overlaps.close()
        self.fronts.close()
        self.slices.close()
        self.past.close()
        self.evaluator.close()

    def _follow(self, _old: Scene, new: Scene) -> None:
        self.selection.follow(new)
        self.playhead.follow(new)
