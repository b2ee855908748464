"""A vertex array drawn into a target of its own and read back, and nothing else: what a picture is held against."""

from typing import Any

import moderngl
import numpy as np


def drawn(context: Any, target: Any, array: Any, size: tuple[int, int]) -> np.ndarray:
    """A picture, uint8 (height, width, 4). The context must be current."""
    target.use()
    context.enable(moderngl.DEPTH_TEST)
    target.clear(0.7, 0.7, 0.7, 1.0)
    array.render()
    out = np.empty((size[1], size[0], 4), np.uint8)
    target.read_into(out, components=4)
    return out
