"""The ruler, the lanes with their marks, and how much of the shape is past half strength on each frame."""

from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QMenu, QWidget

from estompe.app import icons, theme
from estompe.app.session import Session
from estompe.app.theme import Theme
from estompe.app.time import lanes
from estompe.app.time.lanes import Lane, Mark
from estompe.document.scene import Scene
from estompe.evaluation.background.answers import Answer, Request

_RULER, _LANE, _LEFT, _RIGHT = 26, 22, 150, 16
_STEPS = (1, 2, 4, 6, 12, 24, 48, 96, 120, 240, 480, 960, 2400, 9600)


class TimeCanvas(QWidget):
    """Drag in the ruler to scrub. Marks can be picked, moved, copied with Ctrl, and deleted."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.fractions: dict[int, float] = {}
        self._fractions_of: tuple[str | None, str | None] = (None, None)
        self.lanes: list[Lane] = []
        self.picked: set[Mark] = set()
        self.pinned: tuple[str, int, str] | None = None
        self._ready: set[int] = set()
        self._scroll = 0
        self._drag = ""
        self._press = QPointF()
        self._base: Scene | None = None
        self._offset = 0.0
        self._base_lanes: list[Lane] = []
        self._band: QRectF | None = None
        self.setMinimumHeight(110)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Time")
        self.setToolTip("Drag the ruler to scrub. Drag marks to move keys, with Ctrl to copy; Delete removes them.")
        session.document.scene_changed.connect(self.refresh)
        session.selection.changed.connect(self._other_current)
        session.playhead.changed.connect(self.update)
        session.evaluator.readied.connect(self._readied)
        session.evaluator.answered.connect(self._answered)
        session.overlaps.changed.connect(self.update)
        session.past.changed.connect(self.update)

    # What is shown

    def pin(self, element: tuple[str, int, str] | None) -> None:
        """Follow the strength of one element of a shape over time, or none: the shape, its number, and what it is called."""
        self.pinned = element
        self.refresh()

    def course(self) -> dict[int, float]:
        """What is known of the followed element's strength, by frame."""
        return {} if self.pinned is None else self.session.evaluator.worker.course(*self.pinned[:2])

    def refresh(self) -> None:
        """Show the scene's keys again."""
        self.lanes = lanes.lanes_of(self.session)
        there = {(index, frame) for index, lane in enumerate(self.lanes) for frame in lane.frames}
        if not self._drag:
            self.picked &= there
        self._ready = self.session.evaluator.worker.ready_frames()
        self.update()

    def _other_current(self) -> None:
        current = self.session.selection.shape_id, self.session.selection.falloff_id
        if current != self._fractions_of:
            self.fractions.clear()
            self._fractions_of = current
        self.pinned = (
            None if self.pinned is not None and self.pinned[0] != self.session.selection.shape_id else self.pinned
        )
        self.picked.clear()
        self.refresh()

    def _readied(self, request: Request, fraction: float | None) -> None:
        if not self.session.evaluator.still_asks(request):
            return
        self._ready.add(request.frame)
        if fraction is not None:
            self.fractions[request.frame] = fraction
        self.update()

    def _answered(self, answer: Answer) -> None:
        if not self.session.evaluator.still_asks(answer.request):
            return
        self._ready = self.session.evaluator.worker.ready_frames()
        self.fractions.update(self.session.evaluator.worker.fractions())
        self.update()

    def x_of(self, frame: float) -> float:
        """Where a frame is across the widget."""
        scene = self.session.document.scene
        width = self.width() - _LEFT - _RIGHT
        return _LEFT + width * (frame - scene.first) / max(1, scene.last - scene.first)

    def frame_at(self, x: float) -> int:
        """The frame at a place across the widget."""
        scene = self.session.document.scene
        width = self.width() - _LEFT - _RIGHT
        return round(scene.first + (x - _LEFT) / max(1.0, width) * (scene.last - scene.first))

    def y_of(self, lane: int) -> float:
        """The middle of a lane."""
        return _RULER + _LANE * (lane - self._scroll) + _LANE / 2 + 4

    def _visible_lanes(self) -> int:
        return max(1, int((self.height() - _RULER - 64) // _LANE))

    def paintEvent(self, event) -> None:
        del event
        t = icons.current_theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), t.color("panel"))
        if not self.session.document.started:
            return
        self._paint_fraction(painter, t)
        self._paint_ruler(painter, t)
        self._paint_past(painter, t)
        self._paint_overlaps(painter, t)
        for index in range(self._scroll, min(len(self.lanes), self._scroll + self._visible_lanes())):
            self._paint_lane(painter, t, index)
        x = self.x_of(self.session.playhead.frame)
        painter.setPen(QPen(t.color("chalk"), 1.6))
        painter.drawLine(QPointF(x, 4), QPointF(x, self.height() - 4))
        if self._band is not None:
            painter.setPen(QPen(t.color("slate"), 1))
            painter.setBrush(t.color("slate", 40))
            painter.drawRect(self._band)

    def _paint_ruler(self, painter: QPainter, t: Theme) -> None:
        scene = self.session.document.scene
        painter.setFont(theme.font(11))
        painter.setPen(t.color("soft"))
        per_frame = (self.width() - _LEFT - _RIGHT) / max(1, scene.last - scene.first)
        step = next((item for item in _STEPS if item * per_frame >= 44), _STEPS[-1])
        marks = [scene.first, *range((scene.first // step + 1) * step, scene.last + 1, step)]
        for frame in marks:
            crowded = frame != scene.first and self.x_of(frame) - self.x_of(scene.first) < 24
            if not crowded:
                painter.drawText(QRectF(self.x_of(frame) - 24, 2, 48, 16), Qt.AlignmentFlag.AlignCenter, str(frame))
        line = _RULER - 4.0
        painter.setPen(QPen(t.color("hairline"), 2))
        painter.drawLine(QPointF(self.x_of(scene.first), line), QPointF(self.x_of(scene.last), line))
        painter.setPen(QPen(t.color("slate"), 3))
        half = per_frame / 2
        for first, last in _runs(self._ready):
            left, right = (
                max(self.x_of(scene.first), self.x_of(first) - half),
                min(self.x_of(scene.last), self.x_of(last) + half),
            )
            painter.drawLine(QPointF(left, line), QPointF(right, line))

    def _paint_past(self, painter: QPainter, t: Theme) -> None:
        """Below the ruler, the frames whose past is kept, the step at hand, and from where on an edit made all else stale."""
        standing = self.session.past.standing
        if standing is None:
            return
        scene, line = self.session.document.scene, _RULER + 1.0
        half = (self.width() - _LEFT - _RIGHT) / max(1, scene.last - scene.first) / 2
        kept = {frame for frame in standing.kept if scene.first <= frame <= scene.last}
        painter.setPen(QPen(t.color("chalk"), 2))
        for first, last in _runs(kept):
            left, right = max(self.x_of(scene.first), self.x_of(first) - half), self.x_of(last) + half
            painter.drawLine(QPointF(left, line), QPointF(min(self.x_of(scene.last), right), line))
        stale = standing.stale_from
        if stale is not None and scene.first <= stale <= scene.last:
            painter.setPen(QPen(t.color("ochre"), 2, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(self.x_of(stale), line), QPointF(self.x_of(scene.last), line))
        if standing.working is not None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(t.color("chalk"))
            painter.drawEllipse(QPointF(self.x_of(standing.working.frame), line), 3.5, 3.5)
        if self.session.overlaps.on:
            return
        painter.setFont(theme.font(11))
        painter.setPen(t.color("soft"))
        words = f"stale from {stale}" if stale is not None else f"past kept on {len(kept)}"
        painter.drawText(QRectF(12, 2, _LEFT - 20, 18), Qt.AlignmentFlag.AlignVCenter, words)

    def _paint_overlaps(self, painter: QPainter, t: Theme) -> None:
        """Below the ruler, the frames on which one shape lies in another."""
        model = self.session.overlaps
        if not model.on:
            return
        painter.setFont(theme.font(11))
        painter.setPen(t.color("ochre"))
        deep = [frame for frame, depth in model.by_frame.items() if depth > 0.0]
        words = f"overlaps on {len(deep)} of {len(model.by_frame)}"
        painter.drawText(QRectF(12, 2, _LEFT - 20, 18), Qt.AlignmentFlag.AlignVCenter, words)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(t.color("ochre"))
        scene = self.session.document.scene
        width = max(2.0, (self.width() - _LEFT - _RIGHT) / max(1, scene.last - scene.first))
        for frame in deep:
            painter.drawRect(QRectF(self.x_of(frame) - width / 2, _RULER - 2.0, width, 4.0))

    def _paint_lane(self, painter: QPainter, t: Theme, index: int) -> None:
        lane, y = self.lanes[index], self.y_of(index)
        painter.setFont(theme.font(11))
        painter.setPen(t.color("ink"))
        name = painter.fontMetrics().elidedText(lane.name, Qt.TextElideMode.ElideRight, _LEFT - 26)
        painter.drawText(QRectF(12, y - 9, _LEFT - 20, 18), Qt.AlignmentFlag.AlignVCenter, name)
        painter.setPen(QPen(t.color("hairline"), 1))
        painter.drawLine(QPointF(_LEFT, y), QPointF(self.width() - _RIGHT, y))
        for frame in lane.frames:
            picked = (index, frame) in self.picked
            painter.setPen(QPen(t.color("panel"), 1))
            painter.setBrush(t.color("chalk" if picked else "ink"))
            painter.drawEllipse(QPointF(self.x_of(frame), y), 5 if picked else 4.2, 5 if picked else 4.2)

    def _paint_fraction(self, painter: QPainter, t: Theme) -> None:
        """The fraction past half strength, as an area along the frames that are known."""
        if self.session.selection.falloff is None or self.session.selection.shape is None:
            return
        top = _RULER + min(len(self.lanes), self._visible_lanes()) * _LANE + 14
        bottom = self.height() - 8.0
        if bottom - top < 16:
            return
        painter.setFont(theme.font(11))
        painter.setPen(t.color("soft"))
        course = self.course()
        words = f"at {self.pinned[2]}{_lands(course)}" if self.pinned is not None else "past half strength"
        painter.drawText(QRectF(12, bottom - 18, _LEFT - 20, 18), Qt.AlignmentFlag.AlignVCenter, words)
        scene = self.session.document.scene
        values = course if self.pinned is not None else self.fractions
        known = [(frame, values[frame]) for frame in sorted(values) if scene.first <= frame <= scene.last]
        # What was computed before the last edit stays to be seen until it is computed again, and does not look like news.
        for run in _connected([(frame, fraction) for frame, fraction in known if frame not in self._ready]):
            painter.setPen(QPen(t.color("hairline"), 1.6))
            painter.drawPath(self._outline(run, top, bottom))
        for run in _connected([(frame, fraction) for frame, fraction in known if frame in self._ready]):
            outline = self._outline(run, top, bottom)
            area = QPainterPath(outline)
            area.lineTo(self.x_of(run[-1][0]), bottom)
            area.lineTo(self.x_of(run[0][0]), bottom)
            painter.fillPath(area, t.color("wash"))
            painter.setPen(QPen(t.color("chalk"), 1.6))
            painter.drawPath(outline)

    def _outline(self, run: list[tuple[int, float]], top: float, bottom: float) -> QPainterPath:
        made = QPainterPath(QPointF(self.x_of(run[0][0]), bottom - (bottom - top) * run[0][1]))
        for frame, fraction in run[1:]:
            made.lineTo(self.x_of(frame), bottom - (bottom - top) * fraction)
        return made

    # The pointer

    def _mark_under(self, at: QPointF) -> Mark | None:
        for index, lane in enumerate(self.lanes):
            if abs(self.y_of(index) - at.y()) <= _LANE / 2 and at.y() > _RULER:
                for frame in lane.frames:
                    if abs(self.x_of(frame) - at.x()) <= 6:
                        return index, frame
        return None

    def mousePressEvent(self, event) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        at = self._press = event.position()
        mark = self._mark_under(at)
        if at.y() <= _RULER:
            self._drag = "scrub"
            self.session.playhead.go(self.frame_at(at.x()))
        elif mark is not None:
            self._pick(mark, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
            self._drag, self._base, self._base_lanes = "marks", self.session.document.scene, list(self.lanes)
        else:
            self._drag = "band"
            self.picked.clear()
        self.update()

    def _pick(self, mark: Mark, add: bool) -> None:
        if add:
            self.picked ^= {mark}
        elif mark not in self.picked:
            self.picked = {mark}

    def mouseMoveEvent(self, event) -> None:
        at = event.position()
        if self._drag == "scrub":
            self.session.playhead.go(self.frame_at(at.x()))
        elif self._drag == "marks" and abs(at.x() - self._press.x()) > 3:
            self._drag_marks(at, bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier))
        elif self._drag == "band":
            self._band = QRectF(self._press, at).normalized()
            self.picked = {
                (index, frame)
                for index, lane in enumerate(self.lanes)
                for frame in lane.frames
                if self._band.contains(self.x_of(frame), self.y_of(index))
            }
            self.update()

    def _drag_marks(self, at: QPointF, copy: bool) -> None:
        if self._base is None:
            return
        by = float(self.frame_at(at.x()) - self.frame_at(self._press.x()))
        scene = lanes.moved(self._base, self._base_lanes, self._base_picked(), by, copy)
        label = f"{'Copy' if copy else 'Move'} keys of {self._base_lanes[min(self._base_picked())[0]].name}"
        if by:
            self.session.document.commit(scene, label, ("marks", id(self._base)))
        self._offset = by

    def _base_picked(self) -> set[Mark]:
        return {mark for mark in self.picked if mark[1] in self._base_lanes[mark[0]].frames}

    def mouseReleaseEvent(self, event) -> None:
        del event
        if self._drag == "marks":
            by = self._offset
            self.picked = {(index, frame + by) for index, frame in self._base_picked()}
            self._offset = 0.0
            self.session.document.end_gesture()
        self._drag, self._band, self._base = "", None, None
        self.refresh()

    def mouseDoubleClickEvent(self, event) -> None:
        at = event.position()
        for index, lane in enumerate(self.lanes):
            if abs(self.y_of(index) - at.y()) <= _LANE / 2 and at.y() > _RULER and self._mark_under(at) is None:
                self.session.playhead.go(self.frame_at(at.x()))
                self.session.numbers.toggle_keys(list(lane.paths))
                return

    def wheelEvent(self, event) -> None:
        steps = -1 if event.angleDelta().y() > 0 else 1
        self._scroll = max(0, min(len(self.lanes) - self._visible_lanes(), self._scroll + steps))
        self.update()

    def contextMenuEvent(self, event) -> None:
        mark = self._mark_under(QPointF(event.pos()))
        if mark is None:
            return
        self._pick(mark, False)
        menu = QMenu(self)
        for shape in ("smooth", "linear", "step"):
            menu.addAction(f"{shape} to the next key", lambda shape=shape: self.shape_picked(shape))
        menu.addSeparator()
        menu.addAction("Remove keys", self.remove_picked)
        menu.exec(event.globalPos())

    def event(self, event) -> bool:
        # Delete is a shortcut of the window too; here it takes away a picked point or key.
        if event.type() == QEvent.Type.ShortcutOverride and event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event) -> None:
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.picked:
            self.remove_picked()
        else:
            super().keyPressEvent(event)

    def remove_picked(self) -> None:
        """Take the picked keys away."""
        if self.picked:
            self.session.document.commit(
                lanes.removed(self.session.document.scene, self.lanes, self.picked), "Remove keys"
            )

    def shape_picked(self, shape) -> None:
        """Let the picked keys go on to the next in another way."""
        self.session.document.commit(
            lanes.shaped(self.session.document.scene, self.lanes, self.picked, shape), "Set how keys go on"
        )


def _lands(course: dict[int, float]) -> str:
    """On which frame a point is at full strength for the first time, in words."""
    full = [frame for frame, strength in sorted(course.items()) if strength >= 0.999]
    return f", lands on {full[0]}" if full else ""


def _runs(frames: set[int]) -> list[tuple[int, int]]:
    """Frames as first and last of each unbroken run."""
    found: list[tuple[int, int]] = []
    for frame in sorted(frames):
        if found and frame == found[-1][1] + 1:
            found[-1] = (found[-1][0], frame)
        else:
            found.append((frame, frame))
    return found


def _connected(known: list[tuple[int, float]]) -> list[list[tuple[int, float]]]:
    """Known values in runs of frames that follow each other; single ones are left out."""
    runs: list[list[tuple[int, float]]] = []
    for frame, fraction in known:
        if runs and frame == runs[-1][-1][0] + 1:
            runs[-1].append((frame, fraction))
        else:
            runs.append([(frame, fraction)])
    return [run for run in runs if len(run) > 1]
