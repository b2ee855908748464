"""Having frames computed in the background, and the newest answer."""

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from estompe.app.model.document import DocumentModel
from estompe.app.model.messages import Messages
from estompe.app.model.playhead import Playhead
from estompe.app.model.selection import Selection
from estompe.document.scene import Scene
from estompe.evaluation.background.answers import Answer, Request
from estompe.evaluation.background.watch import FileWatch
from estompe.evaluation.background.worker import Worker
from estompe.evaluation.time.state_files import StateFolder, default_folder

_REST = 350
_ROUGH = 2.0


def uses_voxels(scene: Scene) -> bool:
    """Whether any effect of a scene works on voxels."""
    return any(slot.enabled and "rough" in slot.effect.reads() for shape in scene.shapes for slot in shape.effects)


class Evaluator(QObject):
    """answered(answer) for the newest request; readied(request, fraction) for a frame computed ahead.

    fraction: how much of the current shape is past half strength there. stood(standing): how far what the scene remembers has
    been worked out.
    """

    answered = pyqtSignal(object)
    readied = pyqtSignal(object, object)
    stood = pyqtSignal(object)
    _arrived = pyqtSignal(object)
    _failed = pyqtSignal(str)
    _files_changed = pyqtSignal()

    def __init__(
        self,
        document: DocumentModel,
        selection: Selection,
        playhead: Playhead,
        messages: Messages,
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._document, self._selection, self._playhead = document, selection, playhead
        self.answer: Answer | None = None
        self._shown_for = (selection.shape_id, selection.falloff_id)
        self._asking = QTimer(self, singleShot=True, interval=0)
        self._asking.timeout.connect(self._ask)
        # One call from the worker's thread to this one: all that listen to `answered` are told before anything else happens.
        self._arrived.connect(self._receive)
        self._failed.connect(lambda text: messages.say(text, "error"))
        self.worker = Worker(
            self._arrived.emit,
            self.readied.emit,
            failed=self._failed.emit,
            stood=self.stood.emit,
            states=StateFolder(default_folder()),
        )
        # While something is dragged voxels may be larger; the fine picture follows once it rests.
        self._resting = QTimer(self, singleShot=True, interval=_REST)
        self._resting.timeout.connect(self.ask)
        # Files that the scene refers to are written by others.
        self._files_changed.connect(self.ask)
        self._watch = FileWatch(self._files_changed.emit)
        document.scene_changed.connect(self._changed)
        selection.changed.connect(self._selected)
        playhead.left.connect(self._moved)

    def begin(self) -> None:
        """Forget the answer for another project."""
        self.answer = None
        self._watch.look_at(None)

    def ask(self) -> None:
        """Have the current frame computed, once everything at hand has been dealt with."""
        self._asking.start()

    def reduction(self, what: str, falloff: str, shape: str) -> float:
        """What the newest answer found for a reduction; 0 while it is not known."""
        reductions = self.answer.frame.reductions if self.answer is not None else {}
        return reductions.get((what, falloff, shape), 0.0)

    def still_asks(self, request: Request) -> bool:
        """Whether a request is about what is current; news of others may still be on its way."""
        current = self._selection.shape_id, self._selection.falloff_id
        return request.project.scene is self._document.scene and (request.shape, request.falloff) == current

    def close(self) -> None:
        """End background work."""
        for timer in (self._asking, self._resting):
            timer.stop()
        self._watch.stop()
        self.worker.stop()
        self.worker.forget()
        self.answer = None

    def _changed(self) -> None:
        if self._document.in_gesture and uses_voxels(self._document.scene):
            self._resting.start()
        else:
            self._resting.stop()
        self.ask()

    def _selected(self) -> None:
        current = self._selection.shape_id, self._selection.falloff_id
        if current != self._shown_for:
            self._shown_for = current
            self.ask()

    def _moved(self) -> None:
        ready = self.worker.ready(self._request())
        if ready is not None:
            self._take(ready)
        self.ask()

    def _request(self) -> Request:
        rough = _ROUGH if self._resting.isActive() else 1.0
        current = self._selection.shape_id, self._selection.falloff_id
        return Request(self._document.project, self._playhead.frame, *current, rough)

    def _ask(self) -> None:
        self.worker.ask(self._request())

    def _receive(self, answer: Answer) -> None:
        self._take(answer)
        self.answered.emit(answer)

    def _take(self, answer: Answer) -> None:
        self.answer = answer
        self._watch.look_at(answer)
