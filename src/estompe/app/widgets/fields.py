"""Fields for the settings of a struct, made from its types."""

from collections.abc import Callable
from typing import Any, Protocol, TypeVar

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from estompe.app.session import Session
from estompe.app.widgets.labels import label
from estompe.app.widgets.number import HEIGHT, NumberField
from estompe.document import edits
from estompe.document.edits import Path
from estompe.document.settings import Setting, settings_of


class TripleField(QWidget):
    """Three numbers side by side, with one button that keys them all."""

    def __init__(self, session: Session, path: Path, rule: Setting) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(4, 0, 0, 0)
        row.setSpacing(2)
        name = label(rule.label, "soft")
        name.setFixedWidth(38)
        name.setToolTip(rule.text)
        row.addWidget(name)
        self.parts = [NumberField(session, (*path, axis), rule, compact=True) for axis in range(3)]
        for part in self.parts:
            row.addWidget(part, 1)

    def pull(self) -> None:
        for part in self.parts:
            part.pull()


class _Box(QComboBox):
    """A box that shows that it opens."""

    def paintEvent(self, event) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.drawText(
            self.rect().adjusted(0, 0, -6, 0), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, "▾"
        )

    def wheelEvent(self, event) -> None:
        event.ignore()  # scrolling the panel must not change what is chosen


class ChoiceField(QWidget):
    """One of several words, or one of the scene's controls or falloffs."""

    def __init__(self, session: Session, path: Path, rule: Setting) -> None:
        super().__init__()
        self._session, self.path, self.rule = session, path, rule
        self.box = _Box()
        self.box.setAccessibleName(rule.label)
        self.box.setToolTip(f"{rule.label}: {rule.text}")
        self.box.setFixedHeight(HEIGHT)
        self.box.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.box.activated.connect(self._chosen)
        row = QHBoxLayout(self)
        row.setContentsMargins(4, 0, 0, 0)
        row.addWidget(label(rule.label, "soft"), 1)
        row.addWidget(self.box, 1)
        self.pull()

    def pull(self) -> None:
        if not edits.exists(self._session.scene, self.path):
            return
        value = edits.get(self._session.scene, self.path)
        choices = self._choices()
        if value not in dict(choices):
            choices.insert(0, (value, value if self.rule.kind == "attribute" else f"missing ({value})"))
        if [(self.box.itemData(i), self.box.itemText(i)) for i in range(self.box.count())] != choices:
            self.box.clear()
            for item, text in choices:
                self.box.addItem(text, item)
        self.box.setCurrentIndex([item for item, _ in choices].index(value))

    def _choices(self) -> list[tuple[Any, str]]:
        scene = self._session.scene
        paths = [item for item in scene.controls if item.form == "path"]
        families: dict[str, Any] = {"control": scene.controls, "path": paths}
        families |= {"falloff": scene.falloffs, "shape": scene.shapes}
        none: list[tuple[Any, str]] = [(None, "none")] if self.rule.optional else []
        if self.rule.kind in families:
            return none + [(item.id, item.name) for item in families[self.rule.kind]]
        if self.rule.kind == "effect":
            chains = [(shape, effect) for shape in scene.shapes for effect in shape.effects]
            return [(e.id, f"{s.name}: {e.settings.label}") for s, e in chains if hasattr(e.settings, "bend_at")]
        if self.rule.kind == "attribute":
            return [(name, name) for name in self._attributes()]
        return [(choice, choice) for choice in self.rule.choices]

    def _attributes(self) -> list[str]:
        """The names of what is stored with the current shape."""
        answer, shape = self._session.answer, self._session.shape_id
        if answer is None or shape not in {item.id for item in answer.frame.scene.shapes}:
            return []
        return sorted({name for _, name in answer.frame[shape].attributes})

    def _chosen(self, index: int) -> None:
        self._session.put(self.path, self.box.itemData(index), f"Set {self._session.name_of(self.path)}")


class FlagField(QCheckBox):
    """Yes or no."""

    def __init__(self, session: Session, path: Path, rule: Setting) -> None:
        super().__init__(rule.label)
        self._session, self.path = session, path
        self.setToolTip(rule.text)
        self.setFixedHeight(HEIGHT)
        self.setContentsMargins(4, 0, 0, 0)
        self.clicked.connect(self._clicked)
        self.pull()

    def pull(self) -> None:
        if edits.exists(self._session.scene, self.path):
            self.setChecked(bool(edits.get(self._session.scene, self.path)))

    def _clicked(self, on: bool) -> None:
        self._session.put(self.path, on, f"Set {self._session.name_of(self.path)}")


class Field(Protocol):
    """A widget for one setting."""

    def pull(self) -> None:
        """Show the scene's value again."""


_FIELDS: dict[str, Any] = {
    "number": NumberField,
    "real": NumberField,
    "whole": NumberField,
    "triple": TripleField,
    "flag": FlagField,
    **dict.fromkeys(("choice", "control", "path", "falloff", "shape", "effect", "attribute"), ChoiceField),
}
Made = TypeVar("Made", bound=type)


def field_for(kind: str) -> Callable[[Made], Made]:
    """Make a widget known as the field for a kind of setting."""

    def register(made: Made) -> Made:
        _FIELDS[kind] = made
        return made

    return register


def field(session: Session, path: Path, rule: Setting) -> Any:
    """The field for one setting at a path."""
    return _FIELDS[rule.kind](session, path, rule)


def fields_of(session: Session, path: Path, struct: Any, only: tuple[str, ...] = ()) -> list[Any]:
    """Fields for all settings of a struct at a path, or for those named."""
    rules = [rule for rule in settings_of(type(struct)) if rule.kind != "hidden" and (not only or rule.name in only)]
    return [field(session, (*path, rule.name), rule) for rule in rules]


def rule_of(struct: Any, name: str) -> Setting:
    """One setting of a struct by its field's name."""
    return next(rule for rule in settings_of(struct) if rule.name == name)


def column(*widgets: QWidget, margins: tuple[int, int, int, int] = (0, 0, 0, 0), spacing: int = 0) -> QWidget:
    """Widgets under each other."""
    made = QWidget()
    layout = QVBoxLayout(made)
    layout.setContentsMargins(*margins)
    layout.setSpacing(spacing)
    for widget in widgets:
        layout.addWidget(widget)
    return made
