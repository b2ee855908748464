"""Keys as curves: several at once, with their points and tangents to drag."""

from dataclasses import dataclass

import numpy as np
from msgspec import structs
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QMenu, QWidget

from estompe.app import icons, theme
from estompe.app.session import Session
from estompe.app.theme import Theme
from estompe.app.time import lanes
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.resolving import Resolver
from estompe.kinds.numbers import Key, Keyed

_LEFT, _RIGHT, _TOP, _BOTTOM, _GRAB, _ARM = 150, 16, 14, 20, 8, 44.0


@dataclass(frozen=True)
class Grip:
    """A key, or one of its tangents: "key", "in" or "out"."""

    path: ScenePath
    frame: float
    part: str


class CurveCanvas(QWidget):
    """Drag a key in time and value, or the ends of its tangents; a double click on a curve makes a key."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.picked: Grip | None = None
        self._drag: Grip | None = None
        self._axis = (0.0, 1.0)
        self._courses: dict[ScenePath, np.ndarray] = {}
        self._courses_of: object = None
        self.setMinimumHeight(110)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Curves")
        self.setToolTip("Drag keys and tangents. Double-click a curve for a key; right-click a key for its shape.")
        for signal in (session.document.scene_changed, session.selection.changed, session.playhead.changed):
            signal.connect(self._pull)

    def numbers(self) -> list[tuple[ScenePath, Keyed]]:
        """The keyed numbers of the lanes, one curve each."""
        found = [path for lane in lanes.lanes_of(self.session) for path in lane.paths]
        return [(path, edits.get(self.session.document.scene, path)) for path in found]

    def courses(self) -> dict[ScenePath, np.ndarray]:
        """The values over the shot of numbers that follow a formula, by their path; computed once for a scene."""
        scene = self.session.document.scene
        paths = lanes.formulas_of(self.session)
        if scene is not self._courses_of or set(paths) != set(self._courses):
            frames = [Resolver(scene, float(frame), self.session.evaluator.reduction) for frame in self._frames()[::3]]
            self._courses = {path: np.array([float(at.part(path)) for at in frames]) for path in paths}
            self._courses_of = scene
        return self._courses

    def _pull(self, *_: object) -> None:
        if self._drag is None and self.isVisible():
            self._settle()
        self.update()

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self._settle()

    def _settle(self) -> None:
        """The values that must be seen; they rest while something is dragged."""
        values = [number.at(frame) for _, number in self.numbers() for frame in self._frames()]
        values += [value for course in self.courses().values() for value in course.tolist()]
        if not values:
            return
        low, high = min(values), max(values)
        margin = max((high - low) * 0.12, 1e-6 * abs(high), 1e-3)
        self._axis = (low - margin, high + margin)

    def _frames(self) -> np.ndarray:
        scene = self.session.document.scene
        return np.linspace(scene.first, scene.last, 160)

    def x_of(self, frame: float) -> float:
        """Where a frame is across the widget."""
        scene = self.session.document.scene
        return _LEFT + (self.width() - _LEFT - _RIGHT) * (frame - scene.first) / max(1, scene.last - scene.first)

    def y_of(self, value: float) -> float:
        """Where a value is down the widget."""
        low, high = self._axis
        return self.height() - _BOTTOM - (self.height() - _TOP - _BOTTOM) * (value - low) / (high - low)

    def _frame_at(self, x: float) -> float:
        scene = self.session.document.scene
        return scene.first + (x - _LEFT) / max(1.0, self.width() - _LEFT - _RIGHT) * (scene.last - scene.first)

    def _value_at(self, y: float) -> float:
        low, high = self._axis
        return low + (high - low) * (self.height() - _BOTTOM - y) / (self.height() - _TOP - _BOTTOM)

    # Painting

    def paintEvent(self, event) -> None:
        del event
        t = icons.current_theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), t.color("panel"))
        if not self.session.document.started:
            return
        self._paint_scale(painter, t)
        numbers = self.numbers()
        for place, (path, course) in enumerate(self.courses().items(), start=len(numbers)):
            self._paint_course(painter, t, path, course, place)
        if not numbers and not self.courses():
            painter.setPen(t.color("soft"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Nothing that is picked has keys: K makes one.")
        for place, (path, number) in enumerate(numbers):
            self._paint_curve(painter, t, path, number, place)
        x = self.x_of(self.session.playhead.frame)
        painter.setPen(QPen(t.color("chalk"), 1.4))
        painter.drawLine(QPointF(x, 4), QPointF(x, self.height() - 4))

    def _paint_scale(self, painter: QPainter, t: Theme) -> None:
        painter.setFont(theme.font(11))
        for fraction in (0.0, 0.5, 1.0):
            value = self._axis[0] + (self._axis[1] - self._axis[0]) * fraction
            y = self.y_of(value)
            painter.setPen(QPen(t.color("hairline"), 1))
            painter.drawLine(QPointF(_LEFT, y), QPointF(self.width() - _RIGHT, y))
            painter.setPen(t.color("soft"))
            text = f"{value:.2f}".replace("-", "−")
            painter.drawText(
                QRectF(_LEFT - 60, y - 8, 52, 16), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text
            )

    def color_of(self, place: int) -> QColor:
        """A curve's colour; its dash pattern differs too, so that hue is not needed."""
        t = icons.current_theme()
        return t.color(("chalk", "slate", "ochre", "ink")[place % 4])

    def _paint_course(self, painter: QPainter, t: Theme, path: ScenePath, course: np.ndarray, place: int) -> None:
        """What a formula makes of a number: thin and dotted, without keys."""
        frames = self._frames()[::3]
        line = QPainterPath(QPointF(self.x_of(float(frames[0])), self.y_of(float(course[0]))))
        for frame, value in zip(frames[1:], course[1:], strict=True):
            line.lineTo(self.x_of(float(frame)), self.y_of(float(value)))
        painter.setPen(QPen(t.color("soft"), 1.3, Qt.PenStyle.DotLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(line)
        self._paint_name(painter, f"= {self.session.document.name_of(path)}", place)

    def _paint_name(self, painter: QPainter, name: str, place: int) -> None:
        painter.setFont(theme.font(11))
        words = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, _LEFT - 78)
        painter.drawText(QRectF(12, _TOP + 16 * place, _LEFT - 76, 16), Qt.AlignmentFlag.AlignVCenter, words)

    def _paint_curve(self, painter: QPainter, t: Theme, path: ScenePath, number: Keyed, place: int) -> None:
        color = self.color_of(place)
        pen = QPen(color, 1.8)
        if place:
            pen.setDashPattern([[6, 3], [2, 2], [8, 2, 2, 2]][(place - 1) % 3])
        frames = self._frames()
        line = QPainterPath(QPointF(self.x_of(frames[0]), self.y_of(number.at(float(frames[0])))))
        for frame in frames[1:]:
            line.lineTo(self.x_of(float(frame)), self.y_of(number.at(float(frame))))
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(line)
        self._paint_name(painter, self.session.document.name_of(path), place)
        for key in number.keys:
            picked = self.picked is not None and (self.picked.path, self.picked.frame) == (path, key.frame)
            if picked:
                self._paint_tangents(painter, path, number, key)
            painter.setPen(QPen(t.color("panel"), 1))
            painter.setBrush(t.color("chalk") if picked else color)
            painter.drawEllipse(QPointF(self.x_of(key.frame), self.y_of(key.value)), 4.5, 4.5)

    def _paint_tangents(self, painter: QPainter, path: ScenePath, number: Keyed, key: Key) -> None:
        at = QPointF(self.x_of(key.frame), self.y_of(key.value))
        painter.setPen(QPen(icons.current_theme().color("soft"), 1.2))
        for part in ("in", "out"):
            end = self.tangent_end(number, key, part)
            painter.drawLine(at, end)
            painter.setBrush(icons.current_theme().color("raised"))
            painter.drawRect(QRectF(end.x() - 3, end.y() - 3, 6, 6))

    def tangent_end(self, number: Keyed, key: Key, part: str) -> QPointF:
        """Where the end of a tangent is: a fixed length of it in pixels."""
        slope = self._slope(number, key, part)
        step = np.array([self.x_of(1.0) - self.x_of(0.0), self.y_of(slope) - self.y_of(0.0)])
        step = step / max(float(np.linalg.norm(step)), 1e-9) * (_ARM if part == "out" else -_ARM)
        return QPointF(self.x_of(key.frame) + float(step[0]), self.y_of(key.value) + float(step[1]))

    def _slope(self, number: Keyed, key: Key, part: str) -> float:
        own = key.slope_in if part == "in" else key.slope_out
        if own is not None:
            return own
        near = 1e-3
        if part == "in":
            return (number.at(key.frame) - number.at(key.frame - near)) / near
        return (number.at(key.frame + near) - number.at(key.frame)) / near

    # The pointer

    def _under(self, at: QPointF) -> Grip | None:
        if self.picked is not None and edits.exists(self.session.document.scene, self.picked.path):
            number = edits.get(self.session.document.scene, self.picked.path)
            keys = [key for key in getattr(number, "keys", ()) if key.frame == self.picked.frame]
            for key, part in ((key, part) for key in keys for part in ("in", "out")):
                if (self.tangent_end(number, key, part) - at).manhattanLength() < _GRAB:
                    return Grip(self.picked.path, key.frame, part)
        for path, number in self.numbers():
            for key in number.keys:
                if (QPointF(self.x_of(key.frame), self.y_of(key.value)) - at).manhattanLength() < _GRAB * 1.4:
                    return Grip(path, key.frame, "key")
        return None

    def mousePressEvent(self, event) -> None:
        grip = self._under(event.position())
        self._drag = grip if event.button() == Qt.MouseButton.LeftButton else None
        if grip is None or grip.part == "key":
            self.picked = grip
        if grip is None and event.button() == Qt.MouseButton.LeftButton:
            self.session.playhead.go(round(self._frame_at(event.position().x())))
        self.update()

    def mouseMoveEvent(self, event) -> None:
        if self._drag is None:
            return
        at = event.position()
        if self._drag.part == "key":
            self._drag_key(at)
        else:
            self._drag_tangent(at, both=not event.modifiers() & Qt.KeyboardModifier.AltModifier)

    def _drag_key(self, at: QPointF) -> None:
        grip = self._drag
        number: Keyed = edits.get(self.session.document.scene, grip.path)
        frames = [key.frame for key in number.keys]
        place = frames.index(grip.frame)
        low = frames[place - 1] + 1 if place > 0 else -1e6
        high = frames[place + 1] - 1 if place + 1 < len(frames) else 1e6
        frame = float(min(max(round(self._frame_at(at.x())), low), high))
        key = structs.replace(number.keys[place], frame=frame, value=round(self._value_at(at.y()), 5))
        self._replace(grip.path, number, place, key, "Move key of")
        self._drag = self.picked = Grip(grip.path, frame, "key")

    def _drag_tangent(self, at: QPointF, both: bool) -> None:
        grip = self._drag
        number: Keyed = edits.get(self.session.document.scene, grip.path)
        place = [key.frame for key in number.keys].index(grip.frame)
        key = number.keys[place]
        across = self._frame_at(at.x()) - key.frame
        if abs(across) < 1e-3 or (across > 0) != (grip.part == "out"):
            return
        slope = (self._value_at(at.y()) - key.value) / across
        changes = {"slope_in": slope, "slope_out": slope} if both else {f"slope_{grip.part}": slope}
        self._replace(grip.path, number, place, structs.replace(key, **changes), "Shape curve of")

    def _replace(self, path: ScenePath, number: Keyed, place: int, key: Key, words: str) -> None:
        keys = (*number.keys[:place], key, *number.keys[place + 1 :])
        changed = structs.replace(number, keys=keys)
        self.session.document.put(
            path, changed, f"{words} {self.session.document.name_of(path)}", ("curve", path, words)
        )

    def mouseReleaseEvent(self, event) -> None:
        del event
        self._drag = None
        self.session.document.end_gesture()
        self._pull()

    def mouseDoubleClickEvent(self, event) -> None:
        at = event.position()
        frame = float(round(self._frame_at(at.x())))
        near = [(abs(self.y_of(number.at(frame)) - at.y()), path) for path, number in self.numbers()]
        if near and min(near)[0] < 12 and self._under(at) is None:
            self.session.playhead.go(round(frame))
            self.session.numbers.toggle_key(min(near)[1])

    def contextMenuEvent(self, event) -> None:
        grip = self._under(QPointF(event.pos()))
        if grip is None:
            return
        self.menu_for(grip).exec(event.globalPos())

    def menu_for(self, grip: Grip) -> QMenu:
        """What can be done with a key."""
        number: Keyed = edits.get(self.session.document.scene, grip.path)
        place = [key.frame for key in number.keys].index(grip.frame)
        key = number.keys[place]
        menu = QMenu(self)
        for shape in ("smooth", "linear", "step"):
            changed = structs.replace(key, interpolation=shape)
            action = menu.addAction(
                f"{shape} to the next key",
                lambda k=changed: self._replace(grip.path, number, place, k, "Shape curve of"),
            )
            action.setCheckable(True)
            action.setChecked(key.interpolation == shape)
        menu.addSeparator()
        own = structs.replace(key, slope_in=None, slope_out=None)
        menu.addAction(
            "Let the curve find its slope", lambda: self._replace(grip.path, number, place, own, "Free curve of")
        )
        for side in ("before", "after"):
            below = menu.addMenu(f"{side.capitalize()} the keys")
            for choice in ("hold", "loop", "continue"):
                other = structs.replace(number, **{side: choice})
                below.addAction(
                    choice, lambda n=other: self.session.document.put(grip.path, n, "Set what lies outside the keys")
                )
        return menu
