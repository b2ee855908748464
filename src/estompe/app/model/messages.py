"""What is said in the status line."""

from PyQt6.QtCore import QObject, pyqtSignal


class Messages(QObject):
    """said(text, kind): a message, kind "", "warning" or "error"."""

    said = pyqtSignal(str, str)

    def say(self, text: str, kind: str = "") -> None:
        """Say something."""
        self.said.emit(text, kind)
