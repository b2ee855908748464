"""How long the rest of a run will take."""

import time


class Estimate:
    """How long the rest will take, from how long what is done took."""

    def __init__(self, count: int) -> None:
        self._left, self._steps = count, 0
        self._began = time.monotonic()

    def step(self, count: int = 1) -> None:
        """So many more are done."""
        self._left -= count
        self._steps += count

    def skip(self) -> None:
        """One was done already."""
        self._left -= 1
        if not self._steps:
            self._began = time.monotonic()

    @property
    def words(self) -> str:
        """To be put behind what is being done; nothing as long as nothing is known."""
        if not self._steps:
            return ""
        seconds = (time.monotonic() - self._began) / self._steps * self._left
        return f", about {time_left(seconds)} left"


def time_left(seconds: float) -> str:
    """A length of time as a person would say it."""
    if seconds < 90:
        return f"{max(1, round(seconds))} s"
    if seconds < 5400:
        return f"{round(seconds / 60)} min"
    return f"{seconds / 3600:.1f} h"
