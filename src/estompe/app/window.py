"""The window: where its parts stand, and what each command does."""

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QActionGroup, QKeySequence
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QMenu,
    QMenuBar,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

import estompe.app.fields  # noqa: F401 - registers the fields
from estompe.app import theme
from estompe.app.actions import Actions
from estompe.app.commands import COMMANDS, MENUS, Command
from estompe.app.files import Files
from estompe.app.panels.cast import CastPanel
from estompe.app.panels.drive import DrivePanel
from estompe.app.panels.measure import MeasurePanel
from estompe.app.panels.picked import PickedPanel
from estompe.app.panels.ramp import RampPanel
from estompe.app.preferences import Preferences
from estompe.app.recovery import Autosave, discard, lost
from estompe.app.session import Session
from estompe.app.sheets.start_sheet import StartSheet
from estompe.app.status import StatusLine
from estompe.app.time.panel import TimePanel
from estompe.app.view.view import View
from estompe.app.widgets.fields import column
from estompe.app.widgets.labels import hairline, label
from estompe.app.widgets.leaving import take_away
from estompe.app.work import Work
from estompe.setups.adding import PRIMITIVES


class Window(QWidget):
    """Cast, View, Measure, Ramp, Drive, Time and the status line, around one session."""

    def __init__(self, preferences: Preferences) -> None:
        super().__init__()
        self.setObjectName("window")
        self.setWindowTitle("Estompe")
        self.resize(1280, 800)
        self.preferences = preferences
        self.session = Session(self)
        self.work = Work(self)
        self.files = Files(self.session, self.work, preferences, self)
        self.view = View(self.session)
        self.cast = CastPanel(self.session)
        self.measure, self.ramp = MeasurePanel(self.session), RampPanel(self.session)
        self.drive, self.picked = DrivePanel(self.session), PickedPanel(self.session)
        self.time = TimePanel(self.session)
        self.status = StatusLine(self.session, self.work)
        self.actions_by_name: dict[str, QAction] = {}
        self.do = Actions(self)
        self._lay_out()
        self._make_menus()
        self.autosave = Autosave(self.session)
        self.session.scene_changed.connect(self._pull_title)
        self.session.project_changed.connect(self._new_project)
        self.view.probed.connect(self._mark_ramp)
        self.ramp.marks_wanted.connect(lambda: self.do.mark_coarse())
        self.ramp.subdivision_wanted.connect(lambda: self.do.subdivide_there())
        self.session.mesh_wanted.connect(self.files.hand_on_mesh)
        self.view.painted.connect(self.time.player.picture_shown)
        self.view.file_dropped.connect(lambda name: self.files.open(Path(name)))
        self.setAcceptDrops(True)
        self.apply_theme()
        self.show_start()

    # Where things stand

    def _lay_out(self) -> None:
        self.sheets = QStackedWidget()
        self.sheets.addWidget(self.view)
        upper = QSplitter(Qt.Orientation.Horizontal)
        upper.addWidget(_scrolling(self.cast, 190))
        upper.addWidget(self.sheets)
        upper.setStretchFactor(1, 1)
        left = QSplitter(Qt.Orientation.Vertical)
        left.addWidget(upper)
        left.addWidget(self.time)
        left.setStretchFactor(0, 1)
        left.setSizes([514, 222])
        right = column(self.measure, self.ramp, self.drive, self.picked, margins=(14, 4, 12, 12))
        right.layout().addStretch(1)
        across = QSplitter(Qt.Orientation.Horizontal)
        across.addWidget(column(left, self.status))
        across.addWidget(_scrolling(right, 340))
        across.setStretchFactor(0, 1)
        for splitter in (upper, left, across):
            splitter.setHandleWidth(1)
            splitter.setChildrenCollapsible(False)
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

    def _make_menus(self) -> None:
        menus = {name: self.menu_bar.addMenu(name) for name in MENUS}
        modes = QActionGroup(self)
        for command in COMMANDS:
            action = self._action(command)
            if command.menu:
                menus[command.menu].addAction(action)
            if command.name.startswith("mode_"):
                action.setCheckable(True)
                modes.addAction(action)
        menus["Edit"].aboutToShow.connect(self._pull_undo)
        menus["View"].aboutToShow.connect(lambda: self.actions_by_name[f"mode_{self.view.mode}"].setChecked(True))
        self._add_kinds(menus["Add"])

    def _action(self, command: Command) -> QAction:
        action = QAction(command.text, self)
        keys = self.preferences.shortcuts.get(command.name, command.keys)
        action.setShortcut(QKeySequence(keys))
        action.triggered.connect(lambda _=False: getattr(self.do, command.name)())
        if keys == "Tab":
            # Elsewhere Tab moves the focus on, as everywhere.
            action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
            self.view.addAction(action)
        else:
            self.addAction(action)
        self.actions_by_name[command.name] = action
        return action

    def _add_kinds(self, menu: QMenu | None) -> None:
        shapes = menu.addMenu("Shape")
        for name, source in PRIMITIVES.items():
            shapes.addAction(name, lambda name=name, source=source: self.do.add_shape(name, source()))
        controls = menu.addMenu("Control")
        for form in ("ball", "box", "plane", "cylinder", "path"):
            controls.addAction(form.capitalize(), lambda form=form: self.do.add_control(form))

    def apply_theme(self) -> None:
        """Show the chosen theme, or the one that matches the desktop's."""
        chosen = theme.THEMES.get(self.preferences.theme) or theme.desktop_theme()
        app = QApplication.instance()
        app.setProperty("theme", chosen.name)
        theme.load_fonts()
        app.setStyleSheet(theme.style_sheet(chosen))
        for panel in (self.cast, self.measure, self.ramp, self.drive, self.picked):
            panel.rebuild()
        self.time.pull()
        self.view.redraw()

    # What follows the session

    def _new_project(self) -> None:
        if self.session.started:
            self.show_view()
            self.view.look_through_camera(True)
            self.view.setFocus()
        self._pull_title()

    def _pull_title(self, *_: object) -> None:
        mark = " *" if self.session.unsaved else ""
        self.title.setText(f"{self.session.title}{mark}" if self.session.started else "")
        self.setWindowTitle(f"{self.session.title}{mark} - Estompe" if self.session.started else "Estompe")
        if self.session.started and isinstance(self.sheets.currentWidget(), StartSheet) and self.session.scene.shapes:
            self.show_view()

    def _pull_undo(self) -> None:
        for name, text in (("undo", self.session.undo_label), ("redo", self.session.redo_label)):
            action = self.actions_by_name[name]
            action.setText(f"{name.capitalize()} {text}" if text else name.capitalize())
            action.setEnabled(text is not None)

    def _mark_ramp(self, reading) -> None:
        if self.ramp.plot is not None:
            own = self.ramp.owner is self.session.falloff
            self.ramp.plot.mark(reading.value if reading is not None and own else None)

    def show_sheet(self, sheet: QWidget) -> None:
        """Lay a sheet over the view."""
        self.show_view()
        self.sheets.addWidget(sheet)
        self.sheets.setCurrentWidget(sheet)

    def show_view(self) -> None:
        """Take away the sheet that lies over the view; one that nobody sees would follow every change."""
        sheet = self.sheets.widget(1)
        if sheet is not None:
            self.sheets.removeWidget(sheet)
            take_away(sheet)

    def show_start(self) -> None:
        """Lay the start sheet over the view."""
        sheet = StartSheet(self.preferences.recent, lost())
        sheet.sample_chosen.connect(self.files.open_sample)
        sheet.file_chosen.connect(lambda name: self.files.open(Path(name)))
        sheet.open_wanted.connect(self.files.ask_open)
        sheet.new_wanted.connect(self.files.new_scene)
        sheet.recovered.connect(self.files.recover)
        sheet.discarded.connect(lambda item: discard(item.path))
        self.show_sheet(sheet)

    # Qt

    def dragEnterEvent(self, event) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        for url in event.mimeData().urls()[:1]:
            self.files.open(Path(url.toLocalFile()))

    def closeEvent(self, event) -> None:
        if not self.files.may_leave():
            event.ignore()
            return
        self.shut_down()
        event.accept()

    def shut_down(self) -> None:
        """End all threads and forget the autosave."""
        self.time.player.stop()
        self.work.wait()
        self.view.drawer.stop()
        self.session.close()
        self.autosave.forget()
        self.status.stop()


def _scrolling(widget: QWidget, width: int) -> QWidget:
    """A panel of a width that scrolls when it is too tall."""
    area = QScrollArea()
    area.setWidget(widget)
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setMinimumWidth(width)
    area.setMaximumWidth(width * 2)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    return area
