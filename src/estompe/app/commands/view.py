"""The View menu."""

from PyQt6.QtGui import QGuiApplication

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


def _toggle_grid(context: AppContext) -> None:
    """Show the grid, or no more."""
    context.view.aids.grid = not context.view.aids.grid
    context.view.redraw()


def _toggle_shadow(context: AppContext) -> None:
    """Show the key light's shadow on the ground, or light shapes from the camera."""
    context.view.aids.shadow = not context.view.aids.shadow
    context.view.redraw()
    if context.view.mode != "shaded":
        context.status.say("the key light shows in the shaded view (1)")


def _turn_light(context: AppContext, degrees: float) -> None:
    """Turn the key light around the scene."""
    context.view.aids.turn_light(degrees)
    context.view.redraw()


def _copy_view(context: AppContext) -> None:
    """Put the picture of the view, with what is drawn over it, on the clipboard."""
    clipboard = QGuiApplication.clipboard()
    if clipboard is not None:
        clipboard.setPixmap(context.view.grab())
    context.status.say("copied the picture of the view")


COMMANDS = (
    _mode("shaded", "Shaded", "1"),
    _mode("strength", "Strength", "2"),
    _mode("wire", "Wire", "3"),
    _mode("pieces", "Pieces", "4"),
    Command("view_front", "From the front", lambda c: c.view.look_along((0.0, 0.0, -1.0)), "View", "Ctrl+1", needs_scene),
    Command("view_side", "From the right", lambda c: c.view.look_along((-1.0, 0.0, 0.0)), "View", "Ctrl+2", needs_scene),
    Command("view_top", "From above", lambda c: c.view.look_along((0.0, -1.0, 0.0)), "View", "Ctrl+3", needs_scene),
    Command(
        "parallel", "Parallel rays", lambda c: c.view.toggle_parallel(), "View", "Ctrl+4", needs_scene,
        chosen=lambda c: bool(c.view.viewpoint.parallel),
    ),
    Command("grid", "Grid", _toggle_grid, "View", "Shift+G", chosen=lambda c: c.view.aids.grid),
    Command(
        "shadow", "Key light with shadow", _toggle_shadow, "View", "H",
        chosen=lambda c: c.view.aids.shadow,
    ),
    Command("light_left", "Turn the key light left", lambda c: _turn_light(c, -15.0), "View", "Shift+H"),
    Command("light_right", "Turn the key light right", lambda c: _turn_light(c, 15.0), "View", "Ctrl+H"),
    Command("whole_view", "Only the view", lambda c: c.show_whole_view(), "View", "Shift+F"),
    Command("copy_view", "Copy the picture", _copy_view, "View", "Ctrl+Alt+C", needs_scene),
    Command("measure", "Measure between two places", lambda c: c.view.measure(), "View", "Shift+M", needs_scene,
            chosen=lambda c: c.view.measured is not None),
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
    Command("console", "Console", lambda c: c.sheets.toggle_console(), "View", "F8", needs_scene),
    Command("table", "Table", lambda c: c.sheets.toggle_table(), "View", "D", needs_scene),
    Command(
        "curves", "Keys as curves", lambda c: c.time.show_curves(not c.time.curves_button.isChecked()), "View", "G",
        chosen=lambda c: c.time.curves_button.isChecked(),
    ),
    _theme("paper", "Paper"),
    _theme("charcoal", "Charcoal"),
    _theme("desktop", "Follow the desktop"),
)  # fmt: skip
