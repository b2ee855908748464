"""The status line: what the last answer cost, messages, and progress of long work."""

from collections.abc import Callable

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QWidget

from estompe.app import units
from estompe.app.session import Session
from estompe.app.widgets.keyed_line import KeyedLine
from estompe.app.widgets.labels import Elided, icon_button, label
from estompe.app.widgets.removal import remove_widget
from estompe.app.work import Work

_LINGER = 8000


class _Asked(KeyedLine):
    """A line that goes when it is left or given up with Esc."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(Qt.Key.Key_Escape)
        self.setParent(parent)
        self.kept.connect(self.done)

    def done(self) -> None:
        """Go, once."""
        self.blockSignals(True)
        self.hide()
        remove_widget(self)


class StatusLine(QWidget):
    """One line at the bottom of the window."""

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__()
        self.setObjectName("status")
        self.setFixedHeight(24)
        self._session = session
        self.facts = label("", "soft")
        self.message = Elided()
        self._progress_text = label("", "soft")
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setRange(0, 1000)
        self._bar.setFixedWidth(160)
        self.cancel = icon_button("remove", "Cancel (Esc)")
        self.cancel.clicked.connect(work.cancel)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 0, 10, 0)
        row.setSpacing(18)
        row.addWidget(self.facts)
        row.addWidget(self.message, 1)
        for part in (self._progress_text, self._bar, self.cancel):
            row.addWidget(part)
            part.hide()
        self._fade = QTimer(self, singleShot=True, interval=_LINGER)
        self._fade.timeout.connect(self._clear)
        session.evaluator.answered.connect(self._pull)
        session.evaluator.readied.connect(self._pull)
        session.messages.said.connect(self.say)
        work.progressed.connect(self._progressed)
        work.ended.connect(self._ended)
        work.failed.connect(lambda text: self.say(text, "error"))
        work.cancelled.connect(lambda title: self.say(f"cancelled: {title}", "warning"))

    def stop(self) -> None:
        """Nothing fades any more: the window goes, and a timer must not find half of it."""
        self._fade.stop()

    def _clear(self) -> None:
        self.message.setText("")

    def say(self, text: str, kind: str = "") -> None:
        """Show a message for a while; errors stay until the next one."""
        self.message.setText(text)
        self.message.setToolTip(text)
        self.message.setProperty("role", kind)
        self.message.style().unpolish(self.message)
        self.message.style().polish(self.message)
        self._fade.stop()
        if kind != "error":
            self._fade.start()

    def ask(self, words: str, then: Callable[[str], None]) -> None:
        """Have a line typed in place of the message; Esc gives it up."""
        line = _Asked(self)
        line.setPlaceholderText(words)
        line.setAccessibleName(words)
        line.setGeometry(self.message.geometry().adjusted(0, 1, 0, -1))

        def take() -> None:
            text = line.text().strip()
            line.done()
            if text:
                then(text)

        line.returnPressed.connect(take)
        line.show()
        line.setFocus()

    def _pull(self) -> None:
        answer = self._session.evaluator.answer
        if answer is None:
            return
        points = sum(answer.frame[shape.id].total_points for shape in answer.frame.scene.shapes)
        ready = len(self._session.evaluator.worker.ready_frames())
        problems = len(answer.frame.problems)
        state = "ready" if not problems else "1 problem" if problems == 1 else f"{problems} problems"
        counted = units.counted(points)
        frames = "1 frame ready" if ready == 1 else f"{ready} frames ready"
        self.facts.setText(f"{state}     {counted} points     {answer.milliseconds:.0f} ms     {frames}")

    def _progressed(self, fraction: float, text: str) -> None:
        self._progress_text.setText(text)
        self._bar.setValue(round(fraction * 1000))
        for part in (self._progress_text, self._bar, self.cancel):
            part.show()

    def _ended(self) -> None:
        for part in (self._progress_text, self._bar, self.cancel):
            part.hide()
