"""What all panels share: they are built again when their structure changes, and else only pull values."""

from collections.abc import Hashable
from typing import Any

from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from estompe.app.session import Session
from estompe.app.widgets.removal import remove_widget

_NEVER = object()


class Panel(QWidget):
    """A part of the window. Subclasses give `structure` and `build`; rebuilding keeps a drag alive that changes values only."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.fields: list[Any] = []
        self._built: Hashable = _NEVER
        self._refreshing = self._again = False
        self._body: QWidget | None = None
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(0)
        session.document.scene_changed.connect(self.refresh)
        session.selection.changed.connect(self.refresh)
        session.playhead.changed.connect(self.refresh)
        session.evaluator.answered.connect(self._answered)

    def structure(self) -> Hashable:
        """What, when it changes, needs other widgets."""
        raise NotImplementedError

    def build(self, layout: QVBoxLayout) -> None:
        """Fill the panel; fields that should pull go into `self.fields`."""
        raise NotImplementedError

    def pull(self) -> None:
        """Show values again that no field shows."""

    def show_answer(self) -> None:
        """Show what was computed."""

    def _answered(self) -> None:
        for field in self.fields:
            field.pull()  # formulas may have other values now
        self.show_answer()

    def reveal(self, widget: QWidget | None) -> None:
        """Scroll until a widget inside can be seen, as far as it fits."""
        area: Any = self.parentWidget()
        while area is not None and not isinstance(area, QScrollArea):
            area = area.parentWidget()
        if area is not None and widget is not None and widget.isVisible():
            area.ensureWidgetVisible(widget, 0, 44)

    def rebuild(self) -> None:
        """Build again whatever the structure is."""
        self._built = _NEVER
        self.refresh()

    def refresh(self) -> None:
        """Show the session as it is now."""
        # Taking away a field that is being typed into ends the typing, which changes the scene: then once more.
        self._again = True
        if self._refreshing:
            return
        self._refreshing = True
        try:
            while self._again:
                self._again = False
                self._show()
        finally:
            self._refreshing = False

    def _show(self) -> None:
        structure = self.structure()
        if structure != self._built:
            self._built = structure
            self._renew()
        for field in self.fields:
            field.pull()
        self.pull()
        self.show_answer()

    def _renew(self) -> None:
        if self._body is not None:
            self._layout.removeWidget(self._body)
            remove_widget(self._body)
        self.fields = []
        self._body = QWidget()
        layout = QVBoxLayout(self._body)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.build(layout)
        self._layout.addWidget(self._body)
        self._body.show()
