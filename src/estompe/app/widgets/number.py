"""A number that can be dragged, typed, stepped and keyed, for one thing or all that are picked along with it."""

from msgspec import structs
from PyQt6.QtCore import QEvent, QPointF, QRect, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QPainter, QPen
from PyQt6.QtWidgets import QLineEdit, QMenu, QToolTip, QWidget

from estompe.app import icons, theme, units
from estompe.app.session import Session
from estompe.app.widgets.removal import remove_widget
from estompe.document import edits
from estompe.document.check import SceneError, check_number
from estompe.document.edits import ScenePath
from estompe.document.formula import FormulaError, parse
from estompe.document.resolving import Resolver
from estompe.kinds.numbers import Formula, Keyed
from estompe.kinds.settings import Setting

HEIGHT = 22
_MARK = 16


class _Editor(QLineEdit):
    """Keeps Return to itself: passed on, it would make the field open again at once."""

    def keyPressEvent(self, event) -> None:
        super().keyPressEvent(event)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            event.accept()


class NumberField(QWidget):
    """One number of the scene, by its path. A drag is one step; Shift drags finely, Ctrl coarsely.

    Where several things are picked, the same number of all of them is changed: a drag or arrow key by as much, typing to the
    same value.
    """

    refused = pyqtSignal(str)

    def __init__(
        self, session: Session, path: ScenePath, rule: Setting, compact: bool = False, bare: bool = False
    ) -> None:
        super().__init__()
        self._session, self.path, self.rule = session, path, rule
        self._compact, self._bare = compact, bare
        self.keyable = rule.type in ("number", "triple")
        self._press: QPointF | None = None
        self._start = 0.0
        self._starts: dict[ScenePath, float] = {}
        self._dragged = False
        self._error = ""
        self._editor: QLineEdit | None = None
        self.setFixedHeight(HEIGHT)
        self.setMinimumWidth(56 if compact else 60)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self.setAccessibleName(rule.label)
        limits = "" if rule.low is None or rule.high is None else f"\nFrom {rule.low:g} to {rule.high:g}."
        unit = f" ({units.named(rule.unit)})" if rule.unit else ""
        self.setToolTip(f"{rule.label}{unit}: {rule.text}{limits}\nDrag or type; K or the dot keys it.")

    def pull(self) -> None:
        """Show the scene's value again."""
        self.update()

    def exists(self) -> bool:
        """Whether the number is still in the scene."""
        return edits.exists(self._session.document.scene, self.path)

    @property
    def value(self) -> float:
        return self._session.numbers.number(self.path)

    @property
    def _formula(self) -> Formula | None:
        """The formula the number follows, if it does."""
        number = edits.get(self._session.document.scene, self.path)
        return number if isinstance(number, Formula) else None

    @property
    def _name(self) -> str:
        """What stands before the number."""
        if self._bare:
            return ""
        return self.rule.part(int(self.path[-1]))[0].upper() if self._compact else self.rule.label

    @property
    def _whole(self) -> bool:
        return self.rule.type == "whole"

    @property
    def _fellows(self) -> list[ScenePath]:
        """The same number of the other things that are picked."""
        return self._session.selection.fellows(self.path)

    @property
    def _mixed(self) -> bool:
        """Whether the number differs between the things that are picked."""
        value = self.value
        return any(self._session.numbers.number(path) != value for path in self._fellows)

    def _values(self) -> dict[ScenePath, float]:
        """The number of each thing that is picked, this one first."""
        return {path: self._session.numbers.number(path) for path in (self.path, *self._fellows)}

    def set_value(self, value: float, merge_key: object = None) -> None:
        """Put a value into the scene; one outside the limits is refused, with words beside the field."""
        self._put(dict.fromkeys((self.path, *self._fellows), value), merge_key)

    def _change(self, starts: dict[ScenePath, float], by: float, merge_key: object = None) -> None:
        """Change the numbers of all picked things by as much, each within its limits."""
        self._put(
            {path: self._clamped(units.moved(start, by, self.rule.unit)) for path, start in starts.items()}, merge_key
        )

    def _put(self, values: dict[ScenePath, float], merge_key: object) -> None:
        if self._whole:
            values = {path: round(value) for path, value in values.items()}
        try:
            for value in values.values():
                check_number(value, self.rule)
        except SceneError as error:
            self._refuse(str(error))
            return
        self._error = ""
        label = f"Set {self._session.document.name_of(self.path)}"
        if len(values) > 1:
            label += f" and {len(values) - 1} more"
        if self.keyable:
            self._session.numbers.set_numbers([(p, float(v)) for p, v in values.items()], label, merge_key)
            return
        scene = self._session.document.scene
        for path, value in values.items():
            scene = edits.put(scene, path, int(value) if self._whole else float(value))
        self._session.document.commit(scene, label, merge_key)

    def _refuse(self, text: str) -> None:
        self._error = text
        self.refused.emit(text)
        QToolTip.showText(self.mapToGlobal(self.rect().bottomLeft()), text, self)
        self._session.messages.say(text, "error")
        self.update()

    def _clamped(self, value: float) -> float:
        low = self.rule.low if self.rule.low is not None else value
        high = self.rule.high if self.rule.high is not None else value
        return max(low, min(high, value))

    def _mark(self) -> QRect:
        return QRect(self.width() - _MARK, 0, _MARK, self.height())

    def _value_area(self) -> QRect:
        right = _MARK if self.keyable else 4
        left = 0 if self._bare else 14 if self._compact else self.width() // 3
        return QRect(left, 0, self.width() - left - right, self.height())

    def paintEvent(self, event) -> None:
        del event
        if not self.exists():
            return
        t = icons.current_theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.hasFocus() or self.underMouse():
            painter.setPen(QPen(t.color("slate")) if self.hasFocus() else Qt.PenStyle.NoPen)
            painter.setBrush(t.color("raised"))
            painter.drawRoundedRect(self.rect().adjusted(0, 0, -1, -1), 3, 3)
        painter.setFont(theme.font(12))
        painter.setPen(t.color("chalk" if self._error else "soft"))
        left = 4 if not self._compact else 3
        label_area = QRect(left, 0, self.width() - left, self.height())
        painter.drawText(label_area, Qt.AlignmentFlag.AlignVCenter, self._name)
        painter.setFont(theme.font(12, QFont.Weight.DemiBold))
        painter.setPen(t.color("ink"))
        text = self._text()
        painter.drawText(self._value_area(), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, text)
        if self.keyable:
            self._paint_mark(painter, t)

    def _text(self) -> str:
        """The number in words; where it differs between the things that are picked, it says so."""
        if self._mixed:
            return "mixed"
        text = units.counted(int(self.value)) if self._whole else units.shown(self.value, self.rule.unit)
        return units.bare(text, self.rule.unit) if self._compact else text

    def _paint_mark(self, painter: QPainter, t: theme.Theme) -> None:
        number = edits.get(self._session.document.scene, self.path)
        centre = QPointF(self._mark().center()) + QPointF(0.5, 0.5)
        if isinstance(number, Formula):
            painter.setPen(t.color("slate"))
            painter.setFont(theme.font(12, QFont.Weight.DemiBold))
            painter.drawText(self._mark(), Qt.AlignmentFlag.AlignCenter, "=")
            return
        keyed = isinstance(number, Keyed)
        here = self._session.numbers.has_key(number)
        painter.setPen(QPen(t.color("chalk" if keyed else "soft", 255 if keyed or self.underMouse() else 110), 1.3))
        painter.setBrush(t.color("chalk") if here else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(centre, 3.2, 3.2)

    def mousePressEvent(self, event) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self._session.numbers.linking is not None:
            self._session.numbers.link_to(self.path)
            return
        if self.keyable and self._mark().contains(event.pos()):
            if self._formula is not None:
                self.type_value()
            else:
                self._session.numbers.toggle_keys([self.path, *self._fellows])
            return
        self._press, self._start, self._dragged = event.position(), self.value, False
        self._starts = self._values()

    def mouseMoveEvent(self, event) -> None:
        if self._press is None:
            return
        across = event.position().x() - self._press.x()
        if abs(across) < 3 and not self._dragged:
            return
        self._dragged = True
        step = units.drag_step(self._start, self.rule.unit, self.rule.step if not self._whole else 0.25)
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            step *= 0.1
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            step *= 10
        self._change(self._starts, across * step, merge_key=("field", self.path))

    def mouseReleaseEvent(self, event) -> None:
        pressed, self._press = self._press, None
        self._session.document.end_gesture()
        if pressed is not None and not self._dragged and event.button() == Qt.MouseButton.LeftButton:
            self.type_value()

    def event(self, event) -> bool:
        # Digits and K are shortcuts of the window too; while the field has the focus they are its own.
        if event.type() == QEvent.Type.ShortcutOverride and event.text() and event.text() in "0123456789.,-k":
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event) -> None:
        steps = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}
        if event.key() in steps:
            step = 1.0 if self._whole else units.drag_step(self.value, self.rule.unit, self.rule.step)
            self._change(self._values(), steps[event.key()] * step)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.type_value()
        elif event.key() == Qt.Key.Key_K and self.keyable:
            self._session.numbers.toggle_keys([self.path, *self._fellows])
        elif event.text() and event.text() in "0123456789.,-":
            self.type_value(event.text())
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event) -> None:
        if not self.keyable:
            return
        menu = QMenu(self)
        here = self._session.numbers.has_key(edits.get(self._session.document.scene, self.path))
        menu.addAction("Remove key" if here else "Key here", lambda: self._session.numbers.toggle_key(self.path))
        number = edits.get(self._session.document.scene, self.path)
        if isinstance(number, Keyed):
            menu.addAction("Remove all keys", self._make_fixed)
            self._add_outside(menu, number)
        menu.addSeparator()
        menu.addAction("Link to another number…", lambda: self._session.numbers.begin_link(self.path))
        if self._formula is not None:
            menu.addAction("Remove formula", self._make_fixed)
        menu.exec(event.globalPos())

    def _add_outside(self, menu: QMenu, number: Keyed) -> None:
        """What the number does outside of its keys."""
        for side, words in (("before", "Before the first key"), ("after", "After the last key")):
            below = menu.addMenu(words)
            for choice in ("hold", "loop", "continue"):
                action = below.addAction(choice.capitalize(), lambda s=side, c=choice: self._put_outside(s, c))
                action.setCheckable(True)
                action.setChecked(getattr(number, side) == choice)

    def _put_outside(self, side: str, choice: str) -> None:
        changed = structs.replace(edits.get(self._session.document.scene, self.path), **{side: choice})
        self._session.document.put(
            self.path, changed, f"Set {side} the keys of {self._session.document.name_of(self.path)}"
        )

    def _make_fixed(self) -> None:
        self._session.document.put(self.path, self.value, f"Fix {self._session.document.name_of(self.path)}")

    def type_value(self, text: str | None = None) -> None:
        """Open the field for typing."""
        self._editor = _Editor(self)
        self._editor.setGeometry(self._value_area().adjusted(-8, 0, 4, 0))
        self._editor.setAlignment(Qt.AlignmentFlag.AlignRight)
        self._editor.setText(text if text is not None else self._typed_text())
        if text is None:
            self._editor.selectAll()
        editor = self._editor
        editor.editingFinished.connect(lambda: self._typed(editor))
        self._editor.show()
        self._editor.setFocus()

    def _typed(self, editor: QLineEdit) -> None:
        # Return ends the editing, and so does losing the focus right after it: only the first counts.
        if editor is not self._editor:
            return
        self._editor = None
        text, had_focus = editor.text().strip(), editor.hasFocus()
        remove_widget(editor)
        if not self.exists():
            return
        if had_focus:  # else the focus has gone elsewhere, perhaps because the field is about to go
            self.setFocus()
        if self._formula is not None and text == self._formula.text:
            return
        try:
            value = units.parsed(text, self.rule.unit)
        except ValueError as error:
            self._take_formula(text, str(error))
            return
        if self._formula is not None:
            self._session.document.put(self.path, value, f"Set {self._session.document.name_of(self.path)}")
        elif value != self.value or self._mixed:
            self.set_value(value)

    def _typed_text(self) -> str:
        if self._formula is not None:
            return self._formula.text
        if self._mixed:
            return ""
        return str(int(self.value)) if self._whole else units.typed(self.value, self.rule.unit)

    def _take_formula(self, text: str, not_a_number: str) -> None:
        """Let the number follow a formula, if the words are one that can be computed now."""
        if not self.keyable or not any(mark in text for mark in "+-*/().abcdefghijklmnopqrstuvwxyz'"):
            self._refuse(f"{self.rule.label}: {not_a_number}")
            return
        try:
            parse(text)
            scene = edits.put(self._session.document.scene, self.path, Formula(text))
            errors = Resolver(scene, self._session.playhead.frame, self._session.evaluator.reduction).scene_errors()
        except FormulaError as error:
            self._refuse_formula(text, error)
            return
        if self.path in errors:
            self._refuse_formula(text, errors[self.path])
            return
        self._error = ""
        self._session.document.put(
            self.path, Formula(text), f"Set {self._session.document.name_of(self.path)} to a formula"
        )

    def _refuse_formula(self, text: str, error: FormulaError) -> None:
        """Say what is wrong, and let it be mended with the wrong place picked."""
        self._refuse(f"{self.rule.label}: {error}")
        if not self.isVisible():  # an editor that takes the focus within a sheet that goes would leave it dangling
            return
        self.type_value(text)
        if self._editor is not None:
            self._editor.setSelection(error.begin, max(1, error.end - error.begin))

    def focusInEvent(self, event) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event) -> None:
        super().focusOutEvent(event)
        self.update()

    def enterEvent(self, event) -> None:
        del event
        self.update()

    def leaveEvent(self, event) -> None:
        del event
        self.update()
