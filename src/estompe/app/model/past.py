"""How far what the scene remembers has been worked out, and in which words that is said."""

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from estompe.app import units
from estompe.app.model.document import DocumentModel
from estompe.app.model.evaluator import Evaluator
from estompe.app.model.messages import Messages
from estompe.app.model.playhead import Playhead
from estompe.evaluation.background.worker import Standing

_PATIENCE = 200
_LONG = 0.6
"""Seconds after which it is said that a frame takes long."""


class PastModel(QObject):
    """changed(): there is news."""

    changed = pyqtSignal()

    def __init__(
        self,
        document: DocumentModel,
        playhead: Playhead,
        evaluator: Evaluator,
        messages: Messages,
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._document, self._playhead, self._evaluator, self._messages = document, playhead, evaluator, messages
        self._standing: Standing | None = None
        self._told = ""
        # Progress arrives only between steps, which may be slow, so poll with a timer.
        self._waiting = QTimer(self, singleShot=True, interval=_PATIENCE)
        self._waiting.timeout.connect(self._look)
        evaluator.stood.connect(self._take)
        document.scene_changed.connect(lambda *_: self._waiting.start())
        playhead.changed.connect(self._waiting.start)
        document.scene_changed.connect(lambda *_: self.changed.emit())
        playhead.changed.connect(self.changed)

    @property
    def standing(self) -> Standing | None:
        """The newest news about the current scene; None where it remembers nothing."""
        standing = self._standing
        return standing if standing is not None and standing.project.scene is self._document.scene else None

    @property
    def is_behind(self) -> bool:
        """Whether the picture that is shown is not the one that is asked for."""
        answer = self._evaluator.answer
        if answer is None:
            return False
        shown = answer.request
        return shown.frame != self._playhead.frame or shown.project.scene is not self._document.scene

    @property
    def words(self) -> str:
        """What the view says while it shows another picture than the one that is asked for; "" where it does not."""
        standing, answer = self.standing, self._evaluator.answer
        if answer is None or not self.is_behind:
            return ""
        frame, worker = self._playhead.frame, self._evaluator.worker
        shown = f"frame {answer.request.frame} is shown"
        if answer.request.frame == frame:
            shown = "shown as it was before the change"
        step = standing.working if standing is not None else None
        if worker.stopped if standing is None or step is None else standing.stopped:
            return f"{shown}: stopped on the way to {frame}; change something or go to another frame to go on"
        if step is None:
            return f"{shown}; computing frame {frame}: {worker.busy:.1f} s (Esc stops)" if worker.busy > _LONG else ""
        return (
            f"{shown}; on the way to {frame}: {step.frame - step.first + 1} of {step.last - step.first + 1} (Esc stops)"
        )

    def about(self, own: str) -> str:
        """What the card of a layer or an effect says about its memory, by its id; "" for one without."""
        standing = self.standing
        places = [] if standing is None else [item for place, item in standing.places.items() if place.own == own]
        if not places:
            return ""
        place = max(places, key=lambda item: item.nbytes)
        often = "a step a frame" if place.looks == 1 else f"{place.looks} steps a frame"
        done = f"worked out to {max(place.frames)}" if place.frames else "nothing worked out yet"
        size = units.bytes_shown(sum(item.nbytes for item in places))
        return f"remembers from frame {place.begins}, {often}, {size} a state, {done}"

    def stop(self) -> bool:
        """Stop working it out. Returns whether there was anything to stop."""
        return self._evaluator.worker.stop_work()

    def close(self) -> None:
        """Look no more."""
        self._waiting.stop()

    def _look(self) -> None:
        if not self.is_behind:
            return
        standing = self._evaluator.worker.standing
        if standing is not None and standing.working is not None:
            self._take(standing)
        elif self._evaluator.worker.busy > _LONG:
            self.changed.emit()
        self._waiting.start()

    def _take(self, standing: Standing) -> None:
        self._standing = standing
        if standing.trouble and standing.trouble != self._told:
            self._told = standing.trouble
            self._messages.say(standing.trouble, "warning")
        self.changed.emit()
