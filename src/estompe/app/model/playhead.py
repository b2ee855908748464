"""Which frame is shown."""

from PyQt6.QtCore import QObject, pyqtSignal

from estompe.app.model.document import DocumentModel
from estompe.document.scene import Scene


class Playhead(QObject):
    """changed() when another frame is shown; left() before that, when the one before ends."""

    changed = pyqtSignal()
    left = pyqtSignal()

    def __init__(self, document: DocumentModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self.frame = 1

    def begin(self, scene: Scene) -> None:
        """Stand on the first frame of another project. Emits no signal."""
        self.frame = scene.first

    def go(self, frame: int) -> None:
        """Go to a frame of the shot."""
        scene = self._document.scene
        frame = max(scene.first, min(scene.last, frame))
        if frame != self.frame:
            self.frame = frame
            self.left.emit()
            self.changed.emit()

    def follow(self, scene: Scene) -> None:
        """Stay within the shot."""
        self.frame = max(scene.first, min(scene.last, self.frame))
