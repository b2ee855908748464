"""Estompe: falloff-driven procedural effects. `open` a scene and `evaluate` it on a frame."""

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from estompe.api import evaluate, open, save

__version__ = "0.8.0"
__all__ = ["evaluate", "open", "save"]


def __getattr__(name: str) -> Any:
    """What scripts use is loaded when it is asked for: commands and parts of the program need little of it."""
    if name not in __all__:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    from estompe import api

    return getattr(api, name)
