"""Comparing pictures: sensitive enough that a lost channel or a shifted shape fails."""

import numpy as np


def difference(one: np.ndarray, other: np.ndarray) -> float:
    """The largest mean difference of any channel over blocks of 16 pixels, 0..255."""
    assert one.shape == other.shape
    gap = np.abs(one[..., :3].astype(np.float64) - other[..., :3])
    height, width = (side // 16 * 16 for side in gap.shape[:2])
    blocks = gap[:height, :width].reshape(height // 16, 16, width // 16, 16, 3).mean(axis=(1, 3))
    return float(blocks.max())
