"""The Help menu."""

from PyQt6.QtCore import QUrl
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QMessageBox

from estompe import __version__, faults
from estompe.app.commands.command import Command
from estompe.app.context import AppContext


def show_log(context: AppContext) -> None:
    """Open the log of what went wrong with the desktop's own viewer, and say where it is."""
    file = faults.log_file()
    if not file.exists():
        context.status.say("the log is empty: nothing went wrong so far")
        return
    context.status.say(f"the log is {file}")
    QDesktopServices.openUrl(QUrl.fromLocalFile(str(file)))


def about(context: AppContext) -> None:
    """Say which version this is."""
    text = f"Estompe {__version__}\nFalloff-driven procedural effects.\nFree software under the GNU GPL, version 3 or later."
    QMessageBox.about(context.view.window(), "About Estompe", text)


COMMANDS = (
    Command("reference", "Reference", lambda c: c.explain(), "Help", "F1"),
    Command(
        "help_sheet",
        "Shortcuts",
        lambda c: c.sheets.show_shortcuts(c.shortcuts(), c.change_shortcut),
        "Help",
        "Shift+F1",
    ),
    Command("show_log", "Show the log", show_log, "Help"),
    Command("about", "About Estompe", about, "Help"),
)
