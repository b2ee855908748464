"""What the pointer does in the view: turn it, pick, probe, and drag handles and shells."""

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from estompe.app.view.drawing import Probe
from estompe.app.view.handles import DIGITS, Handle, Handles, distance_to_line
from estompe.app.view.probe import nearest_point, read, surface_place
from estompe.app.view.shells import Shell
from estompe.document import edits
from estompe.document.edits import Path
from estompe.document.numbers import plain_triple
from estompe.evaluate.asking import matrix_of
from estompe.geometry.placement import inverse
from estompe.render.renderer import Hit

if TYPE_CHECKING:
    from estompe.app.view.view import View

_CLICK = 4.0


class Pointer:
    """The state of a press, a drag or a hover in one view."""

    def __init__(self, view: "View") -> None:
        self._view, self._session = view, view.session
        self._press: QPointF | None = None
        self._last = QPointF()
        self._drag = ""
        self._pointer: QPointF | None = None
        self._nearest: tuple[str, int] | None = None
        self._handles: Handles | None = None
        self._handle: Handle | None = None
        self._shell: Shell | None = None
        self._hot_handle: Handle | None = None
        self._hot_shell: Shell | None = None

    @property
    def handle_in_use(self) -> Handle | None:
        """The handle that is dragged or could be."""
        return self._handle or self._hot_handle

    def is_hot(self, shell: Shell) -> bool:
        """Whether a shell is dragged or could be."""
        hot = self._shell or self._hot_shell
        return hot is not None and shell.path == hot.path and shell.control.id == hot.control.id

    def ask_again(self) -> None:
        """Read the value at the pointer anew, since what lies there may have changed."""
        if self._press is None:
            self._ask_probe("value")

    def leave(self) -> None:
        """The pointer has left the view."""
        self._pointer = None
        self._view.set_reading(None)

    def press(self, event) -> None:
        """Take hold of what lies at the pointer."""
        self._press = self._last = event.position()
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if event.button() == Qt.MouseButton.MiddleButton:
            self._drag = "pan" if shift else "orbit"
        elif event.button() == Qt.MouseButton.LeftButton:
            self._drag = "pan" if shift else self._left_press(event.position())

    def _left_press(self, at: QPointF) -> str:
        """What a left press begins: painting, a handle, a shell, or a click that may become an orbit."""
        if self._view.wipe_at is not None and abs(at.x() - self._view.wipe_at) < 8:
            return "wipe"
        if self._session.painting.path is not None:
            self._pointer = at
            self._ask_probe("paint")
            return "paint"
        self._handles = self._view.handles()
        self._handle = self._handles.under(at.x(), at.y()) if self._handles else None
        if self._handle is not None:
            return "handle"
        self._shell = self._shell_under(at)
        return "shell" if self._shell is not None else "click"

    def move(self, event) -> None:
        """Go on with a drag, or see what could be taken hold of."""
        at = event.position()
        if self._press is None:
            self._hover(at)
            return
        moved = at - self._last
        if self._drag == "click" and (at - self._press).manhattanLength() > _CLICK:
            self._drag = "orbit"
        if self._drag == "orbit":
            self._view.navigate(self._view.viewpoint.orbited(moved.x() * 0.4, moved.y() * 0.4))
        elif self._drag == "pan":
            unit = self._view.viewpoint.units_per_pixel(np.asarray(self._view.viewpoint.target), self._view.extent[1])
            self._view.navigate(self._view.viewpoint.panned(-moved.x() * unit, moved.y() * unit))
        elif self._drag == "handle":
            self._drag_handle(at)
        elif self._drag == "shell":
            self._drag_shell(at)
        elif self._drag == "paint":
            self._pointer = at
            self._ask_probe("paint")
        elif self._drag == "wipe":
            self._view.wipe_at = min(max(at.x(), 0.0), self._view.extent[0])
            self._view.update()
        self._last = at

    def release(self, event) -> None:
        """End a drag or click."""
        if self._drag == "click" and event.button() == Qt.MouseButton.LeftButton:
            self._click(event.position())
        if self._drag in ("handle", "shell", "paint"):
            self._session.end_gesture()
        self._press, self._drag, self._handle, self._shell = None, "", None, None
        self._view.update()

    def _hover(self, at: QPointF) -> None:
        self._pointer = at
        handles = self._view.handles()
        self._hot_handle = handles.under(at.x(), at.y()) if handles else None
        self._hot_shell = self._shell_under(at) if self._hot_handle is None else None
        shape = Qt.CursorShape.PointingHandCursor if self._hot_handle or self._hot_shell else Qt.CursorShape.ArrowCursor
        self._view.setCursor(shape)
        self._view.update()
        self._ask_probe("value")

    def _ask_probe(self, purpose: str) -> None:
        if self._pointer is not None and self._session.scene.shapes:
            ratio = self._view.devicePixelRatioF()
            self._view.drawer.probe(
                Probe(
                    self._view.job(), self._pointer.x() * ratio, self._pointer.y() * ratio, purpose, purpose == "paint"
                )
            )

    def probed(self, probe: Probe, hit: Hit | None) -> None:
        """Take what the drawing thread found under a pixel."""
        if probe.purpose == "choose":
            if hit is not None and edits.exists(self._session.scene, ("shapes", hit.id)):
                self._session.choose_shape(hit.id)
            return
        answer = self._session.answer
        if probe.purpose == "paint":
            self._paint(probe, hit)
            return
        if hit is None or answer is None or self._pointer is None:
            self._view.set_reading(None)
            return
        size = (float(probe.job.size[0]), float(probe.job.size[1]))
        at = (probe.x, probe.y)
        self._nearest = nearest_point(answer, hit, probe.job.viewpoint, at, size)
        self._view.set_reading(read(answer, hit, probe.job.viewpoint, at, size))

    def paint_brush(self, painter: QPainter) -> None:
        """The brush as a circle of its size at the depth of what is looked at."""
        if self._pointer is None:
            return
        target = np.asarray(self._view.viewpoint.target)
        unit = self._view.viewpoint.units_per_pixel(target, self._view.extent[1])
        radius = self._session.painting.brush.radius / max(unit, 1e-9)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor("#FBF9F4"), 3))
        painter.drawEllipse(self._pointer, radius, radius)
        painter.setPen(QPen(QColor("#A63D22"), 1.4))
        painter.drawEllipse(self._pointer, radius, radius)

    def nearest_point(self) -> tuple[str, int] | None:
        """The shape and point that the last reading was nearest to."""
        return self._nearest

    def _paint(self, probe: Probe, hit: Hit | None) -> None:
        answer = self._session.answer
        if hit is None or answer is None or hit.id != self._session.shape_id:
            return
        size = (float(probe.job.size[0]), float(probe.job.size[1]))
        place = surface_place(answer, hit, probe.job.viewpoint, (probe.x, probe.y), size)
        if place is not None:
            self._session.painting.touch(hit.id, place)

    def _click(self, at: QPointF) -> None:
        control = self._control_under(at)
        if control is not None:
            self._session.choose_control(control)
            return
        joint = self._joint_under(at)
        if joint is not None:
            self._session.choose_part(joint)
            return
        self._pointer = at
        self._ask_probe("choose")

    def _control_under(self, at: QPointF) -> str | None:
        for control in self._session.now.controls:
            if not control.visible:
                continue
            place = np.array([plain_triple(control.placement.place)])
            (pixel,), (seen,) = self._view.viewpoint.project(place, *self._view.extent)
            if seen and abs(pixel[0] - at.x()) + abs(pixel[1] - at.y()) < 12:
                return control.id
        return None

    def _joint_under(self, at: QPointF) -> Path | None:
        for chain in self._view.chains():
            for joint, (place, _) in chain.joints.items():
                (pixel,), (seen,) = self._view.viewpoint.project(place[None], *self._view.extent)
                if seen and abs(pixel[0] - at.x()) + abs(pixel[1] - at.y()) < 10:
                    return (*chain.path, joint)
        return None

    def _shell_under(self, at: QPointF) -> Shell | None:
        place = np.array([at.x(), at.y()])
        best: tuple[float, Shell | None] = (6.0, None)
        for shell in self._view.shells():
            for line in shell.lines:
                pixels, before = self._view.viewpoint.project(line, *self._view.extent)
                if before.all():
                    distance = distance_to_line(pixels, place)
                    best = (distance, shell) if distance < best[0] else best
        return best[1]

    def _drag_handle(self, at: QPointF) -> None:
        if self._handles is None or self._handle is None or self._press is None:
            return
        changes = self._handles.dragged(self._handle, (self._press.x(), self._press.y()), (at.x(), at.y()))
        picked = self._session.picked
        base = picked if "joints" in picked else (*picked, "placement")
        if len(picked) == 4:
            # An effect's pivot: dragged in the world, kept in the shape's own space.
            own = inverse(matrix_of(edits.get(self._session.now, picked[:2]).placement))
            place = own[:, :3] @ np.array(plain_triple(changes["place"])) + own[:, 3]
            changes = {"pivot": (float(place[0]), float(place[1]), float(place[2]))}
            base = (*picked, "settings")
        numbers = [
            ((*base, name, axis), round(value, DIGITS[name]))
            for name, triple in changes.items()
            for axis, value in enumerate(plain_triple(triple))
            if round(value, DIGITS[name]) != round(self._session.number((*base, name, axis)), DIGITS[name])
        ]
        label = f"{self._handles.tool.capitalize()} {self._session.name_of(picked)}"
        self._session.set_numbers(numbers, label, ("handle", picked, self._handles.tool))

    def _drag_shell(self, at: QPointF) -> None:
        shell = self._shell
        if shell is None or self._press is None:
            return
        width, height = self._view.extent
        if shell.axis is not None:
            value = self._along_axis(shell, at) - self._along_axis(shell, self._press) + shell.value
        else:
            (centre,), _ = self._view.viewpoint.project(shell.matrix[None, :, 3], width, height)
            before = np.hypot(self._press.x() - centre[0], self._press.y() - centre[1])
            now = np.hypot(at.x() - centre[0], at.y() - centre[1])
            value = shell.value * now / max(before, 1.0)
        words = {"full": "full within", "gone": "gone beyond"}[shell.end]
        label = f"Set {self._session.name_of(shell.path[:-2])} {words}"
        self._session.set_number(shell.path, round(float(value), 4), label, ("shell", shell.path))

    def _along_axis(self, shell: Shell, at: QPointF) -> float:
        """Where along a swept axis a pixel lies, in the control's own units."""
        axis = shell.matrix[:, shell.axis]
        origin = shell.matrix[:, 3]
        ends = np.stack([origin, origin + axis])
        (a, b), _ = self._view.viewpoint.project(ends, *self._view.extent)
        along = b - a
        return float((np.array([at.x(), at.y()]) - a) @ along / max(float(along @ along), 1e-9))
