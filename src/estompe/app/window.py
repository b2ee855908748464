"""The window: where its parts stand, and running commands."""

from pathlib import Path

from PyQt6.QtCore import QPoint, QSize, Qt
from PyQt6.QtGui import QAction, QCursor, QGuiApplication, QKeySequence
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QMenu, QMenuBar, QSplitter, QVBoxLayout, QWidget

import estompe.app.fields  # noqa: F401 - registers the fields
from estompe.app import theme, units
from estompe.app.commands import COMMANDS, MENUS, Command
from estompe.app.commands.add import add_entry, use_setup
from estompe.app.context import AppContext
from estompe.app.files import Files
from estompe.app.model.recovery import Autosave
from estompe.app.palette import Palette
from estompe.app.panels.cast import CastPanel
from estompe.app.panels.drive import DrivePanel
from estompe.app.panels.measure import MeasurePanel
from estompe.app.panels.picked import PickedPanel
from estompe.app.panels.ramp import RampPanel
from estompe.app.preferences import Preferences
from estompe.app.session import Session
from estompe.app.sheets.help_sheet import Shortcut
from estompe.app.sheets.stack import SheetStack
from estompe.app.sheets.start_sheet import StartSheet
from estompe.app.status import StatusLine
from estompe.app.steps import StepsList
from estompe.app.time.panel import TimePanel
from estompe.app.view.view import View
from estompe.app.widgets.fields import column
from estompe.app.widgets.labels import hairline, label
from estompe.app.widgets.titled_area import TitledArea
from estompe.app.work import Work
from estompe.evaluation import evaluate
from estompe.files.progress import Progress
from estompe.render.item import Look, Picture
from estompe.render.picture import items_of
from estompe.render.renderer import Renderer
from estompe.setups.catalog import Entry
from estompe.setups.own import is_setup

_SIZE = QSize(1280, 800)
_TITLE_BAR = 34
# How long the system waits for the autosave when it ends the session.
_PATIENCE = 1.2
_SPLITTERS = {"across": [940, 340], "upper": [190, 750], "left": [540, 196], "right": [226, 284, 226]}
"""The window's splitters by the name that preferences use, with their first sizes."""


class Window(QWidget):
    """Cast, View, Measure, Ramp, Drive, Time and the status line, around one session."""

    def __init__(self, preferences: Preferences) -> None:
        super().__init__()
        self.setObjectName("window")
        self.setWindowTitle("Estompe")
        self.preferences = preferences.sound()
        self.session = Session(self)
        self.work = Work(self)
        self.autosave = Autosave(self.session.document, self.session.messages, self)
        self.files = Files(self.session, self.work, preferences, self.autosave, self)
        self.view = View(self.session)
        self.cast = CastPanel(self.session)
        self.measure, self.ramp = MeasurePanel(self.session), RampPanel(self.session)
        self.drive, self.picked = DrivePanel(self.session), PickedPanel(self.session)
        self.time = TimePanel(self.session)
        self.status = StatusLine(self.session, self.work)
        self.sheets = SheetStack(self.view, self.session, self.files, preferences)
        self.sheets.apply_preferences = self.apply_preferences
        self.sheets.start_work = self.work.start
        self.sheets.wipe_against = self._wipe_against
        self.splitters: dict[str, QSplitter] = {}
        self.actions_by_name: dict[str, QAction] = {}
        self.palette_shown: Palette | None = None
        self._lay_out()
        self.context = self._context()
        self._commands = {command.name: command for command in COMMANDS}
        self._make_menus()
        self._connect()
        self.setAcceptDrops(True)
        self.apply_preferences()
        self.resize(_free_size())
        self.sheets.show_start()

    def _connect(self) -> None:
        session = self.session
        session.document.scene_changed.connect(self._scene_changed)
        session.document.project_changed.connect(self._new_project)
        session.mesh_wanted.connect(self.files.hand_on_mesh)
        session.palette_wanted.connect(self.add)
        self.files.shot_opened.connect(self.sheets.show_shot)
        self.view.probed.connect(self._mark_ramp)
        self.view.painted.connect(self.time.player.picture_shown)
        self.view.file_dropped.connect(lambda name: self.take_file(Path(name)))
        self.ramp.marks_wanted.connect(lambda: self.run("mark_coarse"))
        self.ramp.subdivision_wanted.connect(lambda: self.run("subdivide_there"))

    # Where things stand

    def _lay_out(self) -> None:
        upper = self._splitter("upper", Qt.Orientation.Horizontal, TitledArea(self.cast, 150), self.sheets)
        left = self._splitter("left", Qt.Orientation.Vertical, upper, self.time)
        below = column(self.drive, self.picked, margins=(14, 0, 12, 12))
        below.layout().addStretch(1)
        above = column(self.measure, margins=(14, 4, 12, 0))
        above.layout().addStretch(1)
        ramp = column(self.ramp, margins=(14, 0, 12, 4))
        ramp.setObjectName("panel")
        ramp.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        right = self._splitter(
            "right", Qt.Orientation.Vertical, TitledArea(above, 320), TitledArea(ramp, 320), TitledArea(below, 320)
        )
        across = self._splitter("across", Qt.Orientation.Horizontal, column(left, self.status), right)
        self._around_view = (upper.widget(0), self.time, right)
        for splitter, stretched in ((upper, 1), (left, 0), (across, 0), (right, 2)):
            splitter.setStretchFactor(stretched, 1)
        self.menu_bar = QMenuBar()
        self.title = label("", "strong")
        head = QWidget()
        row = QHBoxLayout(head)
        row.setContentsMargins(0, 0, 14, 0)
        row.addWidget(self.menu_bar, 1)
        row.addWidget(self.title)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(head)
        layout.addWidget(hairline())
        layout.addWidget(across, 1)

    def _splitter(self, name: str, orientation: Qt.Orientation, *widgets: QWidget) -> QSplitter:
        """A splitter whose sizes are remembered."""
        made = QSplitter(orientation)
        for widget in widgets:
            made.addWidget(widget)
        made.setHandleWidth(3)
        made.setChildrenCollapsible(False)
        sizes = self.preferences.splitters.get(name, [])
        made.setSizes(sizes if len(sizes) == len(widgets) and all(size > 0 for size in sizes) else _SPLITTERS[name])
        made.splitterMoved.connect(lambda *_: self.preferences.splitters.update({name: made.sizes()}))
        self.splitters[name] = made
        return made

    def _context(self) -> AppContext:
        return AppContext(
            session=self.session,
            files=self.files,
            work=self.work,
            preferences=self.preferences,
            view=self.view,
            cast=self.cast,
            measure=self.measure,
            drive=self.drive,
            time=self.time,
            status=self.status,
            sheets=self.sheets,
            close=self.close,
            apply_preferences=self.apply_preferences,
            add=self.add,
            run=self.run,
            explain=self.explain,
            shortcuts=self.shortcuts,
            change_shortcut=self.change_shortcut,
            ask=self.status.ask,
            show_whole_view=self.show_whole_view,
            show_steps=self.show_steps,
        )

    # Commands

    def _make_menus(self) -> None:
        menus = {name: self.menu_bar.addMenu(name) for name in MENUS}
        for menu in menus.values():
            menu.setToolTipsVisible(True)
            menu.aboutToShow.connect(lambda menu=menu: self._pull_menu(menu))
        for command in COMMANDS:
            action = self._action(command)
            if command.menu:
                menus[command.menu].addAction(action)

    def _action(self, command: Command) -> QAction:
        action = QAction(command.text, self)
        action.setObjectName(command.name)
        action.setCheckable(command.chosen is not None)
        keys = self.preferences.shortcuts.get(command.name, command.keys)
        action.setShortcut(QKeySequence(keys))
        action.triggered.connect(lambda _=False: self.run(command.name))
        if keys == "Tab":
            # Elsewhere Tab moves the focus on, as everywhere.
            action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
            self.view.addAction(action)
        else:
            self.addAction(action)
        self.actions_by_name[command.name] = action
        return action

    def _pull_menu(self, menu: QMenu) -> None:
        """Grey out what cannot be done now, and say why; closed again, actions are enabled, so that shortcuts can say it."""
        for action in menu.actions():
            command = self._commands[action.objectName()]
            why = command.needs(self.context)
            action.setEnabled(not why)
            action.setToolTip(why[:1].upper() + why[1:] if why else command.text)
            if command.title is not None:
                action.setText(command.title(self.context))
            if command.chosen is not None:
                action.setChecked(command.chosen(self.context))
        menu.aboutToHide.connect(lambda: self._enable(menu), Qt.ConnectionType.SingleShotConnection)

    @staticmethod
    def _enable(menu: QMenu) -> None:
        for action in menu.actions():
            action.setEnabled(True)

    def run(self, name: str) -> None:
        """Do what a command says, or say why it cannot be done now."""
        command = self._commands[name]
        why = command.needs(self.context)
        if why:
            self.status.say(f"{command.text.removesuffix('…')}: {why}", "warning")
            return
        command.run(self.context)

    def shortcuts(self) -> list[Shortcut]:
        """The keys of every command as they are now."""
        changed = self.preferences.shortcuts
        return [Shortcut(item.name, item.text, changed.get(item.name, item.keys)) for item in COMMANDS]

    def change_shortcut(self, name: str, keys: str) -> None:
        """Use other keys for a command; they are taken away from any other command."""
        shortcuts = self.preferences.shortcuts
        for other, command in self._commands.items():
            if other != name and keys and shortcuts.get(other, command.keys) == keys:
                shortcuts[other] = ""
                self.actions_by_name[other].setShortcut(QKeySequence())
                self.status.say(f"{keys} belonged to “{command.text}”, which has no shortcut now", "warning")
        shortcuts[name] = keys
        self.actions_by_name[name].setShortcut(QKeySequence(keys))
        self.preferences.save()

    # The view alone, and the steps that were done

    def show_whole_view(self) -> None:
        """Give the view the whole window, or show what stands around it again."""
        shown = not self._around_view[0].isVisible()
        for widget in self._around_view:
            if widget is not None:
                widget.setVisible(shown)
        self.view.setFocus()
        if not shown:
            self.status.say("Shift+F brings the panels back")

    def show_steps(self) -> None:
        """List the steps that were done and undone; a click goes there."""
        steps = StepsList(self.session.document, self)
        corner = self.view.mapToGlobal(QPoint(12, 44))
        steps.open_at(corner)

    # Adding

    def add(self, family: str) -> None:
        """Open the palette at the pointer, or in the view where the pointer is elsewhere."""
        at = QCursor.pos()
        if not self.rect().contains(self.mapFromGlobal(at)):
            at = self.view.mapToGlobal(QPoint(self.view.width() // 2, 60))
        self.palette_shown = Palette(family, self.preferences.added, self._refused, self)
        self.palette_shown.chosen.connect(self.add_entry)
        self.palette_shown.help_wanted.connect(self.explain)
        self.palette_shown.open_at(at)

    def _refused(self, entry: Entry) -> str:
        """Why something cannot be added now, or nothing."""
        if entry.family == "recipe" and self.session.selection.shape is None:
            return "Choose a shape first."
        return ""

    def add_entry(self, entry: Entry) -> None:
        """Add something to the scene and make it current."""
        add_entry(self.context, entry)

    # Help

    def explain(self, name: str = "") -> None:
        """Show the reference at an entry, or at what the pointer or the focus is on."""
        if not name:
            for widget in (QApplication.widgetAt(QCursor.pos()), QApplication.focusWidget()):
                name = name or _entry_of(widget)
        if name:
            self.sheets.show_entry(name)
        else:
            self.sheets.toggle_reference()

    # Preferences

    def apply_preferences(self) -> None:
        """Take over what the person chose."""
        chosen = self.preferences.sound()
        self.session.document.set_undo_depth(chosen.undo_depth)
        self.session.evaluator.worker.set_budgets(chosen.results_budget, chosen.frames_budget, chosen.states_budget)
        self.session.evaluator.worker.threads = chosen.threads
        self.autosave.set_interval(chosen.autosave)
        self.view.orbits_left = chosen.navigation != "middle"
        self._apply_theme()

    def _apply_theme(self) -> None:
        chosen = theme.THEMES.get(self.preferences.theme) or theme.desktop_theme()
        app = QApplication.instance()
        scale = theme.set_text_size(self.preferences.text_size)
        if (app.property("theme"), app.property("text-scale")) != (chosen.name, scale) or not app.styleSheet():
            app.setProperty("theme", chosen.name)
            app.setProperty("text-scale", scale)
            theme.load_fonts()
            app.setStyleSheet(theme.style_sheet(chosen))
        for panel in (self.cast, self.measure, self.ramp, self.drive, self.picked):
            panel.rebuild()
        self.time.pull()
        self.view.redraw()

    # What follows the session

    def _scene_changed(self, old, new) -> None:
        if old.metres_per_unit != new.metres_per_unit:
            units.set_metres_per_unit(new.metres_per_unit)
            self.view.update()
        self._pull_title()

    def _new_project(self) -> None:
        units.set_metres_per_unit(self.session.document.scene.metres_per_unit)
        if self.session.document.started:
            self.sheets.show_view()
            self.view.look_through_camera(True)
            self.view.setFocus()
        self._pull_title()

    def _wipe_against(self, name: str) -> None:
        """Draw a variant as the view sees it, and wipe between it and the present scene."""
        variant, view, session = self.session.variants.named(name), self.view, self.session
        if variant is None:
            return
        project = session.document.project.with_scene(variant.scene)
        frame, eye, mode, size = session.playhead.frame, view.viewpoint, view.mode, view.pixel_size()
        falloff = session.selection.falloff_id if mode == "strength" else None

        def job(progress: Progress) -> Picture:
            progress(0.2, f"drawing {name}")
            renderer = Renderer()
            try:
                found = evaluate(project, frame)
                known = falloff is not None and any(item.id == falloff for item in found.scene.falloffs)
                return renderer.draw(items_of(found, falloff if known else None), eye, Look(mode), size)
            finally:
                renderer.release()

        self.work.start(f"drawing {name}", job, view.wipe_with)

    def _pull_title(self) -> None:
        document = self.session.document
        mark = " *" if document.unsaved else ""
        self.title.setText(f"{document.title}{mark}" if document.started else "")
        self.setWindowTitle(f"{document.title}{mark} - Estompe" if document.started else "Estompe")
        if document.started and isinstance(self.sheets.currentWidget(), StartSheet) and document.scene.shapes:
            self.sheets.show_view()

    def _mark_ramp(self, reading) -> None:
        if self.ramp.plot is not None:
            own = self.ramp.owner is self.session.selection.falloff
            self.ramp.plot.mark(reading.value if reading is not None and own else None)

    # Qt

    def dragEnterEvent(self, event) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        for url in event.mimeData().urls()[:1]:
            self.take_file(Path(url.toLocalFile()))

    def take_file(self, path: Path) -> None:
        """Take a file that was dropped: a set-up goes on the current shape, everything else is opened or imported."""
        if self.session.selection.shape is not None and is_setup(path):
            use_setup(self.context, path)
        else:
            self.files.open(path)

    def closeEvent(self, event) -> None:
        if not self.files.may_leave():
            event.ignore()
            return
        self.shut_down()
        event.accept()

    def leave(self) -> None:
        """End at once, because the session ends or the system asks for it: the scene is kept for recovery, nothing is asked."""
        self.autosave.leave(_PATIENCE)
        self.work.cancel()
        self.preferences.save()

    def shut_down(self) -> None:
        """End all threads and forget the autosave."""
        self.preferences.save()
        self.time.player.stop()
        self.work.wait()
        self.view.drawer.stop()
        self.session.close()
        self.autosave.forget()
        self.status.stop()


def _free_size() -> QSize:
    """The window's size: never more than the screen has free, its title bar counted."""
    screen = QGuiApplication.primaryScreen()
    free = screen.availableGeometry().size() if screen is not None else _SIZE
    return QSize(min(_SIZE.width(), free.width()), min(_SIZE.height(), free.height() - _TITLE_BAR))


def _entry_of(widget: QWidget | None) -> str:
    """The reference's entry that a widget or what it stands in belongs to."""
    while widget is not None:
        found = widget.property("entry")
        if found:
            return str(found)
        widget = widget.parentWidget()
    return ""
