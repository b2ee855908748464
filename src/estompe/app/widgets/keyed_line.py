"""A line of text that keeps one key for itself, though the window has a command on that key."""

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtWidgets import QLineEdit


class KeyedLine(QLineEdit):
    """A line that emits `kept` when its own key is pressed, such as Esc or Tab."""

    kept = pyqtSignal()

    def __init__(self, key: Qt.Key, text: str = "") -> None:
        super().__init__(text)
        self._key = key

    def event(self, event) -> bool:
        kinds = (QEvent.Type.ShortcutOverride, QEvent.Type.KeyPress)
        if event.type() not in kinds or event.key() != self._key:
            return super().event(event)
        event.accept()  # else the window's command would run
        if event.type() == QEvent.Type.KeyPress:
            self.kept.emit()
        return True
