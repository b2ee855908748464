"""A row of buttons of which one is chosen."""

from collections.abc import Callable, Mapping
from typing import TypeVar

from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QToolButton, QWidget

Way = TypeVar("Way", bound=str)


def ways(
    owner: QWidget, words: Mapping[Way, tuple[str, str]], choose: Callable[[Way], None]
) -> tuple[QHBoxLayout, dict[Way, QToolButton]]:
    """Buttons side by side, and each by its name. words: what stands on each, and its tip, by the name that is chosen."""
    row, group = QHBoxLayout(), QButtonGroup(owner)
    buttons: dict[Way, QToolButton] = {}
    for name, (text, tip) in words.items():
        button = QToolButton()
        button.setText(text)
        button.setToolTip(tip)
        button.setCheckable(True)
        button.clicked.connect(lambda _, name=name: choose(name))
        group.addButton(button)
        row.addWidget(button)
        buttons[name] = button
    row.addStretch(1)
    return row, buttons
