"""The palette: everything that can be added, with pictures; typing filters it by name and by what it does."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QPoint, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QGuiApplication, QPainter
from PyQt6.QtWidgets import (
    QFrame,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from estompe.app import icons, theme
from estompe.app.reference_pictures import picture_of
from estompe.setups.catalog import FAMILIES, Entry, entries, nearest_word, own_entries, search

_ENTRY = Qt.ItemDataRole.UserRole
_ROW, _HEAD, _WIDTH, _MOST_HEIGHT = 46, 24, 440, 500
_FAMILIES = {
    "": "anything", "shape": "a shape", "control": "a control", "source": "a falloff layer", "effect": "an effect",
    "recipe": "a recipe",
}  # fmt: skip


class _Line(QLineEdit):
    """What is typed filters; up, down, Return and F1 act on the list."""

    moved = pyqtSignal(int)

    def keyPressEvent(self, event) -> None:
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: 8, Qt.Key.Key_PageUp: -8}.get(event.key())
        if step is not None:
            self.moved.emit(step)
            return
        super().keyPressEvent(event)


class _Rows(QStyledItemDelegate):
    """A row: the picture, the label, and what it does in one line."""

    def sizeHint(self, option: QStyleOptionViewItem, index) -> QSize:
        del option
        return QSize(_WIDTH - 20, _ROW if index.data(_ENTRY) is not None else _HEAD)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index) -> None:
        t, entry, area = icons.current_theme(), index.data(_ENTRY), option.rect
        painter.save()
        if entry is None:
            painter.setFont(theme.font(11, QFont.Weight.DemiBold, 0.8))
            painter.setPen(t.color("soft"))
            below = Qt.AlignmentFlag.AlignBottom
            painter.drawText(area.adjusted(8, 0, 0, -4), Qt.AlignmentFlag.AlignLeft | below, index.data().upper())
            painter.restore()
            return
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(area, t.color("wash"))
        picture = picture_of(entry.name)
        frame = QRect(area.left() + 8, area.top() + 4, 52, 38)
        if picture.isNull():
            painter.fillRect(frame, t.color("panel"))
            icons.icon(_ICONS[entry.family], "slate").paint(painter, frame.adjusted(14, 8, -14, -8))
        else:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            # The middle of the picture: at this size its margins would leave too little of what it shows.
            width, height = picture.width() * 7 // 10, picture.width() * 7 // 10 * frame.height() // frame.width()
            middle = QRect((picture.width() - width) // 2, (picture.height() - height) // 2, width, height)
            painter.drawPixmap(frame, picture, middle)
        words = area.adjusted(72, 5, -10, -5)
        painter.setFont(theme.font(12, QFont.Weight.DemiBold))
        painter.setPen(t.color("ink"))
        painter.drawText(words, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, entry.label)
        painter.setFont(theme.font(11))
        painter.setPen(t.color("soft"))
        painter.drawText(words, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop, FAMILIES[entry.family])
        text = painter.fontMetrics().elidedText(entry.text, Qt.TextElideMode.ElideRight, words.width())
        painter.drawText(words, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom, text)
        painter.restore()


_ICONS = {
    "falloff": "curve",
    "shape": "shape",
    "control": "control",
    "source": "curve",
    "effect": "solo",
    "recipe": "add",
}


class Palette(QFrame):
    """chosen(entry) once one is taken; help_wanted(name) for F1 on a row. Groups in order, those added last first."""

    chosen = pyqtSignal(object)
    help_wanted = pyqtSignal(str)

    def __init__(self, family: str, recent: list[str], refused: Callable[[Entry], str], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("palette")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        own = own_entries() if family in ("", "recipe") else ()
        self._entries, self._recent, self._refused = (*entries(family), *own), recent, refused
        self._one_family = bool(family)
        self.line = _Line()
        self.line.setPlaceholderText(f"Add {_FAMILIES[family]}: type a name or what it does")
        self.line.setAccessibleName("Filter")
        self.list = QListWidget()
        self.list.setItemDelegate(_Rows(self.list))
        self.list.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setAccessibleName("What can be added")
        self.list.itemClicked.connect(self._take)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 10, 10)
        layout.setSpacing(6)
        layout.addWidget(self.line)
        layout.addWidget(self.list, 1)
        self.line.textChanged.connect(self.fill)
        self.line.moved.connect(self._move)
        self.line.returnPressed.connect(lambda: self._take(self.list.currentItem()))
        self.line.installEventFilter(self)
        self.fill()

    def open_at(self, at: QPoint) -> None:
        """Open at a place on the screen, moved as far as needed to be seen whole."""
        screen = QGuiApplication.screenAt(at) or QGuiApplication.primaryScreen()
        free = screen.availableGeometry()
        self.resize(_WIDTH, min(_MOST_HEIGHT, free.height()))
        x = max(free.left(), min(at.x() - 40, free.right() - self.width()))
        y = max(free.top(), min(at.y() - 20, free.bottom() - self.height()))
        self.move(x, y)
        self.show()
        self.line.setFocus()

    def fill(self, *_: object) -> None:
        """List what fits the words: all in groups, or the best fit first."""
        words = self.line.text()
        self.list.clear()
        found = search(words, self._entries)
        if words.strip():
            self._list("", found)
        else:
            by_name = {entry.name: entry for entry in found}
            self._list("Added last", [by_name[name] for name in self._recent if name in by_name])
            for heading in dict.fromkeys(self._heading(entry) for entry in found):
                self._list(heading, [entry for entry in found if self._heading(entry) == heading])
        if not found:
            meant = nearest_word(words, self._entries)
            guess = f": did you mean “{meant}”?" if meant else ""
            self.list.addItem(self._head(f"No match for “{words.strip()[:40]}”{guess}"))
        self._move(1)

    def _heading(self, entry: Entry) -> str:
        return entry.group if self._one_family or entry.family == entry.group else f"{entry.family}: {entry.group}"

    def _list(self, heading: str, found: list[Entry]) -> None:
        if heading and found:
            self.list.addItem(self._head(heading))
        for entry in found:
            item = QListWidgetItem(entry.label)
            item.setData(_ENTRY, entry)
            why = self._refused(entry)
            item.setToolTip(f"{entry.text}\n{why}" if why else entry.text)
            self.list.addItem(item)

    @staticmethod
    def _head(text: str) -> QListWidgetItem:
        item = QListWidgetItem(text)
        item.setFlags(Qt.ItemFlag.NoItemFlags)
        return item

    def _move(self, step: int) -> None:
        """Make another row current; headings are stepped over."""
        rows = [row for row in range(self.list.count()) if self.list.item(row).data(_ENTRY) is not None]
        if not rows:
            return
        now = self.list.currentRow()
        place = rows.index(now) + step if now in rows else 0
        self.list.setCurrentRow(rows[max(0, min(len(rows) - 1, place))])

    def current(self) -> Entry | None:
        """The entry that Return would take."""
        item = self.list.currentItem()
        return item.data(_ENTRY) if item is not None else None

    def _take(self, item: QListWidgetItem | None) -> None:
        entry = item.data(_ENTRY) if item is not None else None
        if entry is not None:
            self.close()
            self.chosen.emit(entry)

    def eventFilter(self, watched, event) -> bool:
        # Shortcuts of the window must not act while the palette is open: Esc closes it, F1 explains the current row.
        if event.type() == QEvent.Type.KeyPress and event.key() == Qt.Key.Key_F1 and self.current() is not None:
            name = self.current().name
            self.close()
            self.help_wanted.emit(name)
            return True
        if event.type() == QEvent.Type.KeyPress and event.key() == Qt.Key.Key_Escape:
            self.close()
            return True
        return super().eventFilter(watched, event)
