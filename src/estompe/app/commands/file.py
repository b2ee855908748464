"""The File menu."""

from pathlib import Path

import numpy as np
from PyQt6.QtGui import QImage

from estompe.app.commands.command import Command, needs_scene
from estompe.app.context import AppContext
from estompe.render.picture import save_png
from estompe.render.renderer import Picture


def save_picture(context: AppContext) -> None:
    """Ask where the view should go as a picture, and write it."""
    path = context.files.ask_picture()
    if path is not None:
        save_picture_to(context, path)


def save_picture_to(context: AppContext, path: Path) -> None:
    """Write the view, with what is drawn over it, as PNG."""
    image = context.view.grab().toImage().convertToFormat(QImage.Format.Format_RGBX8888)
    bits = image.constBits()
    bits.setsize(image.sizeInBytes())
    picture: Picture = np.frombuffer(bits, np.uint8).reshape(image.height(), -1, 4)[:, : image.width()]
    try:
        save_png(picture, path)
        context.status.say(f"saved {path.name}")
    except OSError as error:
        context.status.say(f"{path}: cannot be written ({error.strerror or error})", "error")


COMMANDS = (
    Command("new_scene", "New", lambda c: c.files.new_scene(), "File", "Ctrl+N"),
    Command("open_file", "Open…", lambda c: c.files.ask_open(), "File", "Ctrl+O"),
    Command("save", "Save", lambda c: c.files.save(), "File", "Ctrl+S", needs_scene),
    Command("save_as", "Save as…", lambda c: c.files.ask_save_as(), "File", "Ctrl+Shift+S", needs_scene),
    Command("import_mesh", "Import a mesh…", lambda c: c.files.ask_import(), "File", "Ctrl+I"),
    Command("export_scene", "Export an animated scene…", lambda c: c.files.ask_export(), "File", "Ctrl+E", needs_scene),
    Command(
        "export_sequence", "Export a mesh sequence…", lambda c: c.files.ask_export_sequence(), "File", "", needs_scene
    ),
    Command("save_picture", "Save the view as a picture…", save_picture, "File", "", needs_scene),
    Command("start_sheet", "Samples and recent files", lambda c: c.sheets.show_start(), "File"),
    Command("close", "Quit", lambda c: c.close(), "File", "Ctrl+Q"),
)
