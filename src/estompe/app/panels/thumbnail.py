"""Small pictures of a layer's own result, drawn from the points of the current shape."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QImage

from estompe.kernels.types import Floats
from estompe.render.palette import strength_colors

WIDTH, HEIGHT = 30, 18
_MOST_POINTS = 20_000


def layer_picture(points: Floats, values: Floats, falling: bool) -> QImage:
    """Values on the points seen along their shortest axis, from lowest to highest; falling: the lowest is strongest."""
    pixels = np.zeros((HEIGHT, WIDTH, 4), np.uint8)
    if len(points):
        step = max(1, len(points) // _MOST_POINTS)
        means, filled = _means(points[::step], values[::step])
        low, high = float(means[filled].min()), float(means[filled].max())
        scaled = (means - low) / (high - low) if high > low else np.zeros_like(means)
        pixels[..., :3] = strength_colors((1.0 - scaled if falling else scaled).astype(np.float32))
        pixels[..., 3] = np.where(filled, 255, 0)
    return QImage(pixels.tobytes(), WIDTH, HEIGHT, WIDTH * 4, QImage.Format.Format_RGBA8888).copy()


def _means(points: Floats, values: Floats) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """Mean value in each pixel, and which pixels have one."""
    low, high = points.min(axis=0), points.max(axis=0)
    extent = high - low
    # Up stays up: Y is the height of the picture unless it is what one looks along.
    axes = np.array(sorted(np.argsort(extent)[1:], key=lambda axis: (axis == 1, axis)))
    pixel = max(extent[axes[0]] / WIDTH, extent[axes[1]] / HEIGHT, 1e-9)
    margin = (np.array([WIDTH, HEIGHT]) - extent[axes] / pixel) / 2
    flat = (points[:, axes] - low[axes]) / pixel + margin
    column = np.clip(flat[:, 0].astype(np.int64), 0, WIDTH - 1)
    row = np.clip((HEIGHT - flat[:, 1]).astype(np.int64), 0, HEIGHT - 1)
    cell = row * WIDTH + column
    count = np.bincount(cell, minlength=WIDTH * HEIGHT)
    total = np.bincount(cell, values, minlength=WIDTH * HEIGHT)
    means = (total / np.maximum(count, 1)).reshape(HEIGHT, WIDTH)
    return means, (count > 0).reshape(HEIGHT, WIDTH)
