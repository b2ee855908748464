"""A grid of labelled pictures, one of which can be clicked; it may play."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from estompe.app import icons, theme

_GAP, _STRIP = 10, 22
Pixels = NDArray[np.uint8]
Place = tuple[int, int]


class ContactGrid(QWidget):
    """chosen(row, column): a picture was clicked. Cells without a picture yet are empty frames."""

    chosen = pyqtSignal(int, int)

    def __init__(self, size: tuple[int, int]) -> None:
        super().__init__()
        self._cell = size
        self._labels: list[list[str]] = []
        self._pictures: dict[Place, list[QImage]] = {}
        self._current: Place | None = None
        self._hot: Place | None = None
        self._step = 0
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._next)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Contact sheet")

    def begin(self, labels: list[list[str]], current: Place | None = None) -> None:
        """Show empty cells with these labels."""
        self.stop()
        self._labels, self._current, self._hot = labels, current, None
        self._pictures.clear()
        self.setFixedSize(self.sizeHint())
        self.update()

    def add(self, row: int, column: int, picture: Pixels) -> None:
        """Add a picture, uint8 (h, w, 3), to a cell; several are played one after the other."""
        height, width = picture.shape[:2]
        data = np.ascontiguousarray(picture)
        image = QImage(data.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()
        self._pictures.setdefault((row, column), []).append(image)
        self.update()

    def count(self, row: int, column: int) -> int:
        """How many pictures a cell has."""
        return len(self._pictures.get((row, column), ()))

    def play(self, per_second: float) -> None:
        """Show the pictures of all cells in turn."""
        self._timer.start(max(10, round(1000 / per_second)))

    def stop(self) -> None:
        """Stand still on the first pictures."""
        self._timer.stop()
        self._step = 0

    @property
    def playing(self) -> bool:
        """Whether the pictures follow each other."""
        return self._timer.isActive()

    def sizeHint(self) -> QSize:
        columns = max(map(len, self._labels), default=0)
        width, height = self._cell
        return QSize(columns * (width + _GAP) + _GAP, len(self._labels) * (height + _STRIP + _GAP) + _GAP)

    def area(self, row: int, column: int) -> QRectF:
        """Where a cell's picture is."""
        width, height = self._cell
        return QRectF(_GAP + column * (width + _GAP), _GAP + row * (height + _STRIP + _GAP), width, height)

    def _next(self) -> None:
        self._step += 1
        self.update()

    def paintEvent(self, event) -> None:
        del event
        t, painter = icons.current_theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setFont(theme.font(11))
        for row, labels in enumerate(self._labels):
            for column, text in enumerate(labels):
                place, area = (row, column), self.area(row, column)
                pictures = self._pictures.get(place)
                if pictures:
                    painter.drawImage(area, pictures[self._step % len(pictures)])
                else:
                    painter.fillRect(area, t.color("panel"))
                role = "chalk" if place in (self._current, self._hot) else "hairline"
                painter.setPen(QPen(t.color(role), 2 if place == self._hot else 1))
                painter.drawRect(area)
                painter.setPen(t.color("ink" if place == self._current else "soft"))
                strip = QRectF(area.left(), area.bottom() + 2, area.width(), _STRIP)
                shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideMiddle, int(area.width()))
                painter.drawText(strip, Qt.AlignmentFlag.AlignVCenter, shown)

    def _at(self, x: float, y: float) -> Place | None:
        for row, labels in enumerate(self._labels):
            for column in range(len(labels)):
                if self.area(row, column).adjusted(0, 0, 0, _STRIP).contains(x, y):
                    return row, column
        return None

    def mouseMoveEvent(self, event) -> None:
        hot = self._at(event.position().x(), event.position().y())
        if hot != self._hot:
            self._hot = hot
            self.setCursor(Qt.CursorShape.PointingHandCursor if hot else Qt.CursorShape.ArrowCursor)
            self.update()

    def leaveEvent(self, event) -> None:
        del event
        self._hot = None
        self.update()

    def mouseReleaseEvent(self, event) -> None:
        place = self._at(event.position().x(), event.position().y())
        if place is not None:
            self.chosen.emit(*place)
