"""The ramp as a curve over the histogram of the values now on the shape, with everything on it draggable."""

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QMenu, QWidget

from estompe.app import icons, theme
from estompe.document.scene import Ramp, Range
from estompe.evaluation.frame import Shown
from estompe.falloffs.ramp import drawn
from estompe.kernels.types import Floats
from estompe.kinds.numbers import plain

_TOP, _BOTTOM, _GRAB = 14, 22, 9
# Two numbers below the ramp need so many pixels from one to the other.
_LABEL = 42.0
Grab = tuple[str, int]


@dataclass(frozen=True)
class Curve:
    """A range and ramp resolved for the current frame."""

    range: Range
    ramp: Ramp
    signed: bool

    @property
    def full(self) -> float:
        return plain(self.range.full)

    @property
    def gone(self) -> float:
        return plain(self.range.gone)


class RampPlot(QWidget):
    """Drags tell what they do and leave the scene to the panel.

    range_dragged(end, value), point_dragged(index, position, value), point_added(position, value), point_removed(index),
    point_shaped(index, shape), point_picked(index), released().
    """

    range_dragged = pyqtSignal(str, float)
    point_dragged = pyqtSignal(int, float, float)
    point_added = pyqtSignal(float, float)
    point_removed = pyqtSignal(int)
    point_shaped = pyqtSignal(int, str)
    point_picked = pyqtSignal(int)
    released = pyqtSignal()

    def __init__(self, fixed_range: bool = False) -> None:
        super().__init__()
        self._fixed_range = fixed_range
        self.setMinimumHeight(140)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Ramp")
        self.setToolTip(
            "Drag the points, or the two upright lines that end the range.\nDouble-click adds a point, Delete removes it."
        )
        self.curve: Curve | None = None
        self.picked = 0
        self.unit = "length"
        self._counts: np.ndarray | None = None
        self._low, self._high = 0.0, 1.0
        self._axis = (0.0, 1.0)
        self._grab: Grab | None = None
        self._marker: float | None = None

    def show_curve(self, curve: Curve, unit: str) -> None:
        """Show a range and ramp."""
        self.curve, self.unit = curve, unit
        self.picked = min(self.picked, len(curve.ramp) - 1)
        self._settle_axis()
        self.update()

    def show_values(self, shown: Shown | None, values: Floats | None) -> None:
        """Show the histogram of values, or none."""
        if shown is None or values is None or not len(values):
            self._counts = None
        else:
            self._counts, self._low, self._high = shown.histogram(values)
        self._settle_axis()
        self.update()

    def mark(self, value: float | None) -> None:
        """Mark the value under the pointer."""
        if value != self._marker:
            self._marker = value
            self.update()

    def _settle_axis(self) -> None:
        """The stretch of values shown; it rests while something is dragged."""
        if self._grab is not None or self.curve is None:
            return
        low, high = min(self.curve.full, self.curve.gone), max(self.curve.full, self.curve.gone)
        if self._counts is not None:
            low, high = min(low, self._low), max(high, self._high)
        if self.unit == "length":
            low = min(low, 0.0) if low > 0 and low < 0.4 * high else low
        margin = max(1e-6, 1e-6 * abs(high), high - low) * 0.08
        self._axis = (low - (margin if low != 0.0 else 0.0), high + margin)

    def _plot(self) -> QRectF:
        return QRectF(0, 0, self.width(), self.height() - _BOTTOM)

    def _x(self, value: float) -> float:
        low, high = self._axis
        return self._plot().width() * (value - low) / (high - low)

    def _value(self, x: float) -> float:
        low, high = self._axis
        return low + (high - low) * x / self._plot().width()

    def _y(self, strength: float) -> float:
        plot = self._plot()
        low, high = (-1.0, 1.0) if self.curve and self.curve.signed else (0.0, 1.0)
        return plot.bottom() - _TOP - (plot.height() - 2 * _TOP) * (strength - low) / (high - low)

    def _strength(self, y: float) -> float:
        plot = self._plot()
        low, high = (-1.0, 1.0) if self.curve and self.curve.signed else (0.0, 1.0)
        return low + (high - low) * (plot.bottom() - _TOP - y) / (plot.height() - 2 * _TOP)

    def point_place(self, index: int) -> QPointF:
        """Where a ramp point is in the widget."""
        point = self.curve.ramp[index]
        value = self.curve.full + (self.curve.gone - self.curve.full) * plain(point.position)
        return QPointF(self._x(value), self._y(plain(point.value)))

    def end_place(self, end: str) -> float:
        """Where a range end is across the widget."""
        return self._x(getattr(self.curve, end))

    def paintEvent(self, event) -> None:
        del event
        t = icons.current_theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self._plot(), t.color("raised"))
        if self.curve is None:
            return
        self._paint_histogram(painter, t)
        self._paint_range(painter, t)
        self._paint_curve(painter, t)
        self._paint_axis(painter, t)

    def _paint_histogram(self, painter: QPainter, t: theme.Theme) -> None:
        if self._counts is None or not self._counts.max():
            return
        bottom, tallest = self._plot().bottom(), self._plot().height() * 0.72
        edges = np.linspace(self._low, self._high, len(self._counts) + 1)
        # The root keeps a small but real fraction of points visible beside a tall bar.
        heights = np.sqrt(self._counts / self._counts.max()) * tallest
        gap = 1.0 if self._x(edges[1]) - self._x(edges[0]) > 4 else 0.0
        for left, right, height in zip(edges[:-1], edges[1:], heights, strict=True):
            if height > 0:
                bar = QRectF(
                    self._x(left), bottom - max(1.0, height), max(1.0, self._x(right) - self._x(left) - gap), height
                )
                painter.fillRect(bar, t.color("histogram"))

    def _paint_range(self, painter: QPainter, t: theme.Theme) -> None:
        if self._fixed_range:
            return
        for end, style in (("full", Qt.PenStyle.SolidLine), ("gone", Qt.PenStyle.DashLine)):
            painter.setPen(QPen(t.color("chalk"), 1.4 if self._grab != (end, 0) else 2.2, style))
            x = self.end_place(end)
            painter.drawLine(QPointF(x, 0), QPointF(x, self._plot().bottom()))

    def _paint_curve(self, painter: QPainter, t: theme.Theme) -> None:
        values = np.array([self._value(x) for x in range(self.width() + 1)], np.float32)
        strengths = drawn(values, self.curve.range, self.curve.ramp, self.curve.signed)
        path = QPainterPath(QPointF(0, self._y(float(strengths[0]))))
        for x in range(1, len(values)):
            path.lineTo(x, self._y(float(strengths[x])))
        painter.setPen(QPen(t.color("ink"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
        for index in range(len(self.curve.ramp)):
            picked = index == self.picked
            painter.setPen(QPen(t.color("chalk" if picked else "ink"), 1.8))
            painter.setBrush(t.color("raised"))
            painter.drawEllipse(self.point_place(index), 5, 5)
        if self._marker is not None:
            strength = drawn(np.array([self._marker], np.float32), self.curve.range, self.curve.ramp, self.curve.signed)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(t.color("chalk"))
            painter.drawEllipse(QPointF(self._x(self._marker), self._y(float(strength[0]))), 4.5, 4.5)

    def _paint_axis(self, painter: QPainter, t: theme.Theme) -> None:
        area = QRectF(0, self.height() - _BOTTOM + 3, self.width(), _BOTTOM - 3)
        marks = [(self.end_place("full"), self.curve.full, True), (self.end_place("gone"), self.curve.gone, True)]
        taken = _apart(marks[0][0], marks[1][0], float(self.width()))
        for x, value in ((0.0, self._axis[0]), (float(self.width()), self._axis[1])):
            if all(abs(x - other) > 52 for other in taken):
                marks.append((x, value, False))
        for index, (x, value, strong) in enumerate(marks):
            painter.setFont(theme.font(11, QFont.Weight.DemiBold if strong else QFont.Weight.Normal))
            painter.setPen(t.color("ink" if strong else "soft"))
            middle = taken[index] if strong else x
            left = max(0.0, min(self.width() - 60.0, middle - 30))
            align = (
                Qt.AlignmentFlag.AlignHCenter
                if 30 < middle < self.width() - 30
                else Qt.AlignmentFlag.AlignLeft
                if middle <= 30
                else Qt.AlignmentFlag.AlignRight
            )
            text = f"{value:.2f}".replace("-", "−")
            painter.drawText(QRectF(left, area.top(), 60, area.height()), align | Qt.AlignmentFlag.AlignTop, text)

    def _under(self, place: QPointF) -> Grab | None:
        """What a press at a place takes hold of: the nearest point, else a range end."""
        near = [((self.point_place(index) - place).manhattanLength(), index) for index in range(len(self.curve.ramp))]
        distance, index = min(near)
        if distance < _GRAB * 1.5:
            return "point", index
        for end in () if self._fixed_range else ("full", "gone"):
            if abs(self.end_place(end) - place.x()) < _GRAB * 0.7:
                return end, 0
        return None

    def mousePressEvent(self, event) -> None:
        if event.button() != Qt.MouseButton.LeftButton or self.curve is None:
            return
        self._grab = self._under(event.position())
        if self._grab is not None and self._grab[0] == "point":
            self.picked = self._grab[1]
            self.point_picked.emit(self.picked)
        self.update()

    def mouseMoveEvent(self, event) -> None:
        if self.curve is None:
            return
        if self._grab is None:
            over = self._under(event.position())
            shapes = {
                "point": Qt.CursorShape.SizeAllCursor,
                "full": Qt.CursorShape.SizeHorCursor,
                "gone": Qt.CursorShape.SizeHorCursor,
            }
            self.setCursor(shapes[over[0]] if over else Qt.CursorShape.ArrowCursor)
            return
        kind, index = self._grab
        value = self._value(event.position().x())
        if kind != "point":
            self.range_dragged.emit(kind, value)
            return
        width = self.curve.gone - self.curve.full
        position = (value - self.curve.full) / width if width else plain(self.curve.ramp[index].position)
        low, high = (-1.0, 1.0) if self.curve.signed else (0.0, 1.0)
        strength = max(low, min(high, self._strength(event.position().y())))
        self.point_dragged.emit(index, max(0.0, min(1.0, position)), strength)

    def mouseReleaseEvent(self, event) -> None:
        del event
        self._grab = None
        self._settle_axis()
        self.released.emit()
        self.update()

    def mouseDoubleClickEvent(self, event) -> None:
        width = self.curve.gone - self.curve.full
        if self._under(event.position()) is not None or width == 0:
            return
        position = (self._value(event.position().x()) - self.curve.full) / width
        if 0.0 <= position <= 1.0:
            self.point_added.emit(position, max(0.0, min(1.0, self._strength(event.position().y()))))

    def event(self, event) -> bool:
        # Delete is a shortcut of the window too; here it takes away a picked point or key.
        if event.type() == QEvent.Type.ShortcutOverride and event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event) -> None:
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.point_removed.emit(self.picked)
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down):
            point = self.curve.ramp[self.picked]
            across = {Qt.Key.Key_Left: -0.01, Qt.Key.Key_Right: 0.01}.get(event.key(), 0.0)
            up = {Qt.Key.Key_Down: -0.01, Qt.Key.Key_Up: 0.01}.get(event.key(), 0.0)
            position = max(0.0, min(1.0, plain(point.position) + across))
            self.point_dragged.emit(self.picked, position, max(0.0, min(1.0, plain(point.value) + up)))
            self.released.emit()
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event) -> None:
        if self.curve is None:
            return
        under = self._under(QPointF(event.pos()))
        if under is None or under[0] != "point":
            return
        index = under[1]
        menu = QMenu(self)
        for shape in ("linear", "smooth", "step"):
            action = menu.addAction(
                f"{shape} to the next point", lambda shape=shape: self.point_shaped.emit(index, shape)
            )
            action.setCheckable(True)
            action.setChecked(self.curve.ramp[index].interpolation == shape)
        menu.addSeparator()
        menu.addAction("Remove point", lambda: self.point_removed.emit(index))
        menu.exec(event.globalPos())


def _apart(first: float, second: float, width: float) -> tuple[float, float]:
    """Where two numbers stand that belong to two places: below them, or as far apart as they need to be read."""
    close = _LABEL - abs(second - first)
    if close <= 0:
        return first, second
    low = min(max(min(first, second) - close / 2, 0.0), width - _LABEL)
    return (low, low + _LABEL) if first <= second else (low + _LABEL, low)
