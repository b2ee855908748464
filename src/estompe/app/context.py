"""What commands act on: the parts of the window, without the window itself."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from estompe.app.files import Files
from estompe.app.panels.cast import CastPanel
from estompe.app.panels.drive import DrivePanel
from estompe.app.panels.measure import MeasurePanel
from estompe.app.preferences import Preferences
from estompe.app.session import Session
from estompe.app.sheets.help_sheet import Shortcut
from estompe.app.sheets.stack import SheetStack
from estompe.app.status import StatusLine
from estompe.app.time.panel import TimePanel
from estompe.app.view.view import View
from estompe.app.work import Work


@dataclass
class AppContext:
    """The window's parts, and what only the window can do.

    add(family): open the palette; run(command): do what a command says; explain(): open the reference; shortcuts(): those of
    all commands; ask(words, then): have a line typed; show_whole_view(): the view alone, or with all around it;
    show_steps(): the steps that can be undone.
    """

    session: Session
    files: Files
    work: Work
    preferences: Preferences
    view: View
    cast: CastPanel
    measure: MeasurePanel
    drive: DrivePanel
    time: TimePanel
    status: StatusLine
    sheets: SheetStack
    close: Callable[[], Any]
    apply_preferences: Callable[[], None]
    add: Callable[[str], None]
    run: Callable[[str], None]
    explain: Callable[[], None]
    shortcuts: Callable[[], list[Shortcut]]
    change_shortcut: Callable[[str, str], None]
    ask: Callable[[str, Callable[[str], None]], None]
    show_whole_view: Callable[[], None]
    show_steps: Callable[[], None]
