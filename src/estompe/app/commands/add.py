"""The Add menu: the palette with what can be added, and adding an entry of it."""

from pathlib import Path
from typing import cast

import numpy as np
from msgspec import structs
from PyQt6.QtCore import Qt

from estompe.app.commands.command import Command, needs_shape
from estompe.app.context import AppContext
from estompe.document import edits, file
from estompe.document.project import Project
from estompe.document.scene import Shape
from estompe.geometry.samples import samples_of
from estompe.kernels.types import Floats
from estompe.kinds.context import ControlForm
from estompe.kinds.kind import ShapeSource
from estompe.kinds.registry import kinds
from estompe.setups import adding, own
from estompe.setups.catalog import OWN, Entry, recipes
from estompe.setups.embedding import embedded
from estompe.shapes.shot import ShotSource


def add_entry(context: AppContext, entry: Entry) -> None:
    """Add an entry of the catalog to the scene and make it current; what cannot be added is said."""
    makers = {
        "falloff": _falloff,
        "shape": _shape,
        "control": _control,
        "source": _layer,
        "effect": _effect,
        "recipe": _recipe,
    }
    makers[entry.family](context, entry)
    context.preferences.remember_added(entry.name)
    context.preferences.save()


def _shape(context: AppContext, entry: Entry) -> None:
    document = context.session.document
    kind = kinds(ShapeSource)[entry.tag]
    try:
        source = adding.new_shape_source(document.scene, entry.tag, context.session.selection.shape_id)
    except LookupError as error:
        context.status.say(str(error), "error")
        return
    scene, made = adding.add_shape(document.scene, kind.label, source)
    if kind.group == "copy":
        scene = adding.hide_form(scene, source)
    scene = adding.with_first_effects(scene, made, place_for(context).size)
    document.commit(scene, f"Add {entry.label}")
    context.session.selection.choose_shape(made)


def _control(context: AppContext, entry: Entry) -> None:
    """A control where the view looks; a path gets its first points."""
    document = context.session.document
    x, y, z = context.view.viewpoint.target
    position = (round(x, 2), round(y, 2), round(z, 2))
    name = "Wind" if entry.tag == "wind" else "Control"
    scene, made = adding.add_control(document.scene, cast(ControlForm, entry.tag), name, position)
    if entry.tag == "path":
        scene = edits.put(scene, ("controls", made, "points"), adding.FIRST_PATH)
    document.commit(scene, "Add control")
    context.session.selection.choose_control(made)


def place_for(context: AppContext) -> adding.Place:
    """Where things are made that a new part needs: on the surface under the pointer, else where it is nearest to the eye."""
    view, selection, answer = context.view, context.session.selection, context.session.evaluator.answer
    shape = selection.shape_id
    if answer is None or shape is None or not answer.frame.has(shape):
        x, y, z = (round(float(part), 2) for part in view.viewpoint.target)
        return adding.Place((x, y, z))
    geometry = answer.frame[shape]
    places, (low, high) = geometry.placed_elements, geometry.bounds
    if not len(places):
        return adding.Place()
    size = float(np.linalg.norm(high.astype(np.float64) - low)) / 2
    under = view.picking.nearest_element()
    shown = answer.shown.get(shape)
    if (
        under is not None
        and under[0] == shape
        and shown is not None
        and under[1] < len(samples_of(shown.mesh, shown.domain))
    ):
        at = samples_of(shown.mesh, shown.domain).positions[under[1]]
    else:
        at = places[int(np.argmin(np.linalg.norm(places - np.asarray(view.viewpoint.eye, np.float32), axis=1)))]
    x, y, z = (adding.neat(float(part), size) for part in at)
    return adding.Place((x, y, z), size)


def _falloff(context: AppContext, _entry: Entry) -> None:
    """A falloff by the distance to a control, which is made if there is none."""
    context.measure.add_layer("distance", place_for(context), new=True)


def _layer(context: AppContext, entry: Entry) -> None:
    context.measure.add_layer(entry.tag, place_for(context))


def _effect(context: AppContext, entry: Entry) -> None:
    context.drive.add_effect(entry.tag, place_for(context))


def _recipe(context: AppContext, entry: Entry) -> None:
    if entry.tag.startswith(OWN):
        use_setup(context, own.folder() / f"{entry.tag.removeprefix(OWN)}{file.ENDING}")
    else:
        add_recipe(context, entry.tag)


def use_setup(context: AppContext, path: Path) -> None:
    """Put a set-up from a file on the current shape, at its size."""
    session, found = context.session, _with_bounds(context)
    if found is None:
        return
    shape, low, high = found
    try:
        made = own.fitted(session.document.project, shape.id, low, high, own.load(path))
    except (own.SetupError, file.FileError) as error:
        context.status.say(str(error), "error")
        return
    session.document.add_assets(dict(made.project.assets))
    session.document.commit(made.project.scene, f"{path.stem}: {shape.name}")
    session.selection.choose_shape(shape.id)
    if made.falloff:
        session.selection.choose_falloff(made.falloff)
    session.evaluator.ask()


def _with_bounds(context: AppContext) -> tuple[Shape, Floats, Floats] | None:
    """The current shape and its bounds before its effects; None, and words, where there is none."""
    shape, answer = context.session.selection.shape, context.session.evaluator.answer
    if shape is None or answer is None or not answer.frame.has(shape.id):
        context.status.say("choose a shape first: a set-up needs one", "error")
        return None
    return shape, *answer.frame.states_of(shape.id)[0].bounds


def keep_setup(context: AppContext, name: str) -> None:
    """Keep the current shape's effects as a set-up under a name, with a picture of it as the view sees it now."""
    session, found = context.session, _with_bounds(context)
    if found is None:
        return
    shape, low, high = found
    try:
        setup = own.gathered(session.document.project, shape.id, low, high)
        there = own.path_of(name)
        if there.exists() and not context.files.may_replace(f"There is a set-up “{there.stem}” already. Replace it?"):
            context.status.say(
                f"the set-up “{there.stem}” stays as it was; keep this one under another name", "warning"
            )
            return
        path = own.save(setup, name)
    except (own.SetupError, file.FileError, OSError) as error:
        context.status.say(str(error), "error")
        return
    picture = context.view.picture()
    if picture is not None:
        picture.scaledToWidth(240, Qt.TransformationMode.SmoothTransformation).save(str(path.with_suffix(".png")))
    context.status.say(f"kept the effects of {shape.name} as “{path.stem}”: it stands in the palette under your own")


def embed(context: AppContext) -> None:
    """Take the frames of the current shape into the scene, so that it needs its file no longer."""
    session = context.session
    shape, project = session.selection.shape, session.document.project
    if shape is None:
        return

    def take(made: Project) -> None:
        document, path = session.document, ("shapes", shape.id)
        new = edits.get(made.scene, path)
        changed = [name for name in new.__struct_fields__ if getattr(new, name) is not getattr(shape, name)]
        now = edits.get(document.scene, path) if edits.exists(document.scene, path) else None
        if now is None or any(getattr(now, name) is not getattr(shape, name) for name in changed):
            context.status.say(f"{shape.name} is another one than when embedding began: embed it again", "warning")
            return
        document.add_assets(dict(made.assets))
        # What was changed on the shape meanwhile stays.
        now = structs.replace(now, **{name: getattr(new, name) for name in changed})
        document.put(path, now, f"Embed {shape.name}")
        context.status.say(f"{now.name} is in the scene now; it was read from {getattr(new.source, 'file', '')}")

    context.work.start(
        f"embedding {shape.name}",
        lambda progress: embedded(project, shape.id, progress),
        take,
        session.document.still_open(),
    )


def _needs_shot(context: AppContext) -> str:
    shape = context.session.selection.shape
    there = shape is not None and isinstance(shape.source, ShotSource)
    return needs_shape(context) or ("" if there else "only what was imported with a shot can be embedded")


def ask_keep_setup(context: AppContext) -> None:
    """Ask for a name, in the status line's place, and keep the set-up."""
    context.ask("A name for the set-up", lambda name: keep_setup(context, name))


def ask_use_setup(context: AppContext) -> None:
    """Ask for a set-up's file, and put it on the current shape."""
    path = context.files.ask_setup()
    if path is not None:
        use_setup(context, path)


def add_recipe(context: AppContext, tag: str) -> None:
    """A whole set-up on the current shape, sized to fit."""
    session, recipe = context.session, recipes()[tag]
    shape, answer = session.selection.shape, session.evaluator.answer
    if shape is None:
        context.status.say("choose a shape first: a recipe needs one", "error")
        return
    if answer is None or not answer.frame.has(shape.id):
        context.status.say("the shape is not computed yet: try again", "warning")
        return
    try:
        made = recipe.build(session.document.scene, shape.id, *answer.frame[shape.id].bounds)
    except LookupError as error:
        context.status.say(str(error), "error")
        return
    if made.falloff:
        session.selection.falloff_id = made.falloff
    session.document.commit(made.scene, f"{recipe.label}: {shape.name}")
    session.selection.choose_shape(made.shape)
    if made.control:
        session.selection.choose_control(made.control)
    if made.falloff:
        session.selection.choose_falloff(made.falloff)
    session.evaluator.ask()


COMMANDS = (
    Command("add_anything", "Anything…", lambda c: c.add(""), "Add", "A"),
    Command("add_shape", "Shape…", lambda c: c.add("shape"), "Add"),
    Command("add_control", "Control…", lambda c: c.add("control"), "Add"),
    Command("add_falloff", "Falloff", lambda c: c.measure.add_layer("distance", place_for(c), new=True), "Add"),
    Command("add_layer", "Falloff layer…", lambda c: c.add("source"), "Add", "Ctrl+Shift+L"),
    Command("add_effect", "Effect…", lambda c: c.add("effect"), "Add", "Ctrl+Shift+A"),
    Command("embed", "Embed the shape in the scene", embed, "Add", "", _needs_shot),
    Command("keep_setup", "Keep the effects as a set-up of your own…", ask_keep_setup, "Add", "", needs_shape),
    Command("use_setup", "Use a set-up from a file…", ask_use_setup, "Add", "", needs_shape),
    Command(
        "push_near", "Push near a control", lambda c: add_recipe(c, "push-near"), "Add", "Ctrl+Shift+P", needs_shape
    ),
)
