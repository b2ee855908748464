"""The View menu."""

from estompe.app.commands.command import Command, needs_scene, needs_shape
from estompe.app.context import AppContext
from estompe.render.item import Mode


def _mode(mode: Mode, text: str, keys: str) -> Command:
    return Command(
        f"mode_{mode}", text, lambda c: c.view.set_mode(mode), "View", keys, chosen=lambda c: c.view.mode == mode
    )


def _theme(name: str, text: str) -> Command:
    return Command(f"theme_{name}", text, lambda c: choose_theme(c, name), "View",
                   chosen=lambda c: c.preferences.theme == name)  # fmt: skip


def choose_theme(context: AppContext, name: str) -> None:
    """Show another theme from now on."""
    context.preferences.theme = name
    context.preferences.save()
    context.apply_preferences()


COMMANDS = (
    _mode("shaded", "Shaded", "1"),
    _mode("strength", "Strength", "2"),
    _mode("wire", "Wire", "3"),
    _mode("pieces", "Pieces", "4"),
    Command("fit", "Fit", lambda c: c.view.fit(), "View", "F", needs_scene),
    Command(
        "toggle_camera", "Through the camera", lambda c: c.view.look_through_camera(not c.view.through_camera), "View",
        "C", chosen=lambda c: c.view.through_camera,
    ),
    Command(
        "slice", "Slice through the volume", lambda c: c.session.slices.turn(), "View", "X", needs_shape,
        chosen=lambda c: c.session.slices.on,
    ),
    Command("routing", "Routing", lambda c: c.sheets.toggle_routing(), "View", "R", needs_scene),
    Command("table", "Table", lambda c: c.sheets.toggle_table(), "View", "D", needs_scene),
    Command(
        "curves", "Keys as curves", lambda c: c.time.show_curves(not c.time.curves_button.isChecked()), "View", "G",
        chosen=lambda c: c.time.curves_button.isChecked(),
    ),
    _theme("paper", "Paper"),
    _theme("charcoal", "Charcoal"),
    _theme("desktop", "Follow the desktop"),
)  # fmt: skip
