"""The reference inside the window: every kind with its picture, settings and limits; typing filters."""

from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from estompe.app import units
from estompe.app.reference_pictures import picture_of
from estompe.app.widgets.labels import closing_head, hairline, label
from estompe.app.widgets.removal import remove_widget
from estompe.document.scene import Control
from estompe.kinds.kind import Effect, ShapeSource, Source
from estompe.kinds.registry import kinds
from estompe.kinds.settings import Setting, settings_of
from estompe.setups.catalog import Entry, entries, search

_ENTRY = Qt.ItemDataRole.UserRole
_BASES: dict[str, Any] = {"source": Source, "effect": Effect, "shape": ShapeSource}


def limits(rule: Setting) -> str:
    """A setting's unit and limits in a few words."""
    is_fraction = rule.unit == "fraction"
    unit, scale = ("%", 100.0) if is_fraction else (units.named(rule.unit), 1.0)
    if rule.choices:
        return ", ".join(str(choice) for choice in rule.choices)
    if rule.unit == "display":
        return "0 to 100 % as shown, and brighter"
    if rule.low is None and rule.high is None:
        return unit
    ends = [f"{end * scale:g}" for end in (rule.low, rule.high) if end is not None]
    bounds = " to ".join(ends) if len(ends) == 2 else f"from {ends[0]}" if rule.low is not None else f"up to {ends[0]}"
    return f"{bounds} {unit}".strip()


class ReferenceSheet(QWidget):
    """A list at the left, the entry that is read at the right."""

    closed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.line = QLineEdit()
        self.line.setPlaceholderText("a name, or what it does")
        self.line.setAccessibleName("Filter")
        self.list = QListWidget()
        self.list.setAccessibleName("Entries")
        self.list.setFixedWidth(210)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        head = closing_head("Reference", "the reference", self.closed.emit)
        left = QVBoxLayout()
        left.addWidget(self.line)
        left.addWidget(self.list, 1)
        body = QHBoxLayout()
        body.setSpacing(18)
        body.addLayout(left)
        body.addWidget(self.area, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 24, 12)
        layout.setSpacing(6)
        layout.addWidget(head)
        layout.addWidget(hairline())
        layout.addLayout(body, 1)
        self.line.textChanged.connect(self.fill)
        self.list.currentItemChanged.connect(self._chosen)
        self.fill()

    def fill(self, *_: object) -> None:
        """List what fits the words."""
        self.list.clear()
        heading = ""
        everything = entries()
        found = set(search(self.line.text(), everything))
        for entry in everything:
            if entry not in found or entry.family == "falloff":
                continue
            if entry.family != heading:
                heading = entry.family
                item = QListWidgetItem(f"{heading}s".upper())
                item.setFlags(Qt.ItemFlag.NoItemFlags)
                self.list.addItem(item)
            item = QListWidgetItem(entry.label)
            item.setData(_ENTRY, entry)
            self.list.addItem(item)
        self.list.setCurrentRow(1 if self.list.count() else -1)

    def show_entry(self, name: str) -> None:
        """Show the entry of that name, as family:tag."""
        self.line.clear()
        for row in range(self.list.count()):
            entry = self.list.item(row).data(_ENTRY)
            if entry is not None and entry.name == name:
                self.list.setCurrentRow(row)
                self.list.scrollToItem(self.list.item(row))

    def shown(self) -> Entry | None:
        """The entry that is read."""
        item = self.list.currentItem()
        return item.data(_ENTRY) if item is not None else None

    def _chosen(self, *_: object) -> None:
        entry = self.shown()
        before = self.area.takeWidget()
        if before is not None:
            remove_widget(before)
        if entry is not None:
            self.area.setWidget(_page(entry))


def _page(entry: Entry) -> QWidget:
    page = QWidget()
    column = QVBoxLayout(page)
    column.setSpacing(8)
    column.addWidget(label(f"{entry.label}  ·  {entry.family}, {entry.group}", "strong"))
    column.addWidget(label(entry.text, wrap=True))
    picture = picture_of(entry.name)
    if not picture.isNull():
        shown = QLabel()
        shown.setPixmap(picture.scaledToHeight(230, Qt.TransformationMode.SmoothTransformation))
        column.addWidget(shown)
    struct = (
        Control
        if entry.family == "control"
        else kinds(_BASES[entry.family])[entry.tag]
        if entry.family in _BASES
        else None
    )
    if struct is not None:
        column.addLayout(_settings(struct))
    column.addStretch(1)
    return page


def _settings(struct: Any) -> QGridLayout:
    grid = QGridLayout()
    grid.setHorizontalSpacing(18)
    grid.setVerticalSpacing(5)
    rules = [rule for rule in settings_of(struct) if rule.editor != "hidden"]
    for row, rule in enumerate(rules):
        name = label(rule.label, "strong")
        name.setAlignment(Qt.AlignmentFlag.AlignTop)
        grid.addWidget(name, row, 0)
        text = label(rule.text, wrap=True)
        grid.addWidget(text, row, 1)
        bounds = label(limits(rule), "soft", wrap=True)
        grid.addWidget(bounds, row, 2)
    grid.setColumnStretch(1, 3)
    grid.setColumnStretch(2, 2)
    return grid
