"""Playing and stepping: shortcuts without a menu."""

from estompe.app.commands.command import Command
from estompe.app.context import AppContext


def next_falloff(context: AppContext) -> None:
    """Make the next falloff in the Cast current."""
    selection = context.session.selection
    ids = [item.id for item in context.session.document.scene.falloffs]
    if ids:
        index = ids.index(selection.falloff_id) if selection.falloff_id in ids else -1
        selection.choose_falloff(ids[(index + 1) % len(ids)])


def cancel(context: AppContext) -> None:
    """Cancel a link, long work, what is being worked out for a frame, or painting; with none, leave a sheet."""
    session = context.session
    if session.numbers.linking is not None:
        session.numbers.linking = None
        context.status.say("nothing was linked")
    elif context.work.running:
        context.work.cancel()
    elif session.past.is_behind and session.past.stop():
        context.status.say("stopped; what has been worked out is kept")
    elif session.painting.path is not None:
        session.painting.take(None)
    elif session.document.started:
        context.sheets.show_view()


COMMANDS = (
    Command("play", "Play or stop", lambda c: c.time.player.toggle(), "", "Space"),
    Command("step_back", "One frame back", lambda c: c.time.step(-1), "", ","),
    Command("step_on", "One frame on", lambda c: c.time.step(1), "", "."),
    Command("previous_key", "Previous key", lambda c: c.time.next_key(-1), "", "["),
    Command("next_key", "Next key", lambda c: c.time.next_key(1), "", "]"),
    Command("next_falloff", "Next falloff", next_falloff, "", "Tab"),
    Command("cancel_work", "Cancel what is running", cancel, "", "Esc"),
)
