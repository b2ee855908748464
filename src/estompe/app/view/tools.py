"""What a press in the view can begin, one class each: orbit, pan, pick, drag a handle or shell, paint, wipe, or click."""

from collections.abc import Callable
from typing import Protocol

import numpy as np
from PyQt6.QtCore import QPointF

from estompe.analysis.slices import Slice
from estompe.app.view.contours import Pull
from estompe.app.view.handles import DIGITS, Handle, Handles
from estompe.app.view.shells import END_WORDS, Shell
from estompe.app.view.stage import Stage
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.scene import Transform
from estompe.document.transforms import base_of, matrix_of
from estompe.geometry.transforms import inverse
from estompe.kinds.numbers import Triple, plain_triple
from estompe.setups.parenting import ancestors, transforms_of

_CLICK = 4.0
_DEGREES_PER_PIXEL = 0.4


class Tool(Protocol):
    """Something that goes on from press to release."""

    def move(self, at: QPointF) -> "Tool":
        """Go on; returns the tool that goes on from here, mostly itself."""

    def release(self, at: QPointF) -> None:
        """End."""


class Orbit:
    """Orbit about the target."""

    def __init__(self, stage: Stage, at: QPointF) -> None:
        self._stage, self._last = stage, at

    def move(self, at: QPointF) -> Tool:
        moved, self._last = at - self._last, at
        orbited = self._stage.viewpoint.orbited(moved.x() * _DEGREES_PER_PIXEL, moved.y() * _DEGREES_PER_PIXEL)
        self._stage.navigate(orbited)
        return self

    def release(self, at: QPointF) -> None:
        del at


class Pan:
    """Move sideways with what is seen under the pointer."""

    def __init__(self, stage: Stage, at: QPointF) -> None:
        self._stage, self._last = stage, at

    def move(self, at: QPointF) -> Tool:
        moved, self._last = at - self._last, at
        view = self._stage.viewpoint
        unit = view.units_per_pixel(np.asarray(view.target), self._stage.extent[1])
        self._stage.navigate(view.panned(-moved.x() * unit, moved.y() * unit))
        return self

    def release(self, at: QPointF) -> None:
        del at


class Click:
    """A press on nothing: a click, or an orbit once the pointer has moved."""

    def __init__(self, stage: Stage, at: QPointF, clicked: Callable[[QPointF], None]) -> None:
        self._stage, self._press, self._clicked = stage, at, clicked

    def move(self, at: QPointF) -> Tool:
        if self._stage.orbits_left and (at - self._press).manhattanLength() > _CLICK:
            return Orbit(self._stage, self._press).move(at)
        return self

    def release(self, at: QPointF) -> None:
        self._clicked(at)


class BoxPick:
    """Draw a box around what is to be picked; a press without a drag picks one thing more, or no longer."""

    def __init__(self, stage: Stage, at: QPointF) -> None:
        self._stage, self._press = stage, at

    def move(self, at: QPointF) -> Tool:
        if (at - self._press).manhattanLength() > _CLICK:
            self._stage.box = self._press, at
            self._stage.update()
        return self

    def release(self, at: QPointF) -> None:
        drawn, self._stage.box = self._stage.box, None
        if drawn is None:
            self._stage.ask(at, "toggle")
        else:
            self._stage.pick_in_box(*drawn)


class Wipe:
    """Drag the line between the kept picture and this one."""

    def __init__(self, stage: Stage) -> None:
        self._stage = stage

    def move(self, at: QPointF) -> Tool:
        self._stage.wipe_at = min(max(at.x(), 0.0), self._stage.extent[0])
        self._stage.update()
        return self

    def release(self, at: QPointF) -> None:
        del at


class Stroke:
    """Paint a mask; a stroke is one step."""

    def __init__(self, stage: Stage, at: QPointF) -> None:
        self._stage = stage
        stage.ask(at, "paint")

    def move(self, at: QPointF) -> Tool:
        self._stage.ask(at, "paint")
        return self

    def release(self, at: QPointF) -> None:
        del at
        self._stage.session.document.end_gesture()


class SliceDrag:
    """Drag the plane through a volume along its axis."""

    def __init__(self, stage: Stage, at: QPointF, found: Slice) -> None:
        self._stage, self._press, self._slice = stage, at, found
        self._share = found.share

    def move(self, at: QPointF) -> Tool:
        slices, view = self._stage.session.slices, self._stage.viewpoint
        middle = np.asarray(self._slice.corners, np.float64).mean(axis=0)
        (start, end), _ = view.project(np.stack([middle, middle + self._slice.way]), *self._stage.extent)
        along = end - start
        moved = np.array([at.x() - self._press.x(), at.y() - self._press.y()])
        slices.move(self._share + float(moved @ along) / max(float(along @ along), 1.0))
        return self

    def release(self, at: QPointF) -> None:
        del at


class HandleDrag:
    """Drag a handle on what is picked, and with it the other picks of its family; a drag is one step.

    With Ctrl it goes in steps: of the grid, of 15 degrees, of a tenth. With Alt what is moved goes to the surface under the
    pointer.
    """

    def __init__(self, stage: Stage, at: QPointF, handles: Handles, handle: Handle) -> None:
        self._stage, self._press, self._handles, self.handle = stage, at, handles, handle
        session = stage.session
        placed, picked = session.numbers.placed, session.selection.picked
        riders = [path[:2] for path in session.selection.fellows((*picked, "transform"))] if len(picked) == 2 else []
        # What rides on another pick comes along by itself.
        transforms, ids = transforms_of(placed), {str(path[1]) for path in (picked, *riders) if len(path) > 1}
        self._others = {
            path: edits.get(placed, (*path, "transform"))
            for path in riders
            if ids.isdisjoint(ancestors(transforms, str(path[1])))
        }

    def move(self, at: QPointF) -> Tool:
        session, picked = self._stage.session, self._stage.session.selection.picked
        changes = self._handles.dragged(self.handle, (self._press.x(), self._press.y()), (at.x(), at.y()))
        if self._stage.onto_surface and self._handles.tool == "move":
            self._stage.ask(at, "place")
        changes = self._snapped(changes)
        base, kept = self._kept(changes)
        numbers = self._changed(base, kept)
        for path, transform in self._others.items():
            numbers += self._changed((*path, "transform"), self._carried(transform, changes))
        label = f"{self._handles.tool.capitalize()} {session.document.name_of(picked)}"
        if self._others:
            label += f" and {len(self._others)} more"
        session.numbers.set_numbers(numbers, label, ("handle", picked, self._handles.tool))
        return self

    def _changed(self, base: ScenePath, changes: dict[str, Triple]) -> list[tuple[ScenePath, float]]:
        """The numbers below a path that are not what they were."""
        session = self._stage.session
        return [
            ((*base, name, axis), round(value, DIGITS[name]))
            for name, triple in changes.items()
            for axis, value in enumerate(plain_triple(triple))
            if round(value, DIGITS[name]) != round(session.numbers.number((*base, name, axis)), DIGITS[name])
        ]

    def _snapped(self, changes: dict[str, Triple]) -> dict[str, Triple]:
        """The changes in steps, or at the surface under the pointer."""
        stage = self._stage
        if stage.onto_surface and stage.dropped_at is not None and "position" in changes:
            x, y, z = (float(part) for part in stage.dropped_at)
            return {"position": (x, y, z)}
        if not stage.snaps:
            return changes
        steps = {"position": 0.1 * stage.grid_spacing, "rotation": 15.0, "scale": 0.1}
        snapped: dict[str, Triple] = {}
        for name, triple in changes.items():
            start, values = self._handles.start[name], plain_triple(triple)
            x, y, z = (
                round(value / steps[name]) * steps[name] if abs(value - before) > 1e-9 else value
                for value, before in zip(values, start, strict=True)
            )
            snapped[name] = (x, y, z)
        return snapped

    def _carried(self, transform: Transform, changes: dict[str, Triple]) -> dict[str, Triple]:
        """How another pick changes along: moved as far, turned by as much, scaled as many times."""
        carried: dict[str, Triple] = {}
        for name, triple in changes.items():
            before, after = np.array(self._handles.start[name]), np.array(plain_triple(triple))
            own = np.array(plain_triple(getattr(transform, name)))
            if name == "scale":
                value = own * after / np.where(np.abs(before) < 1e-9, 1.0, before)
            else:
                base = base_of(transform) if name == "position" else None
                step = after - before
                value = own + (step if base is None else inverse(base)[:, :3] @ step)
            x, y, z = value.tolist()
            carried[name] = (x, y, z)
        return carried

    def _kept(self, changes: dict[str, Triple]) -> tuple[ScenePath, dict[str, Triple]]:
        """Where the changed numbers are kept. A pivot is dragged in the world and kept in local space."""
        session = self._stage.session
        picked = session.selection.picked
        if session.selection.picked_joint is not None:
            return picked, changes
        if session.selection.picked_effect is None:
            return (*picked, "transform"), self._within(changes, picked)
        to_local = inverse(matrix_of(edits.get(session.numbers.placed, picked[:2]).transform))
        x, y, z = (to_local[:, :3] @ np.array(plain_triple(changes["position"])) + to_local[:, 3]).tolist()
        setting = edits.get(session.document.scene, picked).effect.pivot_setting
        return (*picked, "effect"), {setting: (x, y, z)}

    def _within(self, changes: dict[str, Triple], picked: ScenePath) -> dict[str, Triple]:
        """A position in the world as one in what is followed, if anything is."""
        base = base_of(edits.get(self._stage.session.numbers.placed, picked).transform)
        if base is None or "position" not in changes:
            return changes
        to_base = inverse(base)
        x, y, z = (to_base[:, :3] @ np.array(plain_triple(changes["position"])) + to_base[:, 3]).tolist()
        return {**changes, "position": (x, y, z)}

    def release(self, at: QPointF) -> None:
        del at
        self._stage.session.document.end_gesture()


class ContourDrag:
    """Pull a line of full, half or gone over the surface; the range follows. A drag is one step."""

    def __init__(self, stage: Stage, pull: Pull) -> None:
        self._stage, self.pull = stage, pull

    def move(self, at: QPointF) -> Tool:
        self._stage.ask(at, "contour")
        return self

    def release(self, at: QPointF) -> None:
        # What lies there is told later; the pull ends then.
        self._stage.ask(at, "contour end")


class ShellDrag:
    """Drag a shell, and with it an end of a range; a drag is one step."""

    def __init__(self, stage: Stage, at: QPointF, shell: Shell) -> None:
        self._stage, self._press, self.shell = stage, at, shell

    def move(self, at: QPointF) -> Tool:
        session, shell = self._stage.session, self.shell
        name = session.document.name_of(shell.path[:2])
        label = f"Set {name} {END_WORDS[shell.end]}" if shell.swept is None else f"Sweep {name}"
        number = round(shell.number(self._value(at)), 4)
        session.numbers.set_number(shell.path, number, label, ("shell", shell.path))
        return self

    def _value(self, at: QPointF) -> float:
        shell = self.shell
        if shell.axis is not None:
            return self._along_axis(at) - self._along_axis(self._press) + shell.value
        (centre,), _ = self._stage.viewpoint.project(shell.matrix[None, :, 3], *self._stage.extent)
        before = np.hypot(self._press.x() - centre[0], self._press.y() - centre[1])
        now = np.hypot(at.x() - centre[0], at.y() - centre[1])
        return float(shell.value * now / max(before, 1.0))

    def _along_axis(self, at: QPointF) -> float:
        """Where along a swept axis a pixel lies, in the control's local space."""
        axis, origin = self.shell.matrix[:, self.shell.axis or 0], self.shell.matrix[:, 3]
        (a, b), _ = self._stage.viewpoint.project(np.stack([origin, origin + axis]), *self._stage.extent)
        along = b - a
        return float((np.array([at.x(), at.y()]) - a) @ along / max(float(along @ along), 1e-9))

    def release(self, at: QPointF) -> None:
        del at
        self._stage.session.document.end_gesture()
