"""The outline of a turned profile: points that are dragged, added and removed in a small drawing."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QMenu, QWidget

from estompe.app import icons, theme, units
from estompe.app.session import Session
from estompe.app.widgets.fields import field_for
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.kinds.settings import Setting

_HEIGHT, _MARGIN, _GRAB = 170, 16.0, 9.0
Point = tuple[float, float]


@field_for("outline")
class OutlineField(QWidget):
    """Radius goes right, height up. A drag is one step; a double click adds a point, the menu removes it."""

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__()
        self.session, self.path, self.rule = session, path, rule
        self._held: int | None = None
        self._frame: tuple[float, float, float] | None = None
        self.setFixedHeight(_HEIGHT)
        self.setAccessibleName(rule.label)
        self.setToolTip(f"{rule.label}: {rule.text}\nDrag points; double-click the line to add one.")

    @property
    def points(self) -> tuple[Point, ...]:
        """Radius and height of each point."""
        there = edits.exists(self.session.document.scene, self.path)
        return edits.get(self.session.document.scene, self.path) if there else ()

    def pull(self) -> None:
        """Show the scene's value again."""
        self.update()

    def _fitted(self) -> tuple[float, float, float]:
        """Scale, and where radius 0 and height 0 are in pixels; it stays while a point is held."""
        if self._frame is not None and self._held is not None:
            return self._frame
        widest = max((radius for radius, _ in self.points), default=1.0)
        heights = [height for _, height in self.points] or [0.0, 1.0]
        low, high = min(heights), max(heights)
        scale = min((self.width() - 4 * _MARGIN) / max(widest, 1e-6), (_HEIGHT - 2 * _MARGIN) / max(high - low, 1e-6))
        self._frame = scale, 2 * _MARGIN, _HEIGHT - _MARGIN + low * scale
        return self._frame

    def place_of(self, point: Point) -> QPointF:
        """Where a point is drawn."""
        scale, left, bottom = self._fitted()
        return QPointF(left + point[0] * scale, bottom - point[1] * scale)

    def _point_at(self, at: QPointF) -> Point:
        scale, left, bottom = self._fitted()
        return round(max(0.0, (at.x() - left) / scale), 4), round((bottom - at.y()) / scale, 4)

    def _under(self, at: QPointF) -> int | None:
        near = [(index, (self.place_of(point) - at).manhattanLength()) for index, point in enumerate(self.points)]
        index, distance = min(near, key=lambda item: item[1], default=(None, _GRAB))
        return index if distance < _GRAB else None

    def paintEvent(self, event) -> None:
        del event
        t = icons.current_theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect().adjusted(4, 2, -4, -2), t.color("raised"))
        _, left, _ = self._fitted()
        painter.setPen(QPen(t.color("hairline"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(left, 6), QPointF(left, _HEIGHT - 6))
        path = QPainterPath()
        for index, point in enumerate(self.points):
            path.moveTo(self.place_of(point)) if index == 0 else path.lineTo(self.place_of(point))
        painter.setPen(QPen(t.color("ink"), 1.6))
        painter.drawPath(path)
        for index, point in enumerate(self.points):
            painter.setPen(QPen(t.color("chalk"), 1.4))
            painter.setBrush(t.color("chalk" if index == self._held else "raised"))
            painter.drawEllipse(self.place_of(point), 3.5, 3.5)
        if self._held is not None:
            radius, height = (units.shown(value, "length") for value in self.points[self._held])
            painter.setFont(theme.font(11))
            painter.setPen(t.color("soft"))
            area = QRectF(8, 6, self.width() - 16, 16)
            painter.drawText(area, Qt.AlignmentFlag.AlignRight, f"radius {radius}, height {height}")

    def _put(self, points: tuple[Point, ...], words: str, merge_key: object = None) -> None:
        label = f"{words} {self.session.document.name_of(self.path[:2])}"
        self.session.document.put(self.path, points, label, merge_key)

    def mousePressEvent(self, event) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._held = self._under(event.position())
            self.update()

    def mouseMoveEvent(self, event) -> None:
        if self._held is not None and self._held < len(self.points):
            index, points = self._held, self.points
            moved = (*points[:index], self._point_at(event.position()), *points[index + 1 :])
            self._put(moved, "Shape the profile of", ("outline", self.path, index))

    def mouseReleaseEvent(self, event) -> None:
        del event
        self._held = None
        self.session.document.end_gesture()
        self.update()

    def mouseDoubleClickEvent(self, event) -> None:
        at = event.position()
        if self._under(at) is None:
            self.add(self._point_at(at))

    def add(self, point: Point) -> None:
        """Add a point where it lengthens the line least."""
        points = self.points
        index = min(range(len(points) + 1), key=lambda place: _longer(points, point, place))
        self._put((*points[:index], point, *points[index:]), "Add a profile point to")

    def remove(self, index: int) -> None:
        """Remove a point; two must stay."""
        if len(self.points) <= 2:
            self.session.messages.say("a profile keeps at least two points", "warning")
            return
        self._put((*self.points[:index], *self.points[index + 1 :]), "Remove a profile point of")

    def contextMenuEvent(self, event) -> None:
        index = self._under(QPointF(event.pos()))
        if index is not None:
            menu = QMenu(self)
            menu.addAction("Remove point", lambda: self.remove(index))
            menu.popup(event.globalPos())


def _longer(points: tuple[Point, ...], point: Point, place: int) -> float:
    """By how much a line becomes longer with a point at a place."""
    before = points[place - 1] if place > 0 else None
    after = points[place] if place < len(points) else None
    reached = sum(_distance(point, other) for other in (before, after) if other is not None)
    return reached - (_distance(before, after) if before is not None and after is not None else 0.0)


def _distance(a: Point, b: Point) -> float:
    return float(((a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2) ** 0.5)
