"""Variants: the present scene beside kept ones, their differences in words, and sheets of numbers at several values."""

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from estompe.app.session import Session
from estompe.app.sheets.land_sheet import StartWork
from estompe.app.widgets.contact_grid import ContactGrid
from estompe.app.widgets.fields import Box
from estompe.app.widgets.labels import Elided, closing_head, hairline, label, link
from estompe.app.widgets.removal import remove_widget
from estompe.app.widgets.ways import ways
from estompe.document.differences import Difference
from estompe.document.edits import EditError, numbers_below
from estompe.document.naming import spoken
from estompe.document.scene import Scene
from estompe.document.varying import parse_varied
from estompe.files.progress import Progress
from estompe.kinds.numbers import plain
from estompe.output.contact import Cells, Drawing, cells_of_numbers, cells_of_variants

_CELL, _COLUMNS = (208, 130), 3
_MOST_SHOWN = 40
_WAYS = {
    "variants": ("What was kept", "The scene as it stands, and its variants"),
    "numbers": ("Numbers at several values", "One or two numbers at several values, side by side"),
}
_PLAYED = 32


class VariantsSheet(QWidget):
    """closed(): the person is done."""

    closed = pyqtSignal()
    _drawn = pyqtSignal(object, int, int, object)

    def __init__(self, session: Session, start: StartWork, wipe: Callable[[str], None]) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session, self._start, self._wipe = session, start, wipe
        self._cells: Cells = []
        self.current = ""
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 24, 12)
        layout.setSpacing(8)
        layout.addWidget(closing_head("Variants", "Variants", self.closed.emit))
        layout.addWidget(hairline())
        layout.addLayout(self._ways())
        self._variant_tools, self._number_tools = self._for_variants(), self._for_numbers()
        layout.addWidget(self._variant_tools)
        layout.addWidget(self._number_tools)
        self.trouble = label("", "error", wrap=True)
        layout.addWidget(self.trouble)
        self.grid = ContactGrid(_CELL)
        self.grid.chosen.connect(self._chosen)
        self._drawn.connect(self._add)
        area = QScrollArea()
        area.setWidget(self.grid)
        layout.addWidget(area, 1)
        self._about = QWidget()
        self._about_layout = QVBoxLayout(self._about)
        self._about_layout.setContentsMargins(0, 0, 0, 0)
        self._about_layout.setSpacing(2)
        about_area = QScrollArea()
        about_area.setWidget(self._about)
        about_area.setWidgetResizable(True)
        about_area.setFixedHeight(150)
        self._about_area = about_area
        layout.addWidget(about_area)
        session.document.variants_changed.connect(self._variants_changed)
        self.show_way("variants")

    # What is shown

    def _ways(self) -> QHBoxLayout:
        row, self.ways = ways(self, _WAYS, self.show_way)
        self.playing = link("play", "Draw the shot in every picture, and play it")
        self.playing.clicked.connect(self.play)
        row.addWidget(self.playing)
        return row

    def _for_variants(self) -> QWidget:
        made = QWidget()
        row = QHBoxLayout(made)
        row.setContentsMargins(0, 0, 0, 0)
        self.name = QLineEdit()
        self.name.setPlaceholderText("a name for the scene as it stands")
        self.name.setAccessibleName("Name of the variant")
        keep = QPushButton("Keep the scene as it stands")
        keep.clicked.connect(self.keep)
        row.addWidget(self.name, 1)
        row.addWidget(keep)
        return made

    def _for_numbers(self) -> QWidget:
        made = QWidget()
        column = QVBoxLayout(made)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.numbers: list[tuple[Box, QLineEdit]] = []
        for index, words in enumerate(("across", "down")):
            row = QHBoxLayout()
            head = label(words, "soft")
            head.setFixedWidth(48)
            box, values = Box(), QLineEdit()
            box.setAccessibleName(f"Number {words}")
            values.setAccessibleName(f"Values {words}")
            values.setPlaceholderText("0.1, 0.2, 0.4 or 0.1..0.5/5")
            box.addItem("none" if index else "choose a number", "")
            for name, value in _numbers_of(self._session):
                box.addItem(f"{name}   {value:g}", name)
            box.activated.connect(lambda _, box=box, values=values: self._offer(box, values))
            row.addWidget(head)
            row.addWidget(box, 2)
            row.addWidget(values, 1)
            column.addLayout(row)
            self.numbers.append((box, values))
        draw = QPushButton("Draw")
        draw.clicked.connect(self.draw_numbers)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(draw)
        column.addLayout(foot)
        return made

    def _offer(self, box: Box, values: QLineEdit) -> None:
        """Values around the present one, for a number that was chosen."""
        found = dict(_numbers_of(self._session)).get(box.currentData())
        if found is not None and not values.text():
            low, high = (0.5 * found, 1.5 * found) if found else (0.0, 1.0)
            values.setText(f"{min(low, high):g}..{max(low, high):g}/4")

    def show_way(self, name: str) -> None:
        """Show what was kept, or numbers at several values."""
        self.ways[name].setChecked(True)
        self._variant_tools.setVisible(name == "variants")
        self._number_tools.setVisible(name == "numbers")
        self._about_area.setVisible(name == "variants")
        self.tell("")
        if name == "variants":
            self._variants_changed()
        else:
            self._cells = []
            self.grid.begin([])

    def _variants_changed(self) -> None:
        variants = self._session.variants
        if not self.ways["variants"].isChecked():
            return
        self._draw(cells_of_variants(self._session.document.scene, variants.all, _COLUMNS))
        self.show_about(self.current if variants.named(self.current) else "")

    def keep(self) -> None:
        """Keep the scene under the name that was typed."""
        self.current = self._session.variants.keep(self.name.text())
        self.name.clear()

    def tell(self, words: str) -> None:
        """Say what is wrong with what was chosen; "" for nothing."""
        self.trouble.setText(words)
        self.trouble.setVisible(bool(words))

    # Drawing

    def draw_numbers(self) -> None:
        """Draw the numbers that were chosen at their values."""
        scene = self._session.document.scene
        typed = [f"{box.currentData()}={values.text()}" for box, values in self.numbers if box.currentData()]
        try:
            self._draw(cells_of_numbers(scene, [parse_varied(scene, text) for text in typed]))
            self.tell("")
        except ValueError as error:
            self.tell("choose a number first" if not typed else str(error))

    def play(self) -> None:
        """Draw the shot in every cell and play it; again to stand still."""
        if self.grid.playing:
            self.grid.stop()
            self.playing.setText("play")
        elif self._cells:
            self._draw(self._cells, played=True)

    def _draw(self, cells: Cells, played: bool = False) -> None:
        self._cells = cells
        session = self._session
        self.grid.begin(
            [[cell.label for cell in row] for row in cells], (0, 0) if self.ways["variants"].isChecked() else None
        )
        self.playing.setText("play")
        project, scene = session.document.project, session.document.scene
        frames = _frames(scene) if played else [session.playhead.frame]

        def job(progress: Progress) -> int:
            drawing = Drawing(project, cells, _CELL)
            total, done = sum(map(len, cells)) * len(frames), 0
            try:
                for frame in frames:
                    for row, column, picture in drawing.pictures(frame):
                        done += 1
                        progress(done / total, f"picture {done} of {total}")
                        self._drawn.emit(cells, row, column, picture)
            finally:
                drawing.close()
            return len(frames)

        self._start("drawing a contact sheet", job, self._finished)

    def _add(self, cells: Cells, row: int, column: int, picture: Any) -> None:
        if cells is self._cells:
            self.grid.add(row, column, picture)

    def _finished(self, frames: int) -> None:
        if frames > 1:
            self.grid.play(self._session.document.scene.frames_per_second * frames / self._length())
            self.playing.setText("stand still")

    def _length(self) -> int:
        scene = self._session.document.scene
        return scene.last - scene.first + 1

    # Choosing

    def _chosen(self, row: int, column: int) -> None:
        if row >= len(self._cells) or column >= len(self._cells[row]):
            return
        cell = self._cells[row][column]
        if self.ways["variants"].isChecked():
            self.show_about(cell.label if (row, column) != (0, 0) else "")
            return
        try:
            scene = cell.taken_into(self._session.document.scene)
        except EditError:
            self.tell("the scene has no such number any more: draw the sheet again")
            return
        self._session.document.commit(scene, f"Take {cell.label}")
        self._session.messages.say(f"took {cell.label}")

    def show_about(self, name: str) -> None:
        """Say what differs between the scene and a variant, and what can be done with it."""
        self.current = name
        while self._about_layout.count():
            item = self._about_layout.takeAt(0).widget()
            if item is not None:
                remove_widget(item)
        if not name:
            kept = self._session.variants.all
            words = (
                "Click a variant to see what differs."
                if kept
                else "Nothing is kept yet: keep the scene, change it, and compare."
            )
            self._about_layout.addWidget(label(words, "soft"))
        else:
            self._fill_about(name)
        self._about_layout.addWidget(QWidget(), 1)

    def _fill_about(self, name: str) -> None:
        variants = self._session.variants
        self._about_layout.addWidget(self._tools_for(name))
        found = variants.differences(name)
        if not found:
            self._about_layout.addWidget(label("it is the scene as it stands", "soft"))
        for difference in found[:_MOST_SHOWN]:
            self._about_layout.addWidget(self._difference(name, difference))
        if len(found) > _MOST_SHOWN:
            self._about_layout.addWidget(label(f"and {len(found) - _MOST_SHOWN} more", "soft"))

    def _tools_for(self, name: str) -> QWidget:
        made = QWidget()
        row = QHBoxLayout(made)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(14)
        row.addWidget(label(name, "strong"))
        variants = self._session.variants
        tools: tuple[tuple[str, str, Callable[[], object]], ...] = (
            ("go to it", "Make it the current scene", lambda: variants.take(name)),
            (
                "wipe against it",
                "Compare it with the scene as it stands, in the view",
                lambda: self._wipe_against(name),
            ),
            ("keep over it", "Keep the scene as it stands under this name", lambda: variants.keep(name)),
            ("remove", "Keep it no longer", lambda: variants.remove(name)),
        )
        for words, tip, do in tools:
            button = link(words, tip)
            button.clicked.connect(lambda _, do=do: self._do(do))
            row.addWidget(button)
        row.addStretch(1)
        return made

    def _do(self, do: Callable[[], object]) -> None:
        do()
        self._variants_changed()

    def _wipe_against(self, name: str) -> None:
        self._wipe(name)
        self.closed.emit()

    def _difference(self, name: str, difference: Difference) -> QWidget:
        made = QWidget()
        row = QHBoxLayout(made)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(Elided(difference.words), 1)
        take = link("take across", "Take this alone into the scene as it stands")
        take.clicked.connect(lambda: self._do(lambda: self._session.variants.take_across(name, difference)))
        row.addWidget(take)
        return made


def _numbers_of(session: Session) -> list[tuple[str, float]]:
    """The plain numbers of the current shape's effects and of all falloffs, by the names that formulas use."""
    scene, shape = session.document.scene, session.selection.shape
    parts: list[tuple[Any, tuple[str | int, ...]]] = []
    if shape is not None:
        parts += [(slot.effect, ("shapes", shape.id, "effects", slot.id, "effect")) for slot in shape.effects]
    for falloff in scene.falloffs:
        parts.append((falloff.range, ("falloffs", falloff.id, "range")))
        parts += [(layer.source, ("falloffs", falloff.id, "layers", layer.id, "source")) for layer in falloff.layers]
    found = []
    for part, path in parts:
        for below, number in numbers_below(part):
            if isinstance(number, float | int):
                found.append((spoken(scene, (*path, *below)), plain(number)))
    return found


def _frames(scene: Scene) -> list[int]:
    step = max(1, -(-(scene.last - scene.first + 1) // _PLAYED))
    return list(range(scene.first, scene.last + 1, step))
