"""A small live picture of a pattern, such as noise, as it is on a square of one scene unit and more."""

from typing import Any

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage, QPainter, QPixmap
from PyQt6.QtWidgets import QWidget

from estompe import faults
from estompe.app import icons
from estompe.app.session import Session
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.scene import Scene
from estompe.evaluation.planning.inputs import Declared
from estompe.evaluation.planning.phases import Phases, paced
from estompe.evaluation.planning.resolved import ResolvedScene
from estompe.evaluation.running.node import Keyed
from estompe.geometry import Geometry
from estompe.geometry.elements import Elements
from estompe.geometry.topology import Topology
from estompe.kinds.numbers import plain
from estompe.render.palette import strength_colors

_WIDTH, _HEIGHT, _EXTENT = 144, 48, 3.0
_IDENTITY, _GREY = Keyed(np.eye(3, 4)), (0.5, 0.5, 0.5)


class PatternPicture(QWidget):
    """Three scene units of a source's pattern across the XY plane, as wide as the card."""

    def __init__(self, session: Session, path: ScenePath) -> None:
        super().__init__()
        self._session, self._path = session, path
        self._shown: tuple[Any, float] | None = None
        self._phases: Phases | None = None
        self._phases_for: Scene | None = None
        self._picture = QPixmap()
        self.setFixedHeight(_HEIGHT + 6)
        self.setToolTip(f"The pattern over {_EXTENT:g} scene units")
        self.setAccessibleName("Pattern")

    def pull(self) -> None:
        """Draw the pattern again if it is another one now."""
        if not edits.exists(self._session.numbers.now, self._path):
            return
        project, reduce = self._session.document.project, self._session.evaluator.reduction
        if self._phases is None or self._phases_for is not project.scene:
            self._phases_for = project.scene
            self._phases = Phases(project, lambda path, frame: plain(ResolvedScene(project, frame, reduce).part(path)))
        parts = ResolvedScene(project, self._session.playhead.frame, reduce)
        source, clock = paced(edits.get(self._session.numbers.now, self._path), self._path, parts, self._phases)
        if self._shown != (source, clock):
            self._shown = (source, clock)
            self._picture = _pattern(source, clock, {"matrix": _IDENTITY, "color": _GREY, "camera": parts.camera})
            self.update()

    def paintEvent(self, event) -> None:
        del event
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        area = self.rect().adjusted(4, 3, -4, -3)
        painter.drawPixmap(area, self._picture)
        painter.setPen(icons.current_theme().color("hairline"))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(area)


def _pattern(source: Any, clock: float, read: dict[str, Any]) -> QPixmap:
    x, y = np.meshgrid(np.linspace(0, _EXTENT, _WIDTH), np.linspace(_EXTENT * _HEIGHT / _WIDTH, 0, _HEIGHT))
    points = np.stack([x.ravel(), y.ravel(), np.zeros(x.size)], axis=1).astype(np.float32)
    square = Geometry(points, Topology(np.zeros(0, np.int32), np.zeros(1, np.int32), len(points)))
    try:
        values = source.measure(Elements(square), Declared(clock, read=read)).reshape(_HEIGHT, _WIDTH)
    except Exception as error:  # a kind of a plug-in may ask for more than a square has
        faults.record(error, f"The pattern of {source.label}")
        values = np.zeros((_HEIGHT, _WIDTH), np.float32)
    reach = max(float(np.abs(values).max()), 1e-9)
    colors = np.ascontiguousarray(strength_colors(0.5 + values / (2 * reach)))
    return QPixmap.fromImage(QImage(colors.tobytes(), _WIDTH, _HEIGHT, _WIDTH * 3, QImage.Format.Format_RGB888).copy())
