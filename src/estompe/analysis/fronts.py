"""When a falloff reaches each place of a shape, and lines along places that are reached on the same frame."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from estompe.analysis.landing import Landing
from estompe.kernels.types import Floats, Indices

NEVER = np.float32(np.inf)
_STEPS = (1, 2, 3, 4, 6, 8, 12, 16, 24, 48, 96, 120, 240, 480, 960)
_MOST_LINES = 9


class Line(NamedTuple):
    """Places that are reached on a frame, as segments, float32 (k, 2, 3)."""

    frame: int
    segments: Floats


def reached_frames(landing: Landing) -> Floats:
    """The frame on which each element first passes the aim's strength, float32 (n,); infinite where it never does.

    Between whole frames by a straight line.
    """
    scene, strength = landing.project.scene, np.float32(landing.aim.strength)
    before = landing.strength_on(scene.first)
    found = np.where(before > strength, np.float32(scene.first), NEVER)
    for frame in range(scene.first + 1, scene.last + 1):
        now = landing.strength_on(frame)
        if len(now) != len(found):
            return found  # from here on there are others: what was reached before stands
        newly = np.isinf(found) & (now > strength)
        rise = np.maximum(now - before, np.float32(1e-12))
        part = np.clip((strength - before) / rise, np.float32(0.0), np.float32(1.0))
        found = np.where(newly, np.float32(frame - 1) + part, found)
        before = now
    return np.asarray(found, np.float32)


def neat_frames(frames: Floats) -> list[int]:
    """Whole frames between the first and the last that anything is reached on, not too many."""
    there = frames[np.isfinite(frames)]
    if not len(there):
        return []
    low, high = float(there.min()), float(there.max())
    step = next((item for item in _STEPS if (high - low) / item <= _MOST_LINES), _STEPS[-1])
    return list(range(int(np.floor(low / step) + 1) * step, int(np.ceil(high)), step))


def front_lines(points: Floats, triangles: Indices, frames: Floats, wanted: Sequence[int]) -> list[Line]:
    """Where a front lies on some frames: straight through each triangle, as its corners are reached.

    Parameters
    ----------
    points : float32 (n, 3)
        The mesh as it is now.
    triangles : int32 (t, 3)
        Its triangles.
    frames : float32 (n,)
        When each point is reached.
    wanted : sequence of int
        The frames.

    Returns
    -------
    list of Line
        One for each frame on which there is a line.
    """
    finite = np.isfinite(frames[triangles]).all(axis=1)
    corners, values = triangles[finite], frames[triangles[finite]]
    found = []
    for frame in wanted:
        past = values <= frame
        cut = past.any(axis=1) & ~past.all(axis=1)
        if cut.any():
            found.append(Line(frame, _segments(points, corners[cut], values[cut], np.float32(frame))))
    return found


def _segments(points: Floats, corners: Indices, values: Floats, level: np.float32) -> Floats:
    """The segment across each triangle on which values equal a level."""
    past = values <= level
    # The corner that is alone on its side: both edges from it are crossed.
    alone = np.where(past.sum(axis=1) == 1, past.argmax(axis=1), (~past).argmax(axis=1))
    rows = np.arange(len(corners))
    apex, apex_value = points[corners[rows, alone]], values[rows, alone]
    ends = []
    for turn in (1, 2):
        other = (alone + turn) % 3
        rise = values[rows, other] - apex_value
        part = np.clip((level - apex_value) / np.where(rise == 0, np.float32(1.0), rise), 0.0, 1.0)
        ends.append(apex + (points[corners[rows, other]] - apex) * part[:, None])
    return np.stack(ends, axis=1).astype(np.float32)
