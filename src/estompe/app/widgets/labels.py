"""Labels with a role, section heads and thin lines."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFont, QPainter
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QToolButton, QWidget

from estompe.app import icons, theme


def label(text: str, role: str = "", wrap: bool = False) -> QLabel:
    """Text in a role: "", "soft", "strong", "error" or "warning"."""
    made = QLabel(text)
    made.setProperty("role", role)
    made.setWordWrap(wrap)
    made.setTextFormat(Qt.TextFormat.PlainText)
    if wrap:
        made.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
    return made


class Elided(QLabel):
    """A label that gives way: what does not fit ends in an ellipsis."""

    def __init__(self, text: str = "", role: str = "") -> None:
        super().__init__(text)
        self.setProperty("role", role)
        self.setMinimumWidth(24)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def paintEvent(self, event) -> None:
        del event
        painter = QPainter(self)
        text = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        painter.setPen(self.palette().color(self.foregroundRole()))
        painter.drawText(self.rect(), self.alignment() | Qt.AlignmentFlag.AlignVCenter, text)


class Head(QWidget):
    """The head of a section: its name in small capitals, and what it is about at the right."""

    def __init__(self, name: str, about: str = "") -> None:
        super().__init__()
        self.title = title = label(name.upper(), "soft")
        title.setFont(theme.font(11, QFont.Weight.DemiBold, 0.8))
        title.setStyleSheet("font-size: 11px; font-weight: 600; letter-spacing: 0.8px;")
        self.about = Elided(about, "soft")
        self.about.setAlignment(Qt.AlignmentFlag.AlignRight)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 10, 0, 4)
        row.addWidget(title)
        row.addWidget(self.about, 1)

    def show_as(self, other: "Head") -> None:
        """Show the words of another heading."""
        self.title.setText(other.title.text())
        self.about.setText(other.about.text())
        self.about.setStyleSheet(other.about.styleSheet())


def closing_head(name: str, what: str, close: Callable[[], None]) -> Head:
    """The head of a sheet, with a button that closes it."""
    head = Head(name)
    button = icon_button("remove", f"Close {what} (Esc)")
    button.clicked.connect(close)
    head.layout().addWidget(button)
    return head


def hairline() -> QFrame:
    """A thin line across."""
    line = QFrame()
    line.setFixedHeight(1)
    line.setObjectName("hairline")
    return line


def link(text: str, tip: str = "") -> QPushButton:
    """A button that reads as a link."""
    button = QPushButton(text)
    button.setProperty("role", "link")
    button.setToolTip(tip)
    button.setCursor(Qt.CursorShape.PointingHandCursor)
    return button


def icon_button(name: str, tip: str) -> QToolButton:
    """A small button with an icon; the tip names it for people and for tests."""
    button = QToolButton()
    button.setProperty("role", "quiet")
    button.setToolTip(tip)
    button.setAccessibleName(tip)
    icons.put(button, name)
    return button
