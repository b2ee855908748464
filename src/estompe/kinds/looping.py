"""The setting *Loop*, and the time of what loops: whole swings a loop, so that each one ends as it began."""

from collections.abc import Callable
from typing import Annotated

from msgspec import Meta

from estompe.kinds.settings import setting

LOOP_RATE = 24.0
"""Frames a second at which a speed says how many swings a loop has."""

Loop = Annotated[
    int,
    setting(
        "Loop",
        "The number of frames after which the motion repeats; 0 never repeats it.",
        unit="frames",
        low=0,
        high=100_000,
        folded=True,
    ),
    Meta(ge=0, le=100_000),
]
"""The setting `loop`, for kinds that swing."""


def turns_in(loop: int, speed: float) -> int:
    """Whole swings in a loop of so many frames: as many as a speed asks for at 24 frames a second, and at least one."""
    return max(1, round(abs(speed) * loop / LOOP_RATE))


def looped(loop: int, phase_at: Callable[[float], float], frame: float) -> tuple[int, float]:
    """Return the whole swings of the loop that a frame is in, and how many of them have passed.

    phase_at: the integral of a speed over time, in swings, up to a frame.
    """
    begin = frame - frame % loop
    passed, whole = phase_at(frame) - phase_at(begin), phase_at(begin + loop) - phase_at(begin)
    turns = max(1, round(abs(whole)))
    return turns, turns * (passed / whole) if whole else 0.0
