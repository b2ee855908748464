"""What lies at the pointer in the view, and which tool a press begins."""

import numpy as np
from PyQt6.QtCore import QPointF, Qt

from estompe.analysis.slices import Slice
from estompe.app.view.contours import Contour, Pull
from estompe.app.view.handles import Handle, distance_to_line
from estompe.app.view.overlay import slice_grip
from estompe.app.view.shells import Shell
from estompe.app.view.stage import Stage
from estompe.app.view.tools import (
    BoxPick,
    Click,
    ContourDrag,
    HandleDrag,
    Orbit,
    Pan,
    ShellDrag,
    SliceDrag,
    Stroke,
    Tool,
    Wipe,
)
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.transforms import matrix_of

_NEAR_WIPE, _NEAR_SHELL, _NEAR_CONTROL, _NEAR_JOINT = 8, 6.0, 12, 10


class Pointer:
    """The state of a press, a drag or a hover in one view. at: where the pointer is, or None outside."""

    def __init__(self, stage: Stage) -> None:
        self._stage, self._session = stage, stage.session
        self.at: QPointF | None = None
        self._tool: Tool | None = None
        self._hot_handle: Handle | None = None
        self._hot_shell: Shell | None = None
        self._contour: Contour | None = None
        self._let_go: ContourDrag | None = None

    @property
    def handle_in_use(self) -> Handle | None:
        """The handle that is dragged or could be."""
        return self._tool.handle if isinstance(self._tool, HandleDrag) else self._hot_handle

    @property
    def holds_slice(self) -> bool:
        """Whether the plane through a volume is dragged or could be."""
        return isinstance(self._tool, SliceDrag) or (self.at is not None and self._slice_under(self.at) is not None)

    def _slice_under(self, at: QPointF) -> Slice | None:
        found = self._session.slices.found
        grip = slice_grip(self._stage.viewpoint, self._stage.extent, found) if found is not None else None
        return found if grip is not None and (grip - at).manhattanLength() < _NEAR_CONTROL else None

    def is_hot(self, shell: Shell) -> bool:
        """Whether a shell is dragged or could be."""
        hot = self._tool.shell if isinstance(self._tool, ShellDrag) else self._hot_shell
        return hot is not None and shell.path == hot.path and shell.control.id == hot.control.id

    @property
    def dragging(self) -> bool:
        """Whether a button is held."""
        return self._tool is not None

    def press(self, event) -> None:
        """Take hold of what lies at the pointer."""
        at = event.position()
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if event.button() == Qt.MouseButton.MiddleButton:
            self._tool = Pan(self._stage, at) if shift else Orbit(self._stage, at)
        elif event.button() == Qt.MouseButton.LeftButton:
            if event.modifiers() & Qt.KeyboardModifier.ControlModifier and self._session.painting.path is None:
                control = self._control_under(at)
                self._tool = BoxPick(self._stage, at) if control is None else Click(self._stage, at, self._toggle)
                return
            self._tool = Pan(self._stage, at) if shift and self._session.painting.path is None else self._begun(at)

    def _begun(self, at: QPointF) -> Tool:
        """What a left press begins."""
        stage = self._stage
        if stage.measured is not None:
            return Click(stage, at, self._measure)
        if stage.wipe_at is not None and abs(at.x() - stage.wipe_at) < _NEAR_WIPE:
            return Wipe(stage)
        self.at = at
        if self._session.painting.path is not None:
            return Stroke(stage, at)
        found = self._slice_under(at)
        if found is not None:
            return SliceDrag(stage, at, found)
        handles = stage.handles()
        handle = handles.under(at.x(), at.y()) if handles else None
        if handles is not None and handle is not None:
            return HandleDrag(stage, at, handles, handle)
        shell = self._shell_under(at)
        if shell is not None:
            return ShellDrag(stage, at, shell)
        if self.hot_contour is not None:
            falloff = edits.get(self._session.numbers.now, ("falloffs", self.hot_contour.falloff))
            return ContourDrag(stage, Pull(self._session, self.hot_contour, falloff))
        return Click(stage, at, self._click)

    @property
    def hot_contour(self) -> Contour | None:
        """The line on the surface that is pulled or could be."""
        if isinstance(self._tool, ContourDrag):
            return self._tool.pull.contour
        free = self._tool is None and self._hot_handle is None and self._hot_shell is None
        there = self._contour is not None and edits.exists(
            self._session.document.scene, ("falloffs", self._contour.falloff)
        )
        return self._contour if free and there else None

    def see_contour(self, contour: Contour | None) -> None:
        """Take note of the line that lies at the pointer."""
        self._contour = contour

    def pull_to(self, value: float | None, ends: bool) -> None:
        """Pull the line that is held to where the joined layers have a value, if there are any; ends: and let go of it."""
        tool = self._tool if isinstance(self._tool, ContourDrag) else self._let_go
        if tool is not None and value is not None:
            tool.pull.moved(value)
        if ends:
            self._let_go = None
            self._session.document.end_gesture()

    def move(self, event) -> None:
        """Go on with a drag, or see what could be taken hold of."""
        if self._tool is None:
            self._hover(event.position())
            return
        self.at = event.position()
        self._stage.snaps = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        self._stage.onto_surface = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        self._tool = self._tool.move(event.position())

    def release(self, event) -> None:
        """End a drag or click."""
        tool, self._tool = self._tool, None
        self._stage.dropped_at = None
        self._let_go = tool if isinstance(tool, ContourDrag) else None
        if tool is not None:
            tool.release(event.position())
        self._stage.update()

    def leave(self) -> None:
        """The pointer has left the view."""
        self.at = self._contour = None

    def _hover(self, at: QPointF) -> None:
        self.at = at
        handles = self._stage.handles()
        self._hot_handle = handles.under(at.x(), at.y()) if handles else None
        self._hot_shell = self._shell_under(at) if self._hot_handle is None else None
        self._stage.ask(at, "value")
        self._stage.update()

    @property
    def can_take_hold(self) -> bool:
        """Whether a press would take hold of something."""
        return self._hot_handle is not None or self._hot_shell is not None or self.hot_contour is not None

    def _click(self, at: QPointF) -> None:
        control = self._control_under(at)
        if control is not None:
            self._session.selection.choose_control(control)
            return
        joint = self._joint_under(at)
        if joint is not None:
            self._session.selection.choose_part(joint)
            return
        self._stage.ask(at, "choose")

    def _measure(self, at: QPointF) -> None:
        """Measure to the control or the surface under the pointer."""
        control = self._control_under(at)
        if control is None:
            self._stage.ask(at, "measure")
            return
        transform = edits.get(self._session.numbers.placed, ("controls", control, "transform"))
        self._stage.measure_to(matrix_of(transform)[:, 3].copy())

    def _toggle(self, at: QPointF) -> None:
        control = self._control_under(at)
        if control is not None:
            self._session.selection.toggle(("controls", control))

    def _control_under(self, at: QPointF) -> str | None:
        for control in self._session.numbers.placed.controls:
            if (
                control.visible
                and not control.listing.locked
                and self._is_near(at, matrix_of(control.transform)[:, 3], _NEAR_CONTROL)
            ):
                return control.id
        return None

    def _joint_under(self, at: QPointF) -> ScenePath | None:
        for chain in self._stage.chains():
            for joint, (position, _) in chain.joints.items():
                if self._is_near(at, position, _NEAR_JOINT):
                    return (*chain.path, joint)
        return None

    def _is_near(self, at: QPointF, position: np.ndarray, pixels: float) -> bool:
        (pixel,), (seen,) = self._stage.viewpoint.project(position[None], *self._stage.extent)
        return bool(seen) and abs(pixel[0] - at.x()) + abs(pixel[1] - at.y()) < pixels

    def _shell_under(self, at: QPointF) -> Shell | None:
        position = np.array([at.x(), at.y()])
        best: tuple[float, Shell | None] = (_NEAR_SHELL, None)
        for shell in self._stage.shells():
            for line in shell.lines:
                pixels, before = self._stage.viewpoint.project(line, *self._stage.extent)
                if before.all():
                    distance = distance_to_line(pixels, position)
                    best = (distance, shell) if distance < best[0] else best
        return best[1]
