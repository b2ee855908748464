"""The Console: the scripts' words, acting on the scene that is open; each line is a step of undo."""

import code
import contextlib
import io
import rlcompleter
import sys
import traceback
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPlainTextEdit, QVBoxLayout, QWidget

import estompe
from estompe.app.session import Session
from estompe.app.widgets.keyed_line import KeyedLine
from estompe.app.widgets.labels import closing_head, hairline, label
from estompe.document.project import Project
from estompe.scripting.handles import Control, Falloff, Shape
from estompe.scripting.scene import Scene
from estompe.scripting.values import ScriptError

_HELP = "es, scene and picked are here; Tab completes, Up brings lines back. Each line is a step of undo."
_HANDLES: dict[str, Any] = {"shapes": Shape, "controls": Control, "falloffs": Falloff}
_MOST_LINES, _LONGEST_STEP = 5000, 40


class _Line(KeyedLine):
    """A line with those before it, which Up and Down bring back."""

    def __init__(self) -> None:
        super().__init__(Qt.Key.Key_Tab)
        self.before: list[str] = []
        self._place = 0

    def remember(self, text: str) -> None:
        """Keep a line, so that Up brings it back."""
        if text and self.before[-1:] != [text]:
            self.before.append(text)
        self._place = len(self.before)

    def keyPressEvent(self, event) -> None:
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(event.key())
        if step is None or not self.before:
            super().keyPressEvent(event)
            return
        self._place = min(max(0, self._place + step), len(self.before))
        self.setText(self.before[self._place] if self._place < len(self.before) else "")


class _Interpreter(code.InteractiveConsole):
    """Says errors of a line here; else they would go to the window as faults of the program."""

    def showtraceback(self) -> None:
        """Write the words of a ScriptError; of another error also the line's own place in it."""
        kind, error, trace = sys.exc_info()
        if isinstance(error, ScriptError):
            self.write(f"{error}\n")
            return
        own = trace.tb_next if trace else None  # the first frame is the interpreter's own
        self.write("".join(traceback.format_exception(kind, error, own)))

    def showsyntaxerror(self, filename: str | None = None, **_: Any) -> None:
        """Write where a line cannot be read."""
        self.write("".join(traceback.format_exception_only(sys.exc_info()[1])))


class ConsoleSheet(QWidget):
    """Runs lines of Python in this program. It is there only while it is open."""

    closed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session = session
        self._scene = Scene.of(session.document.project)
        self._names: dict[str, Any] = {"es": estompe, "__name__": "__console__"}
        self._console = _Interpreter(self._names)
        self.output = QPlainTextEdit()
        self.output.setReadOnly(True)
        self.output.setMaximumBlockCount(_MOST_LINES)
        self.output.setAccessibleName("What lines gave")
        self.line = _Line()
        self.line.setAccessibleName("Line to run")
        self.line.returnPressed.connect(self._entered)
        self.line.kept.connect(self.complete)
        self._prompt = label(">>>", "soft")
        row = QHBoxLayout()
        row.addWidget(self._prompt)
        row.addWidget(self.line, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 24, 12)
        layout.setSpacing(6)
        layout.addWidget(closing_head("Console", "the Console", self.closed.emit))
        layout.addWidget(hairline())
        layout.addWidget(self.output, 1)
        layout.addLayout(row)
        self.output.appendPlainText(_HELP)
        self._refresh()
        self.line.setFocus()

    def _refresh(self) -> None:
        """Bring `scene` up to the scene that is open now, and hand out handles of what is picked.

        It stays one object: handles that a line has kept act on the scene as it is by then.
        """
        self._scene.project = self._session.document.project
        paths = [path for path in self._session.selection.there if len(path) == 2 and path[0] in _HANDLES]
        self._names["scene"] = self._scene
        self._names["picked"] = [_HANDLES[str(path[0])].of(self._scene, str(path[1])) for path in paths]

    def _entered(self) -> None:
        text = self.line.text()
        self.line.clear()
        self.line.remember(text)
        self.run(text)

    def run(self, text: str) -> None:
        """Run a line, show what it gives, and take over what it changed as one step."""
        self.output.appendPlainText(f"{self._prompt.text()} {text}")
        self._refresh()  # since the last line the scene may have been edited in the window
        given = io.StringIO()
        with contextlib.redirect_stdout(given), contextlib.redirect_stderr(given):
            try:
                more = self._console.push(text)
            except SystemExit:
                self.closed.emit()
                return
        if given.getvalue():
            self.output.appendPlainText(given.getvalue().rstrip("\n"))
        self._prompt.setText("..." if more else ">>>")
        if not more:
            self._take_over(text)

    def _take_over(self, text: str) -> None:
        document, project = self._session.document, self._changed_project()
        if project is not None:
            document.add_assets(dict(project.assets))
            document.end_gesture()
            document.commit(project.scene, f"Console: {text.strip()[:_LONGEST_STEP] or 'several lines'}")
            self._session.evaluator.ask()
        self._refresh()

    def _changed_project(self) -> Project | None:
        """What the line has built: in `scene`, or another scene that it put in its place."""
        scene = self._names.get("scene")
        built = scene if isinstance(scene, Scene) else self._scene
        return built.project if built.project.scene is not self._session.document.scene else None

    def complete(self) -> None:
        """Complete the word before the cursor, or list what it could be."""
        text = self.line.text()[: self.line.cursorPosition()]
        begin = max((text.rfind(sign) for sign in " (,=[{:"), default=-1) + 1
        completer = rlcompleter.Completer(self._names)
        words: list[str] = []
        while len(words) < 200 and (word := completer.complete(text[begin:], len(words))) is not None:
            words.append(word)
        if not words or not text[begin:]:
            return
        common = _common_start(words)
        if len(words) > 1 and common == text[begin:]:
            self.output.appendPlainText("  ".join(words))
            return
        self.line.setText(text[:begin] + common + self.line.text()[self.line.cursorPosition() :])
        self.line.setCursorPosition(begin + len(common))


def _common_start(words: list[str]) -> str:
    """The beginning that all words have in common."""
    shortest = min(words, key=len)
    return next((shortest[:k] for k in range(len(shortest)) if len({word[k] for word in words}) > 1), shortest)
