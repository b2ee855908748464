"""What is painted over the picture: marks, shells, handles, controls, labels, and the value at the pointer."""

from typing import Protocol

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter

from estompe.app import icons, units
from estompe.app.session import Session
from estompe.app.theme import OVER_PICTURE
from estompe.app.view import overlay
from estompe.app.view.chains import Chain
from estompe.app.view.contours import WORDS, values_of
from estompe.app.view.drawing import Job
from estompe.app.view.handles import Handles
from estompe.app.view.pointer import Pointer
from estompe.app.view.probe import Reading
from estompe.app.view.shells import Shell
from estompe.document import edits
from estompe.geometry.samples import samples_of
from estompe.render import Viewpoint
from estompe.render.item import Mode

_MOST_LISTED = 4


class Seen(Protocol):
    """The view as it is painted over."""

    session: Session
    pointer: Pointer
    mode: Mode
    marks_coarse: bool
    stood_in: int
    box: tuple[QPointF, QPointF] | None
    measured: list[np.ndarray] | None
    reading: Reading | None

    @property
    def viewpoint(self) -> Viewpoint:
        """Where the picture is taken from."""

    @property
    def extent(self) -> tuple[float, float]:
        """Width and height in the pointer's pixels."""

    def job(self) -> Job:
        """The picture that is wanted now."""

    def shells(self) -> list[Shell]:
        """The shells of the current falloff."""

    def handles(self) -> Handles | None:
        """The handles on what is picked."""

    def chains(self) -> list[Chain]:
        """The joint chains of the current shape."""


def paint_over(painter: QPainter, view: Seen) -> None:
    """Marks, shells, handles, controls, labels and what lies at the pointer, over the picture."""
    session, eye, size, t = view.session, view.viewpoint, view.extent, icons.current_theme()
    shells = view.shells()
    _paint_marks(painter, view)
    for shell in shells:
        hot = view.pointer.is_hot(shell)
        overlay.paint_shell(painter, eye, size, shell, hot)
    handles = view.handles()
    if handles is not None:
        overlay.paint_handles(painter, handles, view.pointer.handle_in_use)
    for control in session.numbers.placed.controls:
        if control.visible:
            path = ("controls", control.id)
            picked = path == session.selection.picked or path in session.selection.picks
            overlay.paint_control(painter, eye, size, control, picked)
    overlay.paint_shell_labels(painter, t, eye, size, shells)
    if view.box is not None:
        overlay.paint_box(painter, *view.box)
    _paint_facts(painter, view)
    if view.measured:
        overlay.paint_measure(painter, t, eye, size, view.measured)
    if view.stood_in:
        words = f"stand-ins for {units.counted(view.stood_in)} copies while it moves"
        overlay.paint_tag(painter, t, QPointF(14, size[1] - 34), [(words, False)])
    answer = session.evaluator.answer
    if answer is not None and answer.request.rough > 1.0:
        words = f"rough: voxels {answer.request.rough:g} times as large while it changes"
        overlay.paint_tag(painter, t, QPointF(14, size[1] - 66), [(words, False)])
    behind = session.past.words
    if behind:
        overlay.paint_tag(painter, t, QPointF(14, 14), [(behind, True)])
    if view.mode == "strength" and session.selection.falloff is not None and session.document.scene.shapes:
        overlay.paint_legend(painter, t, size, session.selection.falloff.name, session.selection.falloff.signed)
        _paint_reading(painter, view)


def _paint_facts(painter: QPainter, view: Seen) -> None:
    """In a corner: the spacing of the grid, and which shapes alone are shown."""
    words, spacing = [], view.job().look.grid
    if spacing:
        words.append(f"grid {units.shown(spacing, 'length')}")
    isolated = view.session.selection.isolated
    if isolated is not None:
        names = [shape.name for shape in view.session.document.scene.shapes if shape.id in isolated]
        words.append(f"only {names[0]}" + (f" and {len(names) - 1} more" if len(names) > 1 else ""))
    if words:
        overlay.paint_note(painter, view.extent, ", ".join(words))


def _paint_marks(painter: QPainter, view: Seen) -> None:
    """Coarse edges, edges that are pointed out, and paths."""
    answer = view.session.evaluator.answer
    current = answer.current if answer is not None else None
    if view.marks_coarse and current is not None:
        ends = samples_of(current.mesh, current.domain).positions[current.coarse_edges]
        overlay.paint_edges(painter, view.viewpoint, view.extent, ends, OVER_PICTURE.ochre)
    if view.session.selection.marked_edges is not None:
        overlay.paint_edges(
            painter, view.viewpoint, view.extent, view.session.selection.marked_edges, OVER_PICTURE.chalk
        )
    if view.session.selection.marked_places is not None:
        overlay.paint_points(painter, view.viewpoint, view.extent, view.session.selection.marked_places)
    for control in view.session.numbers.placed.controls:
        if control.visible and control.form == "path" and len(control.points) > 1:
            overlay.paint_path(painter, view.viewpoint, view.extent, control)
        if control.visible and control.form == "wind":
            overlay.paint_wind(painter, view.viewpoint, view.extent, control)
    for chain in view.chains():
        line = np.array([position for position, _ in chain.joints.values()])
        overlay.paint_line(painter, view.viewpoint, view.extent, line)
    _paint_overlaps(painter, view)
    fronts = [(front.segments, str(front.frame)) for front in view.session.fronts.lines]
    overlay.paint_fronts(painter, view.viewpoint, view.extent, fronts)
    if view.session.slices.found is not None:
        _paint_slice(painter, view)
    if view.session.painting.path is not None:
        _paint_brush(painter, view)


def _paint_reading(painter: QPainter, view: Seen) -> None:
    t = icons.current_theme()
    if view.reading is not None:
        strength = f"{view.reading.strength:.2f}".replace("-", "−")
        parts = [("at pointer  ", False), (strength, True), (f"  =  {view.reading.words}", False)]
        overlay.paint_tag(painter, t, QPointF(14, view.extent[1] - 36), parts)
    contour, at = view.pointer.hot_contour, view.pointer.at
    if contour is not None and at is not None:
        falloff = edits.get(view.session.numbers.now, ("falloffs", contour.falloff))
        now = values_of(falloff.range, falloff.ramp, falloff.signed).get(contour.end, contour.value)
        overlay.paint_tag(painter, t, at + QPointF(14, -30), [(f"{WORDS[contour.end]} ", False), (f"{now:.3g}", True)])


def _paint_overlaps(painter: QPainter, view: Seen) -> None:
    """Points inside other shapes, and in words what lies in what."""
    model = view.session.overlaps
    if not model.on:
        return
    for item in model.found:
        overlay.paint_points(painter, view.viewpoint, view.extent, item.positions)
    lines = [(*model.words(item), item.deepest) for item in model.found[:_MOST_LISTED]]
    place = QPointF(14, 44)
    for what, count, deepest in lines:
        depth = units.shown(deepest, "length")
        parts = [(f"{what}  ", False), (count, True), (" points, up to ", False), (depth, True), (" deep", False)]
        overlay.paint_tag(painter, icons.current_theme(), place, parts)
        place += QPointF(0, 27)
    if not lines:
        overlay.paint_tag(painter, icons.current_theme(), place, [("no shape lies in another here", False)])


def _paint_slice(painter: QPainter, view: Seen) -> None:
    """The plane through the volume, its lines, and where it is held."""
    found = view.session.slices.found
    assert found is not None
    overlay.paint_slice(painter, view.viewpoint, view.extent, found, view.pointer.holds_slice)
    voxel, apart = units.shown(found.voxel, "length"), units.shown(found.spacing, "length")
    parts = [(f"slice across {'XYZ'[found.axis]}  ", False), (f"lines every {apart}", True)]
    parts += [(f", voxels of {voxel}; X turns it", False)]
    overlay.paint_tag(painter, icons.current_theme(), QPointF(14, 44), parts)


def _paint_brush(painter: QPainter, view: Seen) -> None:
    """The brush as a circle of its radius at the depth of what is looked at."""
    if view.pointer.at is None:
        return
    unit = view.viewpoint.units_per_pixel(np.asarray(view.viewpoint.target), view.extent[1])
    overlay.paint_brush(painter, view.pointer.at, view.session.painting.brush.radius / max(unit, 1e-9))
