"""The view, and at most one sheet: below the view where both are of use, else in its place."""

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QSplitter, QWidget

from estompe.app.files import Files
from estompe.app.model import recovery
from estompe.app.model.output import Output
from estompe.app.preferences import Preferences
from estompe.app.session import Session
from estompe.app.sheets.help_sheet import HelpSheet, Shortcut
from estompe.app.sheets.land_sheet import LandSheet, StartWork
from estompe.app.sheets.preferences_sheet import PreferencesSheet
from estompe.app.sheets.reference_sheet import ReferenceSheet
from estompe.app.sheets.routing_sheet import RoutingSheet
from estompe.app.sheets.shot_sheet import ShotSheet
from estompe.app.sheets.start_sheet import StartSheet
from estompe.app.sheets.table_sheet import TableSheet
from estompe.app.widgets.removal import remove_widget
from estompe.importing.footage import Footage

_SHARE = 0.5
"""How much of the height the view keeps beside a sheet."""


class SheetStack(QSplitter):
    """Shows a sheet, or the view alone. A hidden sheet would follow every change, so it is removed."""

    def __init__(self, view: QWidget, session: Session, files: Files, preferences: Preferences) -> None:
        super().__init__(Qt.Orientation.Vertical)
        self.setChildrenCollapsible(False)
        self.setHandleWidth(3)
        self._view = view
        self._session, self._files, self._preferences = session, files, preferences
        self.apply_preferences: Callable[[], None] = lambda: None
        self.wipe_against: Callable[[str], None] = lambda _name: None
        self.start_work: StartWork = lambda _title, _job, _then: False
        self._output = Output()
        self.addWidget(view)

    @property
    def sheet(self) -> QWidget | None:
        """The sheet that is shown, if there is one."""
        return self.widget(1)

    def currentWidget(self) -> Any:
        """The sheet that is shown, else the view."""
        return self.sheet or self._view

    def show_sheet(self, sheet: QWidget, beside: bool = False) -> None:
        """Show a sheet in place of the view, or below it."""
        self.show_view()
        self.addWidget(sheet)
        self._view.setVisible(beside)
        if beside:
            height = max(2, self.height())
            self.setSizes([int(height * _SHARE), height - int(height * _SHARE)])

    def show_view(self) -> None:
        """Remove the sheet, and show the view alone."""
        sheet = self.sheet
        if sheet is not None:
            sheet.setParent(None)
            remove_widget(sheet)
        self._view.show()

    def close_sheet(self) -> None:
        """Back to the view, or to the start sheet while nothing is open."""
        self.show_view() if self._session.document.started else self.show_start()

    def _toggle(self, kind: type[QWidget], make: Callable[[], Any], beside: bool = False) -> None:
        if isinstance(self.currentWidget(), kind):
            self.close_sheet()
            return
        sheet = make()
        sheet.closed.connect(self.close_sheet)
        self.show_sheet(sheet, beside)

    def toggle_routing(self) -> None:
        """Show Routing, or no more."""
        self._toggle(RoutingSheet, lambda: RoutingSheet(self._session), beside=True)

    def toggle_table(self) -> None:
        """Show the Table, or no more."""
        self._toggle(TableSheet, lambda: TableSheet(self._session), beside=True)

    def toggle_console(self) -> None:
        """Show the Console, or no more."""
        from estompe.app.sheets.console_sheet import ConsoleSheet  # scripting is not needed to begin with

        self._toggle(ConsoleSheet, lambda: ConsoleSheet(self._session), beside=True)

    def toggle_land(self, element: tuple[str, int, str] | None) -> None:
        """Show the ways to make something happen on a frame, or no more. element: the one that is followed."""
        self._toggle(LandSheet, lambda: LandSheet(self._session, self.start_work, element))

    def show_shot(self, footage: Footage) -> None:
        """Show what an animated file holds, to import it."""
        sheet = ShotSheet(self._session, footage)
        sheet.closed.connect(self.close_sheet)
        sheet.wanted.connect(lambda prims: self._import_shot(footage, prims))
        self.show_sheet(sheet)

    def _import_shot(self, footage: Footage, prims: list[str]) -> None:
        if self._files.import_shot(footage, prims):
            self.close_sheet()

    def toggle_variants(self) -> None:
        """Show the scene's variants and contact sheets, or no more."""
        from estompe.app.sheets.variants_sheet import VariantsSheet  # what draws pictures is not needed to begin with

        self._toggle(VariantsSheet, lambda: VariantsSheet(self._session, self.start_work, self.wipe_against))

    def toggle_files(self) -> None:
        """Show the files that the scene reads, or no more."""
        from estompe.app.sheets.files_sheet import FilesSheet  # as above

        def build() -> FilesSheet:
            sheet = FilesSheet(self._session)
            sheet.collect_wanted.connect(self._files.ask_collect)
            return sheet

        self._toggle(FilesSheet, build)

    def toggle_output(self) -> None:
        """Show what can be written, or no more."""
        from estompe.app.sheets.output_sheet import OutputSheet  # as above

        self._toggle(
            OutputSheet, lambda: OutputSheet(self._session, self.start_work, self._output, self._files.folder())
        )

    def toggle_preferences(self) -> None:
        """Show the preferences, or no more."""
        self._toggle(
            PreferencesSheet, lambda: PreferencesSheet(self._session, self._preferences, self.apply_preferences)
        )

    def toggle_reference(self) -> None:
        """Show the reference, or no more."""
        self._toggle(ReferenceSheet, ReferenceSheet)

    def show_entry(self, entry: str) -> None:
        """Show one entry of the reference."""
        if not isinstance(self.currentWidget(), ReferenceSheet):
            self.toggle_reference()
        self.currentWidget().show_entry(entry)

    def show_shortcuts(self, shortcuts: Sequence[Shortcut], change: Callable[[str, str], None]) -> None:
        """Show the shortcuts, which can be changed there."""
        sheet = HelpSheet(shortcuts)
        sheet.closed.connect(self.close_sheet)
        sheet.changed.connect(change)
        self.show_sheet(sheet)

    def show_start(self) -> None:
        """Lay the start sheet over the view."""
        sheet = StartSheet(self._preferences.recent, recovery.lost())
        sheet.sample_chosen.connect(self._files.open_sample)
        sheet.file_chosen.connect(lambda name: self._files.open(Path(name)))
        sheet.open_wanted.connect(self._files.ask_open)
        sheet.new_wanted.connect(self._files.new_scene)
        sheet.recovered.connect(self._files.recover)
        sheet.discarded.connect(lambda item: recovery.discard(item.path))
        self.show_sheet(sheet)
