"""A command: what it is called, where it stands, what it does, and why it cannot be done now."""

from collections.abc import Callable
from dataclasses import dataclass

from estompe.app.context import AppContext

Run = Callable[[AppContext], object]
Needs = Callable[[AppContext], str]


@dataclass(frozen=True)
class Command:
    """Something the window can be told to do.

    name: in preferences; text: in menus; menu: where it stands, "" for none; keys: its first shortcut; needs: why it cannot be
    done now, "" where it can; title: what it is called now, where that changes; chosen: whether it stands checked.
    """

    name: str
    text: str
    run: Run
    menu: str = ""
    keys: str = ""
    needs: Needs = lambda _context: ""
    title: Callable[[AppContext], str] | None = None
    chosen: Callable[[AppContext], bool] | None = None


def needs_scene(context: AppContext) -> str:
    """Something must be open."""
    return "" if context.session.document.started else "open or add something first"


def needs_shape(context: AppContext) -> str:
    """A shape must be current."""
    return "" if context.session.selection.shape is not None else "choose a shape first"


def needs_falloff(context: AppContext) -> str:
    """A falloff must be current."""
    return "" if context.session.selection.falloff is not None else "add a falloff first"


def needs_shape_and_falloff(context: AppContext) -> str:
    """A shape and a falloff must be current."""
    return needs_shape(context) or needs_falloff(context)


def needs_last(context: AppContext) -> str:
    """A shape, control, falloff, effect or layer must have been picked."""
    path = context.session.selection.last
    whole = (len(path) == 2 and path[0] in ("shapes", "controls", "falloffs")) or (
        len(path) == 4 and path[2] in ("effects", "layers")
    )
    return "" if whole else "pick a shape, control, falloff, effect or layer first"
