"""Everything the window can be told to do: menus, shortcuts and the help are made from it. One module per menu."""

from estompe.app.commands import add, check, edit, file, help, time, view
from estompe.app.commands.command import Command

MENUS = ("File", "Edit", "Add", "View", "Check", "Help")
COMMANDS: tuple[Command, ...] = (
    *file.COMMANDS,
    *edit.COMMANDS,
    *add.COMMANDS,
    *view.COMMANDS,
    *check.COMMANDS,
    *time.COMMANDS,
    *help.COMMANDS,
)
__all__ = ["COMMANDS", "MENUS", "Command"]
