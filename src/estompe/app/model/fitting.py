"""Fitting the range of a falloff to what it measures, as soon as that has been computed."""

from PyQt6.QtCore import QObject

from estompe.app.model.document import DocumentModel
from estompe.app.model.evaluator import Evaluator
from estompe.app.model.messages import Messages
from estompe.document import edits
from estompe.document.scene import Range, Scene
from estompe.evaluation.background.answers import Answer
from estompe.setups.fitting import fitted


class Fitting(QObject):
    """Fits a new falloff once its values are there, in the same step of undo; later only when it is asked to."""

    def __init__(
        self, document: DocumentModel, evaluator: Evaluator, messages: Messages, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._evaluator, self._messages = document, evaluator, messages
        self._expected: tuple[Scene, str, str, object] | None = None
        self._fitted: dict[str, Range] = {}
        evaluator.answered.connect(self._answered)

    def is_untouched(self, falloff: str) -> bool:
        """Whether the range of a falloff is still the one that it was made or fitted with."""
        path = ("falloffs", falloff, "range")
        scene = self._document.scene
        return edits.exists(scene, path) and edits.get(scene, path) in (Range(), self._fitted.get(falloff))

    def expect(self, falloff: str, label: str, merge_key: object) -> None:
        """Fit a falloff as soon as its values in the present scene are there. label, merge_key: of the step that made it."""
        self._expected = self._document.scene, falloff, label, merge_key

    def fit(self, falloff: str) -> None:
        """Fit a falloff to what it measures on the current shape now."""
        answer = self._evaluator.answer
        if not self._is_of(answer, falloff):
            self._messages.say("what it measures is not computed yet: choose a shape, or wait a moment", "warning")
            return
        name = self._document.name_of(("falloffs", falloff))
        self._take(answer, falloff, f"Fit the range of {name}", None)

    def _is_of(self, answer: Answer | None, falloff: str) -> bool:
        shown = answer.current if answer is not None else None
        return (
            shown is not None
            and answer is not None
            and answer.request.project.scene is self._document.scene
            and shown.falloff.id == falloff
        )

    def _answered(self, answer: Answer) -> None:
        if self._expected is None or answer.request.project.scene is not self._expected[0]:
            return
        scene, falloff, label, merge_key = self._expected
        if scene is self._document.scene and self._is_of(answer, falloff):
            self._expected = None
            self._take(answer, falloff, label, merge_key)
            self._document.end_gesture()

    def _take(self, answer: Answer | None, falloff: str, label: str, merge_key: object) -> None:
        assert answer is not None
        assert answer.current is not None
        scene = fitted(self._document.scene, answer.current)
        if scene is not self._document.scene:
            self._fitted[falloff] = edits.get(scene, ("falloffs", falloff, "range"))
            self._document.commit(scene, label, merge_key)
