"""How long effects took when they were last computed, to tell what a change costs."""

import threading
import time
from collections.abc import Callable
from typing import TypeVar

Made = TypeVar("Made")
_LOCK = threading.Lock()
_MOST = 4096
_spent: dict[tuple[str, str], float] = {}


def timed(effect: str, part: str, compute: Callable[[], Made]) -> Made:
    """What `compute` gives, and remember how long it took. effect: an id; part: which of its stages."""
    began = time.perf_counter()
    made = compute()
    with _LOCK:
        if len(_spent) > _MOST:
            _spent.clear()
        _spent[effect, part] = time.perf_counter() - began
    return made


def spent(effect: str) -> tuple[float, float] | None:
    """Seconds that all stages of an effect took when they were last run, and its last one alone; None for one that was not
    run.
    """
    with _LOCK:
        parts = {part: seconds for (name, part), seconds in _spent.items() if name == effect}
    return (sum(parts.values()), parts["effect"]) if "effect" in parts else None
