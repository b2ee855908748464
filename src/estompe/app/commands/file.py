"""The File menu."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtGui import QImage

from estompe.app import units
from estompe.app.commands.command import Command, needs_scene
from estompe.app.context import AppContext
from estompe.baking.states import past_of, with_states
from estompe.baking.states import work_out as work_out_shot
from estompe.document import edits
from estompe.document.project import Project
from estompe.evaluation.time.past import Past
from estompe.files.progress import ExchangeError, Progress
from estompe.importing.reads import check_not_read
from estompe.render.item import Picture
from estompe.render.picture import save_png


def save_picture(context: AppContext) -> None:
    """Ask where the view should go as a picture, and write it."""
    path = context.files.ask_picture()
    if path is not None:
        save_picture_to(context, path)


def save_picture_to(context: AppContext, path: Path) -> None:
    """Write the view, with what is drawn over it, as PNG."""
    try:
        check_not_read(context.session.document.project, [path])
    except ExchangeError as error:
        context.status.say(str(error), "error")
        return
    image = context.view.grab().toImage().convertToFormat(QImage.Format.Format_RGBX8888)
    bits = image.constBits()
    bits.setsize(image.sizeInBytes())
    picture: Picture = np.frombuffer(bits, np.uint8).reshape(image.height(), -1, 4)[:, : image.width()]
    try:
        save_png(picture, path)
        context.status.say(f"saved {path.name}")
    except OSError as error:
        context.status.say(f"{path}: cannot be written ({error.strerror or error})", "error")


def work_out(context: AppContext) -> None:
    """Work out what the scene remembers on all frames of the shot, with progress; it is kept on this machine."""
    _worked_out(context, "working out the shot", lambda past: past.steps, lambda steps: _say_steps(context, steps))


def keep_states(context: AppContext) -> None:
    """Work out what the scene remembers, and keep it with the scene, as one step of undo."""

    def take(made: Project) -> None:
        document = context.session.document
        if not made.scene.states:
            context.status.say("nothing in this scene remembers anything", "warning")
            return
        document.add_assets(dict(made.assets))
        document.commit(edits.put(document.scene, ("states",), made.scene.states), "Keep states in the scene")
        size = sum(made.assets[item.asset].nbytes for item in made.scene.states)
        context.status.say(f"{len(made.scene.states)} states, {units.bytes_shown(size)}, are saved with the scene")

    _worked_out(context, "keeping states", with_states, take)


def drop_states(context: AppContext) -> None:
    """Keep no states with the scene any more."""
    document = context.session.document
    document.commit(edits.put(document.scene, ("states",), ()), "Let go of states in the scene")


def _worked_out(context: AppContext, title: str, then: Callable[[Past], Any], take: Callable[[Any], None]) -> None:
    project = context.session.document.project
    first, last = project.scene.first, project.scene.last

    def job(progress: Progress) -> Any:
        past = past_of(project)
        past.pause = lambda: progress(0.0, title)
        work_out_shot(past, first, last, progress)
        return then(past)

    context.work.start(title, job, take, context.session.document.still_open())


def _say_steps(context: AppContext, steps: int) -> None:
    context.status.say(f"the shot is worked out; {steps} steps were missing")


COMMANDS = (
    Command("new_scene", "New", lambda c: c.files.new_scene(), "File", "Ctrl+N"),
    Command("open_file", "Open…", lambda c: c.files.ask_open(), "File", "Ctrl+O"),
    Command("save", "Save", lambda c: c.files.save(), "File", "Ctrl+S", needs_scene),
    Command("save_as", "Save as…", lambda c: c.files.ask_save_as(), "File", "Ctrl+Shift+S", needs_scene),
    Command("import_mesh", "Import a mesh…", lambda c: c.files.ask_import(), "File", "Ctrl+I"),
    Command(
        "import_shot", "Import a shot…", lambda c: c.files.ask_import_shot(c.sheets.show_shot), "File", "Ctrl+Shift+I"
    ),
    Command("output", "Output…", lambda c: c.sheets.toggle_output(), "File", "Ctrl+Shift+E", needs_scene),
    Command("export_scene", "Export an animated scene…", lambda c: c.files.ask_export(), "File", "Ctrl+E", needs_scene),
    Command(
        "export_sequence", "Export a mesh sequence…", lambda c: c.files.ask_export_sequence(), "File", "", needs_scene
    ),
    Command("files_used", "Files used", lambda c: c.sheets.toggle_files(), "File", "", needs_scene),
    Command("collect", "Collect into a folder…", lambda c: c.files.ask_collect(), "File", "", needs_scene),
    Command("work_out", "Work out what the shot remembers", work_out, "File", "", needs_scene),
    Command("keep_states", "Keep what is remembered in the scene", keep_states, "File", "", needs_scene),
    Command(
        "drop_states",
        "Let go of what is kept in the scene",
        drop_states,
        "File",
        "",
        lambda c: "" if c.session.document.scene.states else "nothing that was remembered is kept in this scene",
    ),
    Command("save_picture", "Save the view as a picture…", save_picture, "File", "", needs_scene),
    Command("start_sheet", "Samples and recent files", lambda c: c.sheets.show_start(), "File"),
    Command("close", "Quit", lambda c: c.close(), "File", "Ctrl+Q"),
)
