"""Distances in a control's own space: how far each point lies from a sphere, box, plane or cylinder form.

Each form's distance is the one whose level sets keep the form: spheres around a sphere, boxes around a box.
"""

from enum import IntEnum

import numpy as np

from estompe.kernels import BLOCK, PARALLEL_FROM
from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.transform import taken_into
from estompe.kernels.types import Floats, read_only


class Form(IntEnum):
    """What the distance is measured to; AXIS_* is the signed position along one axis."""

    SPHERE = 0
    BOX = 1
    PLANE = 2
    CYLINDER = 3
    AXIS_X = 4
    AXIS_Y = 5
    AXIS_Z = 6


_SPHERE, _BOX, _PLANE, _CYLINDER = int(Form.SPHERE), int(Form.BOX), int(Form.PLANE), int(Form.CYLINDER)
_AXIS_X, _AXIS_Y = int(Form.AXIS_X), int(Form.AXIS_Y)


@inlined
def _block(flat, m, form, out):
    count = out.shape[0]
    x = np.empty(BLOCK, np.float32)
    y = np.empty(BLOCK, np.float32)
    z = np.empty(BLOCK, np.float32)
    taken_into(flat, m, x, y, z)
    if form == _SPHERE:
        for i in range(count):
            out[i] = np.sqrt(x[i] * x[i] + y[i] * y[i] + z[i] * z[i])
    elif form == _BOX:
        for i in range(count):
            out[i] = max(abs(x[i]), max(abs(y[i]), abs(z[i])))
    elif form == _PLANE:
        for i in range(count):
            out[i] = abs(y[i])
    elif form == _CYLINDER:
        for i in range(count):
            out[i] = max(np.sqrt(x[i] * x[i] + z[i] * z[i]), abs(y[i]))
    elif form == _AXIS_X:
        for i in range(count):
            out[i] = x[i]
    elif form == _AXIS_Y:
        for i in range(count):
            out[i] = y[i]
    else:
        for i in range(count):
            out[i] = z[i]


@kernel
def _distance_serial(flat, m, form, out):
    n = out.shape[0]
    for block in range((n + BLOCK - 1) // BLOCK):
        begin = block * BLOCK
        end = min(n, begin + BLOCK)
        _block(flat[3 * begin : 3 * end], m, form, out[begin:end])


@parallel_kernel
def _distance_parallel(flat, m, form, out):
    n = out.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        begin = block * BLOCK
        end = min(n, begin + BLOCK)
        _block(flat[3 * begin : 3 * end], m, form, out[begin:end])


def distance(points: Floats, to_control: Floats, form: Form) -> Floats:
    """Distance of each point from a control's form, in the control's own units.

    points: float32 (n, 3); to_control: float32 (3, 4), world to control space. Returns float32 (n,).
    """
    out = np.empty(len(points), np.float32)
    run = _distance_serial if len(points) < PARALLEL_FROM else _distance_parallel
    run(read_only(points).reshape(-1), to_control, int(form), out)
    return out
