"""Icons from one open set, in one weight, coloured by the theme."""

import json
from functools import cache
from importlib.util import find_spec
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFont, QFontDatabase, QIcon, QImage, QPainter, QPixmap
from PyQt6.QtWidgets import QApplication

from estompe.app import theme
from estompe.app.theme import PAPER, THEMES, Theme
from estompe.render.palette import strength_colors

_SIZE = 32
_NAMES = {
    "eye": "eye", "eye-off": "eye-slash", "play": "play", "pause": "pause", "loop": "repeat",
    "curve": "chart-line", "solo": "target",
    "first": "skip-back", "last": "skip-forward", "remove": "x", "up": "arrow-up", "down": "arrow-down",
    "copy": "copy", "lock": "lock-simple", "dice": "dice-five", "add": "plus", "shape": "square", "control": "circle",
    "camera": "video-camera", "wind": "wind", "file": "file", "back": "caret-left", "forward": "caret-right",
}  # fmt: skip


def current_theme() -> Theme:
    """The theme the application shows now."""
    app = QApplication.instance()
    return THEMES.get(str(app.property("theme")), PAPER) if app is not None else PAPER


@cache
def _font() -> tuple[str, dict[str, str]]:
    """The icons' font family, and the code of each icon by name.

    The package that ships the font is not imported: it would take longer than all of the window.
    """
    spec = find_spec("qtawesome")
    if spec is None or spec.origin is None:
        return theme.load_fonts(), {}
    folder = Path(spec.origin).parent / "fonts"
    font, charmap = next(folder.glob("phosphor-[0-9]*.ttf")), next(folder.glob("phosphor-charmap-*.json"))
    number = QFontDatabase.addApplicationFontFromData(font.read_bytes())
    return QFontDatabase.applicationFontFamilies(number)[0], json.loads(charmap.read_bytes())


def icon(name: str, role: str = "soft") -> QIcon:
    """An icon in a role's colour."""
    family, codes = _font()
    picture = QPixmap(_SIZE, _SIZE)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    font = QFont(family)
    font.setPixelSize(round(_SIZE * 0.875))
    painter.setFont(font)
    painter.setPen(current_theme().color(role))
    glyph = chr(int(codes[_NAMES[name]], 16)) if codes else "?"
    painter.drawText(QRectF(0, 0, _SIZE, _SIZE), Qt.AlignmentFlag.AlignCenter, glyph)
    painter.end()
    return QIcon(picture)


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
