"""Fields for the settings of a struct, made from its types."""

from collections.abc import Callable
from typing import Any, Protocol, TypeVar

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from estompe.app.session import Session
from estompe.app.widgets.labels import icon_button, label
from estompe.app.widgets.number import HEIGHT, NumberField
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.references import REFERENCES
from estompe.kinds.settings import Setting, settings_of

_TRIPLE_LABEL = 52
"""The width of labels before three numbers, as far as they fit in it."""


def put_all(session: Session, path: ScenePath, value: object) -> None:
    """Put a value into a part of the scene, and into the same part of everything that is picked along with it."""
    scene, others = session.document.scene, session.selection.fellows(path)
    for each in (path, *others):
        scene = edits.put(scene, each, value)
    words = f" and {len(others)} more" if others else ""
    session.document.commit(scene, f"Set {session.document.name_of(path)}{words}")


class TripleField(QWidget):
    """Three numbers side by side, with one button that keys them all."""

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__()
        self.row = row = QHBoxLayout(self)
        row.setContentsMargins(4, 0, 0, 0)
        row.setSpacing(2)
        name = label(rule.label, "soft")
        name.setFixedWidth(max(_TRIPLE_LABEL, name.fontMetrics().horizontalAdvance(rule.label) + 4))
        name.setToolTip(rule.text)
        row.addWidget(name)
        self.parts = [NumberField(session, (*path, axis), rule, compact=True) for axis in range(3)]
        for part in self.parts:
            row.addWidget(part, 1)

    def pull(self) -> None:
        for part in self.parts:
            part.pull()


class SeedField(QWidget):
    """A seed, with a button that takes the next one."""

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__()
        self.number = NumberField(session, path, rule)
        again = icon_button("dice", "Another seed")
        again.clicked.connect(self._take_next)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        row.addWidget(self.number, 1)
        row.addWidget(again)

    def _take_next(self) -> None:
        high = self.number.rule.high
        following = self.number.value + 1
        self.number.set_value(0 if high is not None and following > high else following)

    def pull(self) -> None:
        self.number.pull()


class Box(QComboBox):
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

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__()
        self._session, self.path, self.rule = session, path, rule
        self.box = Box()
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
        if not edits.exists(self._session.document.scene, self.path):
            return
        value = edits.get(self._session.document.scene, self.path)
        choices = self._choices()
        if value not in dict(choices):
            choices.insert(0, (value, value if self.rule.editor == "attribute" else f"missing ({value})"))
        if [(self.box.itemData(i), self.box.itemText(i)) for i in range(self.box.count())] != choices:
            self.box.clear()
            for item, text in choices:
                self.box.addItem(text, item)
        self.box.setCurrentIndex([item for item, _ in choices].index(value))

    def _choices(self) -> list[tuple[Any, str]]:
        none: list[tuple[Any, str]] = [(None, "none")] if self.rule.optional else []
        if self.rule.refers in REFERENCES:
            found = REFERENCES[self.rule.refers].candidates(self._session.document.scene)
            return none + [(item.id, item.name) for item in found]
        if self.rule.editor == "attribute":
            return [(name, name) for name in self._attributes()]
        return none + [(choice, choice) for choice in self.rule.choices]

    def _attributes(self) -> list[str]:
        """The names of what is stored with the current shape."""
        answer, shape = self._session.evaluator.answer, self._session.selection.shape_id
        if answer is None or shape is None or not answer.frame.has(shape):
            return []
        return sorted({name for _, name in answer.frame[shape].attributes})

    def _chosen(self, index: int) -> None:
        put_all(self._session, self.path, self.box.itemData(index))


class FlagField(QCheckBox):
    """Yes or no."""

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__(rule.label)
        self._session, self.path = session, path
        self.setToolTip(rule.text)
        self.setFixedHeight(HEIGHT)
        self.setContentsMargins(4, 0, 0, 0)
        self.clicked.connect(self._clicked)
        self.pull()

    def pull(self) -> None:
        if edits.exists(self._session.document.scene, self.path):
            self.setChecked(bool(edits.get(self._session.document.scene, self.path)))

    def _clicked(self, on: bool) -> None:
        put_all(self._session, self.path, on)


class Field(Protocol):
    """A widget for one setting."""

    def pull(self) -> None:
        """Show the scene's value again."""


_BY_TYPE: dict[str, Any] = {
    "number": NumberField,
    "real": NumberField,
    "whole": NumberField,
    "triple": TripleField,
    "reals": TripleField,
    "flag": FlagField,
    "choice": ChoiceField,
}
_BY_EDITOR: dict[str, Any] = {"attribute": ChoiceField}
Made = TypeVar("Made", bound=type)


def field_for(editor: str) -> Callable[[Made], Made]:
    """Make a widget known as the field for settings with that editor."""

    def register(made: Made) -> Made:
        if editor in _BY_EDITOR:
            raise ValueError(f"there are two fields for {editor}")
        _BY_EDITOR[editor] = made
        return made

    return register


def field(session: Session, path: ScenePath, rule: Setting) -> Any:
    """The field for one setting at a path: its own editor, a choice of what it may name, or what its type calls for."""
    if rule.editor in _BY_EDITOR:  # one that is not there is that of a plug-in which brought none: its type has a field
        return _BY_EDITOR[rule.editor](session, path, rule)
    if rule.refers:
        return ChoiceField(session, path, rule)
    if rule.name == "seed" and rule.type == "whole":
        return SeedField(session, path, rule)
    return _BY_TYPE.get(rule.type, _BY_EDITOR["name"])(session, path, rule)


def shown_rules(struct: Any) -> list[Setting]:
    """The settings of a struct that have a field and an effect."""
    return [rule for rule in settings_of(type(struct)) if rule.editor != "hidden" and rule.applies(struct)]


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
