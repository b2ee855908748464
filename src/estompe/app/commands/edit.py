"""The Edit menu."""

from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QApplication

from estompe.app.commands.command import Command, needs_last, needs_shape, needs_shape_and_falloff
from estompe.app.context import AppContext
from estompe.app.widgets.number import NumberField
from estompe.document.edits import EditError, ScenePath
from estompe.setups.adding import add_painted, paste_effects

_TRIPLES = {"move": "position", "rotate": "rotation", "scale": "scale"}


def key_picked(context: AppContext) -> None:
    """Key the number under the pointer, or else what the handles change."""
    under = QApplication.widgetAt(QCursor.pos())
    if isinstance(under, NumberField) and under.window() is context.view.window() and under.keyable:
        context.session.numbers.toggle_key(under.path)
        return
    base = _keyed_by_handles(context)
    if base is None:
        context.status.say("pick a shape or control first, or point at a number", "warning")
        return
    try:
        context.session.numbers.toggle_keys([(*base, axis) for axis in range(3)])
    except EditError as error:
        context.status.say(str(error), "error")


def _keyed_by_handles(context: AppContext) -> ScenePath | None:
    """The three numbers that the handles change."""
    selection = context.session.selection
    if selection.picked_effect is not None:
        slot = next(item for item in selection.shape.effects if item.id == selection.picked_effect[3])
        return (*selection.picked_effect, "effect", slot.effect.pivot_setting)
    if selection.picked_joint is not None:
        return (*selection.picked_joint, "rotation")
    if selection.picked == ("camera",):
        return ("camera", "position")
    return (*selection.picked, "transform", _TRIPLES[context.view.tool]) if selection.picked else None


def paint(context: AppContext) -> None:
    """Paint the mask of the current falloff, which gets one if it has none; or put the brush away."""
    session = context.session
    if session.painting.path is not None:
        session.painting.take(None)
        return
    falloff = session.selection.falloff
    layer = next((item for item in falloff.layers if item.source.painted), None)
    setting = layer.source.painted if layer is not None else "mask"
    found = layer.id if layer is not None else None
    if found is None:
        scene, found = add_painted(session.document.scene, falloff.id)
        session.document.commit(scene, f"Add Painted to {falloff.name}")
    session.selection.choose_falloff(falloff.id, found)
    session.painting.take(("falloffs", falloff.id, "layers", found, "source", setting))


def copy_effects(context: AppContext) -> None:
    """Take note of the current shape's effects; they keep their falloffs."""
    selection = context.session.selection
    selection.clipboard = selection.shape.effects
    context.status.say(f"copied {len(selection.clipboard)} effects of {selection.shape.name}")


def paste(context: AppContext) -> None:
    """Add the copied effects to the current shape."""
    session = context.session
    scene = paste_effects(session.document.scene, session.selection.shape.id, session.selection.clipboard)
    session.document.commit(scene, f"Paste effects to {session.selection.shape.name}")


def _needs_copied(context: AppContext) -> str:
    copied = "" if context.session.selection.clipboard else "copy a shape's effects first, then choose another shape"
    return copied or needs_shape(context)


def _last(context: AppContext) -> str:
    """What was chosen last, in words."""
    path = context.session.selection.last
    return context.session.document.name_of(path) if path else "what is picked"


def _remove(context: AppContext) -> None:
    name = _last(context)
    context.cast.remove(context.session.selection.last)
    context.status.say(f"removed {name}")


def _duplicate(context: AppContext) -> None:
    name = _last(context)
    context.cast.duplicate(context.session.selection.last)
    context.status.say(f"duplicated {name}")


def _undo(context: AppContext) -> str:
    label = context.session.document.undo_label
    return f"Undo {label}" if label else "Undo"


def _redo(context: AppContext) -> str:
    label = context.session.document.redo_label
    return f"Redo {label}" if label else "Redo"


COMMANDS = (
    Command(
        "undo", "Undo", lambda c: c.session.document.undo(), "Edit", "Ctrl+Z",
        lambda c: "" if c.session.document.undo_label else "nothing was done yet", _undo,
    ),
    Command(
        "redo", "Redo", lambda c: c.session.document.redo(), "Edit", "Ctrl+Shift+Z",
        lambda c: "" if c.session.document.redo_label else "nothing was undone", _redo,
    ),
    Command(
        "remove_picked", "Remove what is picked", _remove, "Edit", "Delete", needs_last, lambda c: f"Remove {_last(c)}",
    ),
    Command(
        "duplicate_picked", "Duplicate what is picked", _duplicate, "Edit", "Ctrl+D", needs_last,
        lambda c: f"Duplicate {_last(c)}",
    ),
    Command("copy_effects", "Copy the shape's effects", copy_effects, "Edit", "Ctrl+C", needs_shape),
    Command("paste_effects", "Paste effects", paste, "Edit", "Ctrl+V", _needs_copied),
    Command("tool_move", "Move handles", lambda c: c.view.set_tool("move"), "Edit", "M"),
    Command("tool_rotate", "Rotate handles", lambda c: c.view.set_tool("rotate"), "Edit", "T"),
    Command("tool_scale", "Scale handles", lambda c: c.view.set_tool("scale"), "Edit", "S"),
    Command("key_picked", "Key what is picked", key_picked, "Edit", "K"),
    Command("brush", "Paint", paint, "Edit", "B", needs_shape_and_falloff),
    Command("preferences", "Preferences", lambda c: c.sheets.toggle_preferences(), "Edit", "Ctrl+,"),
)  # fmt: skip
