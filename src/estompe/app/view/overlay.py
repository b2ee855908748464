"""What is drawn over the picture: controls, shells, handles, the legend, and what lies at the pointer."""

import functools

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QImage, QPainter, QPainterPath, QPen, QPolygonF

from estompe.analysis.slices import Slice
from estompe.app import theme, units
from estompe.app.theme import OVER_PICTURE, Theme
from estompe.app.view.forms import DRAWINGS, wind_arrow
from estompe.app.view.handles import Handle, Handles
from estompe.app.view.shells import END_WORDS, Shell
from estompe.document.scene import Control
from estompe.document.transforms import matrix_of
from estompe.kinds.numbers import plain_triple
from estompe.render import Viewpoint
from estompe.render.palette import strength_colors

Size = tuple[float, float]
_MOST_MARKS = 4000


def polyline(viewpoint: Viewpoint, size: Size, line: np.ndarray) -> QPainterPath:
    """A world polyline in pixels; pieces behind the eye are left out."""
    pixels, before = viewpoint.project(line, *size)
    path = QPainterPath()
    down = False
    for (x, y), seen in zip(pixels, before, strict=True):
        if seen and down:
            path.lineTo(x, y)
        elif seen:
            path.moveTo(x, y)
        down = bool(seen)
    return path


def paint_shell(painter: QPainter, viewpoint: Viewpoint, size: Size, shell: Shell, hot: bool) -> None:
    """A shell: full is drawn solid, gone dashed."""
    pen = QPen(QColor(OVER_PICTURE.chalk), 2.2 if hot else 1.2)
    if shell.end == "gone":
        pen.setDashPattern([7, 6])
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for line in shell.lines:
        painter.drawPath(polyline(viewpoint, size, line))


def shell_label_place(viewpoint: Viewpoint, size: Size, shell: Shell) -> QPointF | None:
    """Where a shell's label goes: beside its rightmost point that is well inside the picture."""
    points = np.concatenate(shell.lines)
    pixels, before = viewpoint.project(points, *size)
    inside = (
        before
        & (pixels[:, 0] < size[0] - 190)
        & (pixels[:, 0] > 10)
        & (pixels[:, 1] > 50)
        & (pixels[:, 1] < size[1] - 80)
    )
    if not inside.any():
        return None
    rank = np.where(
        inside, pixels[:, 0] + (0.4 if shell.end == "full" else -0.4) * (size[1] - 2 * pixels[:, 1]), -np.inf
    )
    x, y = pixels[int(np.argmax(rank))]
    return QPointF(float(x) + 8, float(y) + 4)


def paint_tag(painter: QPainter, t: Theme, place: QPointF, parts: list[tuple[str, bool]]) -> QRectF:
    """A small card with words, some of them strong; returns where it is."""
    fonts = {
        strong: theme.font(11, QFont.Weight.DemiBold if strong else QFont.Weight.Normal) for strong in (False, True)
    }
    widths = []
    for text, strong in parts:
        painter.setFont(fonts[strong])
        widths.append(painter.fontMetrics().horizontalAdvance(text))
    area = QRectF(place.x(), place.y(), sum(widths) + 18, 23)
    painter.setPen(QPen(t.color("hairline"), 1))
    painter.setBrush(t.color("raised"))
    painter.drawRoundedRect(area, 3, 3)
    x = area.left() + 9
    for (text, strong), width in zip(parts, widths, strict=True):
        painter.setFont(fonts[strong])
        painter.setPen(t.color("ink"))
        painter.drawText(QRectF(x, area.top(), width + 2, area.height()), Qt.AlignmentFlag.AlignVCenter, text)
        x += width
    return area


def paint_shell_labels(painter: QPainter, t: Theme, viewpoint: Viewpoint, size: Size, shells: list[Shell]) -> None:
    """The distances of the shells, in scene units, beside them."""
    taken: list[QRectF] = []
    for shell in shells:
        place = shell_label_place(viewpoint, size, shell)
        if place is None:
            continue
        while any(area.adjusted(-4, -2, 4, 2).intersects(QRectF(place.x(), place.y(), 180, 23)) for area in taken):
            place += QPointF(0, 26)
        words = f"{END_WORDS[shell.end]} "
        distance = units.shown(shell.distance, "length")
        taken.append(paint_tag(painter, t, place, [(f"{shell.control.name}  {words}", False), (distance, True)]))


def paint_box(painter: QPainter, begin: QPointF, end: QPointF) -> None:
    """The box that is drawn to pick what is in it."""
    ground = QColor(OVER_PICTURE.rim)
    ground.setAlpha(70)
    painter.setBrush(ground)
    painter.setPen(QPen(QColor(OVER_PICTURE.ink), 1.2, Qt.PenStyle.DashLine))
    painter.drawRect(QRectF(begin, end).normalized())


def paint_measure(painter: QPainter, t: Theme, viewpoint: Viewpoint, size: Size, places: list[np.ndarray]) -> None:
    """One or two places that are measured, the line between them, how long it is, and how far along each axis."""
    paint_line(painter, viewpoint, size, np.array(places))
    if len(places) < 2:
        return
    step = places[1] - places[0]
    ((x, y),), (seen,) = viewpoint.project(np.mean(places, axis=0)[None], *size)
    if seen:
        parts = [(units.shown(float(np.linalg.norm(step)), "length"), True)]
        parts += [
            (f"   {axis} {units.shown(abs(float(part)), 'length')}", False)
            for axis, part in zip("XYZ", step, strict=True)
        ]
        paint_tag(painter, t, QPointF(float(x) + 10, float(y) - 30), parts)


def paint_note(painter: QPainter, size: Size, words: str) -> None:
    """Small words at the lower edge of the picture, in its middle."""
    painter.setFont(theme.font(11))
    painter.setPen(QColor(OVER_PICTURE.ink))
    area = QRectF(0, size[1] - 22, size[0], 18)
    painter.drawText(area, Qt.AlignmentFlag.AlignCenter, words)


def paint_control(
    painter: QPainter, viewpoint: Viewpoint, size: Size, control: Control, picked: bool
) -> QPointF | None:
    """A control as a dot with its form in small; returns where the dot is. The control's numbers must be resolved."""
    matrix = matrix_of(control.transform)
    (centre,), (seen,) = viewpoint.project(matrix[None, :, 3], *size)
    if not seen:
        return None
    at = QPointF(float(centre[0]), float(centre[1]))
    painter.setPen(QPen(QColor(OVER_PICTURE.rim), 1.5))
    painter.setBrush(QColor(OVER_PICTURE.chalk if picked else OVER_PICTURE.ink))
    radius = 7.0 if picked else 5.0
    DRAWINGS[control.form].mark(painter, at, radius)
    return at


def paint_handles(painter: QPainter, handles: Handles, hot: Handle | None) -> None:
    """The handles; the one under the pointer in chalk."""
    for part in handles.parts:
        color = QColor(
            OVER_PICTURE.chalk
            if part is hot or (hot and part.part == hot.part and part.axis == hot.axis)
            else OVER_PICTURE.ink
        )
        painter.setPen(QPen(color, 1.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        pixels, before = handles.viewpoint.project(part.line, *handles.size)
        if part.part == "centre" or not before.all():
            continue
        shape = QPolygonF([QPointF(float(x), float(y)) for x, y in pixels])
        pen = painter.pen()
        painter.setPen(QPen(OVER_PICTURE.veil, 4.5))  # a pale rim keeps ink readable on dark surfaces
        painter.drawPolyline(shape)
        painter.setPen(pen)
        if part.part == "plane":
            color.setAlpha(70)
            painter.setBrush(color)
        painter.drawPolyline(shape) if part.part != "plane" else painter.drawPolygon(shape)
        if part.part in ("axis", "ring"):
            _paint_end(painter, handles, part, shape)


def _paint_end(painter: QPainter, handles: Handles, part: Handle, shape: QPolygonF) -> None:
    """What stands at a handle's end: its axis's letter, and a square for scales."""
    tip = shape.at(shape.count() - 1) if part.part == "axis" else shape.at(8 + 12 * part.axis)
    if handles.tool == "scale":
        painter.setBrush(painter.pen().color())
        painter.drawRect(QRectF(tip.x() - 3.5, tip.y() - 3.5, 7, 7))
    painter.setFont(theme.font(12, QFont.Weight.DemiBold))
    outwards = tip - shape.at(0) if part.part == "axis" else QPointF(0, -1)
    length = max(1.0, (outwards.x() ** 2 + outwards.y() ** 2) ** 0.5)
    at = tip + outwards * (10.0 / length)
    pen = painter.pen()
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(OVER_PICTURE.veil)
    painter.drawEllipse(at, 8, 8)
    painter.setPen(pen)
    painter.drawText(QRectF(at.x() - 8, at.y() - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, "XYZ"[part.axis])


def paint_edges(painter: QPainter, viewpoint: Viewpoint, size: Size, edges: np.ndarray, color: str) -> None:
    """Edges of a mesh, float (k, 2, 3), as lines over the picture."""
    chosen = edges[:: max(1, len(edges) // _MOST_MARKS)]
    _paint_segments(painter, viewpoint, size, chosen, QColor(color), 255)


def slice_grip(viewpoint: Viewpoint, size: Size, found: Slice) -> QPointF | None:
    """Where the plane of a slice is held: at the middle of the side of its rectangle that is farthest right in the picture."""
    pixels, before = viewpoint.project(np.asarray(found.corners, np.float64), *size)
    if not before.all():
        return None
    middles = 0.5 * (pixels + np.roll(pixels, -1, axis=0))
    x, y = middles[int(np.argmax(middles[:, 0]))]
    return QPointF(min(max(float(x), 12.0), size[0] - 12.0), min(max(float(y), 12.0), size[1] - 12.0))


def paint_slice(painter: QPainter, viewpoint: Viewpoint, size: Size, found: Slice, hot: bool) -> None:
    """A plane through a volume: its rectangle, lines of equal distance, the surface strongest, and its grip."""
    corners, before = viewpoint.project(np.asarray(found.corners, np.float64), *size)
    if not before.all():
        return
    painter.setPen(QPen(OVER_PICTURE.veil, 1.2))
    ground = QColor(OVER_PICTURE.rim)
    ground.setAlpha(120)
    painter.setBrush(ground)
    painter.drawPolygon(QPolygonF([QPointF(float(x), float(y)) for x, y in corners]))
    for contour in found.contours:
        surface = contour.distance == 0.0
        color = QColor(OVER_PICTURE.chalk if surface else OVER_PICTURE.ink)
        _paint_segments(painter, viewpoint, size, contour.segments, color, 255 if surface else 150)
    grip = slice_grip(viewpoint, size, found)
    if grip is not None:
        painter.setPen(QPen(QColor(OVER_PICTURE.rim), 1.5))
        painter.setBrush(QColor(OVER_PICTURE.chalk if hot else OVER_PICTURE.ink))
        painter.drawEllipse(grip, 6.0, 6.0)


def paint_fronts(painter: QPainter, viewpoint: Viewpoint, size: Size, fronts: list[tuple[np.ndarray, str]]) -> None:
    """Lines over a surface, each as segments, float (k, 2, 3), with words beside it where there is room.

    What lies behind the middle of a line is drawn faintly: a line that runs around a body is read by its near half.
    """
    places = []
    for segments, words in fronts:
        middle = segments.mean(axis=(0, 1))
        depth = (segments.mean(axis=1) - middle) @ np.asarray(viewpoint.axes()[2])
        for chosen, alpha in ((depth < 0, 50), (depth >= 0, 255)):
            _paint_segments(painter, viewpoint, size, segments[chosen], QColor(OVER_PICTURE.chalk), alpha)
        places.append((segments[int(np.argmax(depth))].mean(axis=0), words))
    painter.setFont(theme.font(11, QFont.Weight.DemiBold))
    taken: list[QRectF] = []
    for place, words in places:
        ((x, y),), (seen,) = viewpoint.project(place[None], *size)
        area = QRectF(float(x) - 17, float(y) - 9, 34, 18)
        if not seen or any(other.adjusted(-3, -3, 3, 3).intersects(area) for other in taken):
            continue
        taken.append(area)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(OVER_PICTURE.rim))
        painter.drawRoundedRect(area, 3, 3)
        painter.setPen(QColor(OVER_PICTURE.chalk))
        painter.drawText(area, Qt.AlignmentFlag.AlignCenter, words)


def _paint_segments(
    painter: QPainter, viewpoint: Viewpoint, size: Size, segments: np.ndarray, color: QColor, alpha: int
) -> None:
    """Lines with a light rim, float (k, 2, 3)."""
    pixels, before = viewpoint.project(segments.reshape(-1, 3), *size)
    path = QPainterPath()
    for (a, b), seen in zip(pixels.reshape(-1, 2, 2), before.reshape(-1, 2), strict=True):
        if seen.all():
            path.moveTo(*a)
            path.lineTo(*b)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for ink, width in ((QColor(OVER_PICTURE.rim), 3.4), (color, 1.6)):
        ink.setAlpha(alpha)
        painter.setPen(QPen(ink, width))
        painter.drawPath(path)


def paint_points(painter: QPainter, viewpoint: Viewpoint, size: Size, points: np.ndarray) -> None:
    """Points of a mesh as dots over the picture, float (k, 3)."""
    chosen = points[:: max(1, len(points) // _MOST_MARKS)]
    pixels, before = viewpoint.project(chosen, *size)
    painter.setPen(QPen(QColor(OVER_PICTURE.rim), 0.8))
    painter.setBrush(QColor(OVER_PICTURE.chalk))
    for x, y in pixels[before]:
        painter.drawEllipse(QPointF(float(x), float(y)), 2.4, 2.4)


def paint_path(painter: QPainter, viewpoint: Viewpoint, size: Size, control: Control) -> None:
    """A path control's line with its points. The control's numbers must be resolved."""
    matrix = matrix_of(control.transform)
    points = np.array([plain_triple(point) for point in control.points]) @ matrix[:, :3].T + matrix[:, 3]
    paint_line(painter, viewpoint, size, points)


def paint_wind(painter: QPainter, viewpoint: Viewpoint, size: Size, control: Control) -> None:
    """A wind's arrow. The control's numbers must be resolved."""
    matrix = matrix_of(control.transform)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for color, width in ((OVER_PICTURE.rim, 4.0), (OVER_PICTURE.ink, 1.8)):
        painter.setPen(QPen(QColor(color), width))
        for line in wind_arrow():
            painter.drawPath(polyline(viewpoint, size, line @ matrix[:, :3].T + matrix[:, 3]))


def paint_line(painter: QPainter, viewpoint: Viewpoint, size: Size, points: np.ndarray) -> None:
    """A line through points that can be seen and clicked, float (k, 3)."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(OVER_PICTURE.ink), 1.6))
    painter.drawPath(polyline(viewpoint, size, points))
    pixels, before = viewpoint.project(points, *size)
    painter.setBrush(QColor(OVER_PICTURE.rim))
    for (x, y), seen in zip(pixels, before, strict=True):
        if seen:
            painter.drawEllipse(QPointF(float(x), float(y)), 3, 3)


def paint_brush(painter: QPainter, at: QPointF, radius: float) -> None:
    """The brush as a circle."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for color, width in ((OVER_PICTURE.rim, 3.0), (OVER_PICTURE.chalk, 1.4)):
        painter.setPen(QPen(QColor(color), width))
        painter.drawEllipse(at, radius, radius)


def paint_wipe(painter: QPainter, t: Theme, size: Size, reference: QImage, at: float) -> None:
    """A kept picture left of a line."""
    scale = reference.width() / size[0]
    painter.drawImage(QRectF(0, 0, at, size[1]), reference, QRectF(0, 0, at * scale, reference.height()))
    painter.setPen(QPen(t.color("chalk"), 2))
    painter.drawLine(QPointF(at, 0), QPointF(at, size[1]))
    paint_tag(painter, t, QPointF(max(4.0, at - 52), 40), [("then", False)])
    paint_tag(painter, t, QPointF(at + 8, 40), [("now", False)])


@functools.cache
def _scale(low: float) -> QImage:
    """The colours of strengths from a lowest one to 1, a row of pixels."""
    colors = strength_colors(np.linspace(low, 1.0, 180).astype(np.float32))
    return QImage(colors.tobytes(), len(colors), 1, colors.nbytes, QImage.Format.Format_RGB888).copy()


def paint_legend(painter: QPainter, t: Theme, size: Size, name: str, signed: bool) -> None:
    """The strength scale with its numbers, and how the two edges are drawn."""
    area = QRectF(size[0] - 214, size[1] - 58, 200, 46)
    painter.setPen(QPen(t.color("hairline"), 1))
    painter.setBrush(t.color("raised"))
    painter.drawRoundedRect(area, 3, 3)
    low = -1.0 if signed else 0.0
    bar = QRectF(area.left() + 10, area.top() + 7, 180, 8)
    painter.drawImage(bar, _scale(low))
    painter.setFont(theme.font(11))
    painter.setPen(t.color("ink"))
    marks = ((0.0, f"{low:.0f}".replace("-", "−")), (0.5, "0" if signed else "½"), (1.0, "1"))
    for fraction, text in marks:
        painter.drawText(
            QRectF(bar.left() + 180 * fraction - 15, bar.bottom() + 1, 30, 14), Qt.AlignmentFlag.AlignCenter, text
        )
    painter.setPen(t.color("soft"))
    words = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, 186)
    painter.drawText(QRectF(area.left() + 10, bar.bottom() + 13, 186, 15), Qt.AlignmentFlag.AlignCenter, words)
