"""Estompe: falloff-driven procedural effects. `open` a scene and `evaluate` it on a frame, or build one with `Scene`.

Kinds of sources, effects and shapes are here by the names of their classes, such as `estompe.Distance` and `estompe.Push`.
"""

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from estompe.api import evaluate, open, save
    from estompe.scripting.handles import Control, Falloff, Shape
    from estompe.scripting.kinds import *  # noqa: F403
    from estompe.scripting.scene import Scene, diff
    from estompe.scripting.values import ScriptError, color_as_shown, formula, keys

__version__ = "0.12.0"
_FROM = {
    **dict.fromkeys(("evaluate", "open", "save"), "estompe.api"),
    **dict.fromkeys(("Control", "Falloff", "Shape"), "estompe.scripting.handles"),
    **dict.fromkeys(("Scene", "diff"), "estompe.scripting.scene"),
    **dict.fromkeys(("ScriptError", "color_as_shown", "formula", "keys"), "estompe.scripting.values"),
}
__all__ = [
    "Control", "Falloff", "Scene", "ScriptError", "Shape",
    "color_as_shown", "diff", "evaluate", "formula", "keys", "open", "save",
]  # fmt: skip


def __getattr__(name: str) -> Any:
    """What scripts use is loaded when it is asked for: commands and parts of the program need little of it."""
    from importlib import import_module

    if name in _FROM:
        return getattr(import_module(_FROM[name]), name)
    if name[:1].isupper():
        kinds = import_module("estompe.scripting.kinds")
        if name in kinds.__all__:
            return getattr(kinds, name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")


def __dir__() -> list[str]:
    """The names that scripts use, kinds too."""
    from estompe.scripting import kinds

    return sorted({*globals(), *__all__, *kinds.__all__})
