"""The Edit menu."""

from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QApplication

from estompe.app import editing
from estompe.app.commands.command import Command, needs_last, needs_scene, needs_shape, needs_shape_and_falloff
from estompe.app.context import AppContext
from estompe.app.widgets.number import NumberField
from estompe.document.edits import EditError, ScenePath
from estompe.setups.adding import add_painted

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


def _copy_effects(context: AppContext) -> None:
    """Copy the current shape's effects; they keep their falloffs."""
    shape = context.session.selection.shape
    editing.copy(context.session, [("shapes", shape.id, "effects", slot.id) for slot in shape.effects])


def _needs_copied(_context: AppContext) -> str:
    return "" if editing.on_clipboard() else "copy something first"


def _picks(context: AppContext) -> tuple[ScenePath, ...]:
    """Everything that is picked."""
    selection = context.session.selection
    return selection.there or ((selection.last,) if selection.last else ())


def _last(context: AppContext) -> str:
    """What is picked, in words."""
    paths = _picks(context)
    return editing.named(context.session, paths) if paths else "what is picked"


def _isolate(context: AppContext) -> None:
    """Show only the picked shapes in the view, or all again."""
    session = context.session
    selection = session.selection
    shapes = frozenset(str(path[1]) for path in _picks(context) if path[0] == "shapes")
    selection.isolate(None if selection.isolated is not None or not shapes else shapes)
    context.status.say("all shapes are shown" if selection.isolated is None else f"only {_last(context)} is shown")


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
    Command("steps", "Steps…", lambda c: c.show_steps(), "Edit", "Ctrl+Y"),
    Command(
        "remove_picked", "Remove what is picked", lambda c: editing.remove(c.session, _picks(c)), "Edit", "Delete",
        needs_last, lambda c: f"Remove {_last(c)}",
    ),
    Command(
        "duplicate_picked", "Duplicate what is picked", lambda c: editing.duplicate(c.session, _picks(c)), "Edit",
        "Ctrl+D", needs_last, lambda c: f"Duplicate {_last(c)}",
    ),
    Command(
        "duplicate_whole", "Duplicate with falloffs and controls",
        lambda c: editing.duplicate_with_uses(c.session, _picks(c)), "Edit", "Ctrl+Shift+D", needs_last,
    ),
    Command(
        "copy_picked", "Copy what is picked", lambda c: editing.copy(c.session, _picks(c)), "Edit", "Ctrl+C",
        needs_last, lambda c: f"Copy {_last(c)}",
    ),
    Command("copy_effects", "Copy the shape's effects", _copy_effects, "Edit", "Ctrl+Shift+C", needs_shape),
    Command("paste", "Paste", lambda c: editing.paste(c.session), "Edit", "Ctrl+V", _needs_copied),
    Command("find", "Find by name", lambda c: c.cast.find_by_name(), "Edit", "Ctrl+F"),
    Command(
        "isolate", "Only what is picked", _isolate, "Edit", "I", needs_scene,
        chosen=lambda c: c.session.selection.isolated is not None,
    ),
    Command("tool_move", "Move handles", lambda c: c.view.set_tool("move"), "Edit", "M"),
    Command("tool_rotate", "Rotate handles", lambda c: c.view.set_tool("rotate"), "Edit", "T"),
    Command("tool_scale", "Scale handles", lambda c: c.view.set_tool("scale"), "Edit", "S"),
    Command("key_picked", "Key what is picked", key_picked, "Edit", "K"),
    Command("brush", "Paint", paint, "Edit", "B", needs_shape_and_falloff),
    Command("preferences", "Preferences", lambda c: c.sheets.toggle_preferences(), "Edit", "Ctrl+,"),
)  # fmt: skip
