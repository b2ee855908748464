"""How the view draws each form of control: its mark, and the shell at a distance.

What forms are to the kernels is in `falloffs/forms.py`.
"""

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter, QPolygonF

from estompe.kinds.context import ControlForm

Line = NDArray[np.float64]
_ROUND = np.linspace(0.0, 2 * np.pi, 73)


def circle(axis: int, radius: float, at: float = 0.0) -> Line:
    """A circle about an axis, (k, 3)."""
    out = np.empty((len(_ROUND), 3))
    out[:, axis] = at
    out[:, (axis + 1) % 3], out[:, (axis + 2) % 3] = radius * np.cos(_ROUND), radius * np.sin(_ROUND)
    return out


def square(axis: int, at: float, half: float = 1.0) -> Line:
    """A square across an axis, (5, 3)."""
    corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1], [-1, -1]]) * half
    out = np.empty((5, 3))
    out[:, axis] = at
    out[:, (axis + 1) % 3], out[:, (axis + 2) % 3] = corners[:, 0], corners[:, 1]
    return out


def _sphere(value: float) -> list[Line]:
    return [circle(axis, value) for axis in range(3)]


def _plane(value: float) -> list[Line]:
    return [square(1, value), square(1, -value)]


def _cylinder(value: float) -> list[Line]:
    upright = np.array([[value, -value, 0.0], [value, value, 0.0]])
    quarter = np.array([[0, 0, 1], [0, 1, 0], [-1, 0, 0]])
    posts = [upright @ np.linalg.matrix_power(quarter, k).T for k in range(4)]
    return [circle(1, value, -value), circle(1, value, value), *posts]


def _box(value: float) -> list[Line]:
    edges = []
    for axis in range(3):
        for first in (-value, value):
            for second in (-value, value):
                ends = np.empty((2, 3))
                ends[:, axis] = (-value, value)
                ends[:, (axis + 1) % 3], ends[:, (axis + 2) % 3] = first, second
                edges.append(ends)
    return edges


def _round_mark(painter: QPainter, at: QPointF, radius: float) -> None:
    painter.drawEllipse(at, radius, radius)


def _box_mark(painter: QPainter, at: QPointF, radius: float) -> None:
    painter.drawRect(QRectF(at.x() - radius, at.y() - radius, 2 * radius, 2 * radius))


def _plane_mark(painter: QPainter, at: QPointF, radius: float) -> None:
    painter.drawRect(QRectF(at.x() - radius * 1.3, at.y() - radius * 0.4, 2.6 * radius, 0.8 * radius))


def _upright_mark(painter: QPainter, at: QPointF, radius: float) -> None:
    painter.drawRoundedRect(QRectF(at.x() - radius * 0.7, at.y() - radius, 1.4 * radius, 2 * radius), 4, 4)


def _wind_mark(painter: QPainter, at: QPointF, radius: float) -> None:
    half = radius * 0.9
    painter.drawPolygon(
        QPolygonF([at + QPointF(-half, -radius), at + QPointF(1.2 * radius, 0.0), at + QPointF(-half, radius)])
    )


def wind_arrow() -> list[Line]:
    """A wind's arrow along X, in local space: a shaft with a double head, seen from two sides."""
    lines = [np.array([[0.0, 0.0, 0.0], [1.0, 0.0, 0.0]])]
    for across in (1, 2):
        for tip in (1.0, 0.82):
            head = np.zeros((3, 3))
            head[:, 0], head[:, across] = (tip - 0.16, tip, tip - 0.16), (-0.09, 0.0, 0.09)
            lines.append(head)
    return lines


class FormDrawing(NamedTuple):
    """shell: lines at a distance from the form, in local space; mark: paints the dot that stands for it."""

    shell: Callable[[float], list[Line]]
    mark: Callable[[QPainter, QPointF, float], None]


DRAWINGS: dict[ControlForm, FormDrawing] = {
    "sphere": FormDrawing(_sphere, _round_mark),
    "box": FormDrawing(_box, _box_mark),
    "plane": FormDrawing(_plane, _plane_mark),
    "cylinder": FormDrawing(_cylinder, _upright_mark),
    "wind": FormDrawing(_sphere, _wind_mark),
    # Around a path nothing is drawn but the path itself.
    "path": FormDrawing(lambda _value: [], _upright_mark),
}
