"""Icons from one open set, in one weight, coloured by the theme."""

from typing import Any

import numpy as np
import qtawesome
from PyQt6.QtGui import QIcon, QImage, QPixmap
from PyQt6.QtWidgets import QApplication

from estompe.app.theme import PAPER, THEMES, Theme
from estompe.render.palette import strength_colors

_NAMES = {
    "eye": "ph.eye", "eye-off": "ph.eye-slash", "play": "ph.play", "pause": "ph.pause", "loop": "ph.repeat",
    "curve": "ph.chart-line", "solo": "ph.target",
    "first": "ph.skip-back", "last": "ph.skip-forward", "remove": "ph.x", "up": "ph.arrow-up", "down": "ph.arrow-down",
    "copy": "ph.copy", "add": "ph.plus", "shape": "ph.square", "control": "ph.circle",
    "camera": "ph.video-camera", "file": "ph.file", "back": "ph.caret-left", "forward": "ph.caret-right",
}  # fmt: skip


def current_theme() -> Theme:
    """The theme the application shows now."""
    app = QApplication.instance()
    return THEMES.get(str(app.property("theme")), PAPER) if app is not None else PAPER


def icon(name: str, role: str = "soft") -> QIcon:
    """An icon in a role's colour, drawn once: the font's own engine complains when asked for no pixels."""
    return QIcon(qtawesome.icon(_NAMES[name], color=getattr(current_theme(), role)).pixmap(32, 32))


def swatch() -> QPixmap:
    """The strength scale in small: the mark of a falloff."""
    colors = strength_colors(np.tile(np.linspace(0.0, 1.0, 13, dtype=np.float32)[::-1], (5, 1)))
    return QPixmap.fromImage(
        QImage(np.ascontiguousarray(colors).tobytes(), 13, 5, 39, QImage.Format.Format_RGB888).copy()
    )


def put(button: Any, name: str, role: str = "soft") -> None:
    """Show an icon on a button, unless it is there already."""
    key = f"{name}-{role}-{current_theme().name}"
    if button.property("icon-key") != key:
        button.setProperty("icon-key", key)
        button.setIcon(icon(name, role))
