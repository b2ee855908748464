"""What lists of parts inside a card share: they are built again when parts come or go, and else only pull."""

from collections.abc import Hashable
from typing import Any

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from estompe.app.session import Session
from estompe.app.widgets.fields import column
from estompe.app.widgets.removal import remove_widget
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.kinds.settings import Setting


class PartsField(QWidget):
    """A tuple of parts. Subclasses give `widgets`, the rows for all parts."""

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__()
        self.session, self.path, self.rule = session, path, rule
        self.fields: list[Any] = []
        self._built: Hashable = None
        self._body: QWidget | None = None
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self.pull()

    @property
    def parts(self) -> tuple[Any, ...]:
        """The parts in the scene."""
        return (
            edits.get(self.session.document.scene, self.path)
            if edits.exists(self.session.document.scene, self.path)
            else ()
        )

    @property
    def shape(self) -> str:
        """The shape whose effect this is."""
        return str(self.path[1])

    def built(self) -> Hashable:
        """What, when it changes, needs other rows."""
        return tuple((part.id, part.name) for part in self.parts)

    def widgets(self) -> list[QWidget]:
        """The rows; fields that should pull go into `self.fields`."""
        raise NotImplementedError

    def pull(self) -> None:
        if not edits.exists(self.session.document.scene, self.path):
            return
        built = self.built()
        if built != self._built:
            self._built = built
            if self._body is not None:
                remove_widget(self._body)
            self.fields = []
            self._body = column(*self.widgets())
            self._layout.addWidget(self._body)
            self._body.show()
        for field in self.fields:
            field.pull()
