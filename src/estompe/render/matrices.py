"""The matrices that a picture of items is drawn with, with depths as finely resolved as what is drawn allows."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from estompe.render.item import Item
from estompe.render.viewpoint import Viewpoint


def matrices_of(viewpoint: Viewpoint, size: tuple[int, int], items: Sequence[Item]) -> tuple[Any, Any]:
    """World to eye space and eye to clip space, upside down, so that rows come out from the top.

    Where rays are parallel and there is no clipping, the eye stands back until it is before everything.
    """
    far, nearest = 1.0, np.inf
    view, eye = viewpoint.view(), np.asarray(viewpoint.eye)
    if viewpoint.parallel:
        return _parallel_matrices(viewpoint, size, items, view)
    for item in items:
        low, high = item.geometry.bounds
        far = max(far, float(np.linalg.norm(np.maximum(np.abs(low - eye), np.abs(high - eye)))))
        # The corner of the box that reaches farthest towards the viewer.
        corner = np.where(view[2, :3] > 0.0, high, low)
        nearest = min(nearest, -float(view[2, :3] @ corner + view[2, 3]))
    projection = viewpoint.projection(size[0] / size[1], far, nearest if np.isfinite(nearest) else 0.0)
    projection[1] *= -1
    return view, projection


def _parallel_matrices(
    viewpoint: Viewpoint, size: tuple[int, int], items: Sequence[Item], view: Any
) -> tuple[Any, Any]:
    """The matrices of a view with parallel rays."""
    depths = [0.0, viewpoint.distance]
    for item in items:
        low, high = item.geometry.bounds
        ends = (np.where(view[2, :3] > 0.0, a, b) for a, b in ((high, low), (low, high)))
        depths += [-float(view[2, :3] @ corner + view[2, 3]) for corner in ends]
    nearest, far = min(depths), max(depths)
    if viewpoint.clipping is None and nearest < viewpoint.distance:
        back = viewpoint.distance - nearest
        view, nearest, far = view.copy(), nearest + back, far + back
        view[2, 3] -= back
    projection = viewpoint.projection(size[0] / size[1], far, nearest)
    projection[1] *= -1
    return view, projection
