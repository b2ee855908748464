"""The Check menu."""

from estompe.analysis.overlaps import overlaps
from estompe.app.commands.command import Command, needs_scene, needs_shape_and_falloff
from estompe.app.context import AppContext
from estompe.baking.frames import described
from estompe.evaluation import Memo, evaluate
from estompe.files.progress import Progress
from estompe.setups.adding import subdivide_on_ramp


def follow_value(context: AppContext) -> None:
    """Show the course over time of the value at the pointer, or no more."""
    canvas = context.time.canvas
    canvas.pin(None if canvas.pinned is not None else context.view.picking.nearest_element())


def subdivide_there(context: AppContext) -> None:
    """Subdivide the current shape where the current falloff's ramp is steep, before its effects."""
    shape, falloff = context.session.selection.shape, context.session.selection.falloff
    scene = subdivide_on_ramp(context.session.document.scene, shape.id, falloff.id)
    context.session.document.commit(scene, f"Subdivide {shape.name}")


def take_reference(context: AppContext) -> None:
    """Keep the picture as it is now, to compare with."""
    context.view.take_reference()
    context.status.say("kept; W wipes between this picture and what comes")


def overlaps_everywhere(context: AppContext) -> None:
    """Look for overlaps on every frame of the shot, with progress; Time shows where there are some."""
    model, project = context.session.overlaps, context.session.document.project
    if not model.on:
        model.toggle()
    first, last = project.scene.first, project.scene.last

    def look(progress: Progress) -> dict[int, float]:
        memo, found = Memo(), {}
        for number in range(first, last + 1):
            progress((number - first) / (last - first + 1), f"overlaps on frame {number}")
            there = overlaps(evaluate(project, number, memo))
            found[number] = there[0].deepest if there else 0.0
        return found

    def take(found: dict[int, float]) -> None:
        if project.scene is context.session.document.scene:
            model.put_all(found)
        deep = [frame for frame, depth in found.items() if depth > 0.0]
        context.status.say(
            f"shapes overlap on {len(deep)} of {len(found)} frames" + (f", first on {deep[0]}" if deep else "")
        )

    context.work.start("looking for overlaps", look, take)


def list_problems(context: AppContext) -> None:
    """Say everything that is wrong with the scene on this frame."""
    answer = context.session.evaluator.answer
    # By the names of the answer's own scene: the parts may have been removed since.
    text = "" if answer is None else "; ".join(described(answer.frame, item) for item in answer.frame.problems)
    context.status.say(text or "nothing is wrong on this frame", "error" if text else "")


COMMANDS = (
    Command("pin_probe", "Follow the value at the pointer", follow_value, "Check", "P", needs_scene),
    Command(
        "land", "Make it land on a frame…", lambda c: c.sheets.toggle_land(c.time.canvas.pinned), "Check", "L",
        needs_shape_and_falloff,
    ),
    Command(
        "fronts", "Lines where it arrives on the same frame", lambda c: c.session.fronts.toggle(), "Check", "Shift+L",
        needs_shape_and_falloff, chosen=lambda c: c.session.fronts.on,
    ),
    Command(
        "mark_coarse", "Mark where the mesh is too coarse", lambda c: c.view.mark_coarse(not c.view.marks_coarse),
        "Check", "Shift+D", needs_shape_and_falloff, chosen=lambda c: c.view.marks_coarse,
    ),
    Command(
        "subdivide_there", "Subdivide where it is too coarse", subdivide_there, "Check", "", needs_shape_and_falloff
    ),
    Command(
        "overlaps", "Overlaps between shapes", lambda c: c.session.overlaps.toggle(), "Check", "O", needs_scene,
        chosen=lambda c: c.session.overlaps.on,
    ),
    Command("overlaps_everywhere", "Look for overlaps on every frame", overlaps_everywhere, "Check", "", needs_scene),
    Command("take_reference", "Keep this picture to compare", take_reference, "Check", "Shift+R", needs_scene),
    Command(
        "wipe", "Wipe between then and now", lambda c: c.view.toggle_wipe(), "Check", "W",
        lambda c: "" if c.view.has_reference else "keep a picture first: Shift+R",
        chosen=lambda c: c.view.wipe_at is not None,
    ),
    Command("keep_variant", "Keep the scene as a variant", lambda c: c.session.variants.keep(), "Check", "Shift+V", needs_scene),
    Command("variants", "Variants and contact sheets", lambda c: c.sheets.toggle_variants(), "Check", "V", needs_scene),
    Command("list_problems", "List what is wrong", list_problems, "Check"),
)  # fmt: skip
