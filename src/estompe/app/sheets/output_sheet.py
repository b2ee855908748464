"""Output: what should be written, of which frames, through which camera and where; then it is written in the background."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QDoubleSpinBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from estompe.app.model.output import ENDINGS, Kind, Output
from estompe.app.session import Session
from estompe.app.sheets.land_sheet import StartWork
from estompe.app.widgets.fields import Box
from estompe.app.widgets.labels import closing_head, hairline, icon_button, label
from estompe.app.widgets.ways import ways
from estompe.exchange.formats import SEQUENCE_WRITERS, load_formats
from estompe.files.progress import ExchangeError
from estompe.output.painter import LAYERS
from estompe.output.spec import MOST_PER_FRAME
from estompe.render.view_transform import ViewError, view_names

_KINDS: dict[Kind, tuple[str, str]] = {
    "scene": ("Animated scene", "USD with everything in it: meshes, copies, strands, cameras and controls."),
    "over": ("Over the shot", "A USD layer over the stage that was imported, with what was changed and nothing else."),
    "meshes": ("Mesh files", "One file for each shape and frame."),
    "pictures": ("Pictures", "PNG, or OpenEXR with layers; what an earlier run wrote is gone on from."),
    "movie": ("Movie", "MP4 with H.264, or WebM with VP9."),
}
_SIZES = {"1280 × 720": (1280, 720), "1920 × 1080": (1920, 1080), "2048 × 858": (2048, 858), "3840 × 2160": (3840, 2160),
          "7680 × 4320": (7680, 4320)}  # fmt: skip
_DRAWN: tuple[Kind, ...] = ("pictures", "movie")

_COLUMNS = 4
"""Layers in a row."""


class OutputSheet(QWidget):
    """closed(): the person is done."""

    closed = pyqtSignal()

    def __init__(self, session: Session, start: StartWork, choices: Output, folder: str) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session, self._start, self.choices, self._folder = session, start, choices, folder
        scene = session.document.scene
        if choices.shot != (scene.first, scene.last):
            choices.shot = choices.first, choices.last = scene.first, scene.last
        self._rows: list[tuple[QWidget, QWidget, tuple[Kind, ...]]] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 24, 16)
        layout.setSpacing(8)
        layout.addWidget(closing_head("Output", "Output", self.closed.emit))
        layout.addWidget(hairline())
        row, self.kinds = ways(self, _KINDS, self.choose)
        layout.addLayout(row)
        self.words = label("", "soft", wrap=True)
        layout.addWidget(self.words)
        layout.addLayout(self._choices())
        layout.addStretch(1)
        self.trouble = label("", "error", wrap=True)
        layout.addWidget(self.trouble)
        layout.addLayout(self._foot())
        self.choose(choices.kind)

    def _choices(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(8)
        grid.setColumnStretch(1, 1)
        every: tuple[Kind, ...] = tuple(_KINDS)
        made = self.choices
        scene = self._session.document.scene
        frames = _beside(
            self._count("first", scene.first, scene.last),
            label("to", "soft"),
            self._count("last", scene.first, scene.last),
        )
        self._add(grid, "Frames", frames, every)
        self._add(grid, "Shapes", self._shapes(), ("scene", "over", "meshes"))
        moments = _beside(self._count("per_frame", 1, MOST_PER_FRAME), label("a frame, for motion blur", "soft"))
        self._add(grid, "Samples", moments, ("scene", "over"))
        self._add(grid, "Format", self._format(), ("meshes",))
        self._add(grid, "Camera", self._camera(), _DRAWN)
        self._add(grid, "Size", self._size(), _DRAWN)
        samples = _beside(self._count("samples", 1, 256), label("draws, for smoother edges", "soft"))
        self._add(grid, "Samples", samples, _DRAWN)
        shutter = QDoubleSpinBox()
        shutter.setRange(0.0, 4.0)
        shutter.setSingleStep(0.25)
        shutter.setSpecialValueText("none")
        shutter.setSuffix(" frames open")
        shutter.setValue(made.shutter)
        shutter.valueChanged.connect(lambda value: self._set("shutter", value))
        shutter.setAccessibleName("Motion blur")
        self._add(grid, "Motion blur", _beside(shutter), _DRAWN)
        self._add(grid, "Layers", self._layers(), ("pictures",))
        shown = _beside(
            self._flag("strength", "the current falloff's strength"), self._flag("background", "with the view's ground"),
            self._flag("full_float", "32 bit colours"),
        )  # fmt: skip
        self._add(grid, "Show", shown, ("pictures",))
        burnt = _beside(
            self._flag("burn_in", "name and frame burnt in"), self._flag("strength", "the current falloff's strength")
        )
        self._add(grid, "Show", burnt, ("movie",))
        self._add(
            grid,
            "Display",
            _beside(self._display(), label("EXR holds the light itself", "soft")),
            _DRAWN,
        )
        self._add(grid, "Machines", self._machines(), ("scene", "over", "meshes", "pictures"))
        self._add(grid, "Into", self._target(), every)
        return grid

    def _add(self, grid: QGridLayout, name: str, widget: QWidget, kinds: tuple[Kind, ...]) -> None:
        row = grid.rowCount()
        head = label(name, "soft")
        head.setFixedWidth(90)
        grid.addWidget(head, row, 0, Qt.AlignmentFlag.AlignTop if name == "Layers" else Qt.AlignmentFlag.AlignVCenter)
        grid.addWidget(widget, row, 1)
        self._rows.append((head, widget, kinds))

    def _count(self, name: str, low: int, high: int) -> QSpinBox:
        box = QSpinBox()
        box.setRange(low, high)
        box.setValue(getattr(self.choices, name))
        box.setAccessibleName(name)
        box.setFixedWidth(90)
        box.valueChanged.connect(lambda value: self._set(name, value))
        return box

    def _flag(self, name: str, words: str) -> QCheckBox:
        box = QCheckBox(words)
        box.setChecked(getattr(self.choices, name))
        box.toggled.connect(lambda on: self._set(name, on))
        return box

    def _shapes(self) -> QWidget:
        box = Box()
        box.setAccessibleName("Shapes")
        box.addItem("all shapes", None)
        current = self._session.selection.shape
        if current is not None:
            box.addItem(f"{current.name} alone", frozenset({current.id}))
        box.activated.connect(lambda _: self._set("shapes", box.currentData()))
        self.choices.shapes = None
        return _beside(box)

    def _format(self) -> QWidget:
        load_formats()
        box = Box()
        box.setAccessibleName("Format")
        for name, writer in SEQUENCE_WRITERS.items():
            box.addItem(writer.label, name)
        box.setCurrentIndex(max(0, box.findData(self.choices.meshes)))
        box.activated.connect(lambda _: self._set("meshes", box.currentData()))
        return _beside(box)

    def _camera(self) -> QWidget:
        scene, box = self._session.document.scene, Box()
        box.setAccessibleName("Camera")
        names = [scene.camera.name, *(camera.name for camera in scene.other_cameras)]
        box.addItems(names)
        box.setCurrentIndex(names.index(self.choices.camera) if self.choices.camera in names else 0)
        self.choices.camera = box.currentText()
        box.activated.connect(lambda _: self._set("camera", box.currentText()))
        return _beside(box)

    def _display(self) -> QWidget:
        """The views that light can be shown by."""
        try:
            names = view_names()
        except ViewError as error:
            self._session.messages.say(str(error), "error")
            names = []
        box = Box()
        box.setAccessibleName("Display")
        box.setMaximumWidth(300)
        box.addItem("sRGB", "")
        for name in names:
            box.addItem(name.replace("/", ": "), name)
        box.setCurrentIndex(max(0, box.findData(self.choices.view)))
        self.choices.view = box.currentData()
        box.activated.connect(lambda _: self._set("view", box.currentData()))
        return box

    def _size(self) -> QWidget:
        width, height = self._count("width", 16, 8192), self._count("height", 16, 8192)
        box = Box()
        box.setAccessibleName("Usual sizes")
        box.addItems(["usual sizes", *_SIZES])

        def take(_: int) -> None:
            if box.currentText() in _SIZES:
                width.setValue(_SIZES[box.currentText()][0])
                height.setValue(_SIZES[box.currentText()][1])
            box.setCurrentIndex(0)

        box.activated.connect(take)
        return _beside(width, label("×", "soft"), height, box)

    def _layers(self) -> QWidget:
        falloffs = [f"strength:{falloff.name}" for falloff in self._session.document.scene.falloffs]
        self.layers = {name: QCheckBox(_layer_words(name)) for name in (*LAYERS, *falloffs)}
        self.choices.layers = [name for name in self.choices.layers if name in self.layers]
        made = QWidget()
        grid = QGridLayout(made)
        grid.setContentsMargins(0, 0, 0, 0)
        for index, (name, box) in enumerate(self.layers.items()):
            box.setChecked(name in self.choices.layers)
            box.toggled.connect(self._take_layers)
            grid.addWidget(box, index // _COLUMNS, index % _COLUMNS)
        grid.setHorizontalSpacing(18)
        grid.setColumnStretch(_COLUMNS, 1)
        return made

    def _take_layers(self) -> None:
        self.choices.layers = [name for name, box in self.layers.items() if box.isChecked()]

    def _machines(self) -> QWidget:
        self.machines = QLineEdit(self.choices.machines)
        self.machines.setAccessibleName("Machines")
        self.machines.setPlaceholderText("this process")
        self.machines.setFixedWidth(190)
        self.machines.textChanged.connect(lambda text: self._set("machines", text.strip()))
        return _beside(self.machines, label("a number of processes, or tls://host:port of a scheduler", "soft"))

    def _target(self) -> QWidget:
        made = QWidget()
        row = QHBoxLayout(made)
        row.setContentsMargins(0, 0, 0, 0)
        self.target = QLineEdit(self.choices.target)
        self.target.setAccessibleName("Into")
        self.target.textChanged.connect(lambda text: self._set("target", text))
        browse = icon_button("file", "Choose where it goes")
        browse.clicked.connect(self._browse)
        row.addWidget(self.target, 1)
        row.addWidget(browse)
        return made

    def _browse(self) -> None:
        if self.choices.kind == "meshes":
            name = QFileDialog.getExistingDirectory(self, "Folder for the files", self._folder)
        else:
            name, _ = QFileDialog.getSaveFileName(self, _KINDS[self.choices.kind][0], self.target.text())
        if name:
            self.target.setText(name)

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addStretch(1)
        self.write = QPushButton("Write")
        self.write.setProperty("role", "main")
        self.write.clicked.connect(self.begin)
        row.addWidget(self.write)
        return row

    def _set(self, name: str, value: Any) -> None:
        setattr(self.choices, name, value)
        self.trouble.setText("")

    def choose(self, kind: Kind) -> None:
        """Choose what is written; the name it goes to keeps all but its ending."""
        before, self.choices.kind = self.choices.kind, kind
        self.kinds[kind].setChecked(True)
        self.words.setText(_KINDS[kind][1])
        for head, widget, kinds in self._rows:
            head.setVisible(kind in kinds)
            widget.setVisible(kind in kinds)
        standing = self.target.text() == self._first_target(before)
        if not self.target.text() or standing:
            self.target.setText(self._first_target(kind))
        self.trouble.setText("")

    def _first_target(self, kind: Kind) -> str:
        title = Path(self._session.document.title).stem or "untitled"
        word = "-".join(title.lower().split())
        return str(Path(self._folder) / f"{word}{'-over' if kind == 'over' else ''}{ENDINGS[kind]}")

    def begin(self) -> None:
        """Start writing, and close; what cannot be is told here."""
        from estompe.app.model.writing import job_of  # much that only those who write something should wait for

        selection, document = self._session.selection, self._session.document
        try:
            job = job_of(self.choices, document.project, selection.falloff_id, document.title)
        except (ExchangeError, LookupError) as error:
            self.trouble.setText(str(error))
            return
        say: Callable[[str], None] = self._session.messages.say
        if self._start(f"writing {Path(self.choices.target).name}", job, say):
            self.closed.emit()


def _beside(*widgets: QWidget) -> QWidget:
    made = QWidget()
    row = QHBoxLayout(made)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(10)
    for widget in widgets:
        row.addWidget(widget)
    row.addStretch(1)
    return made


def _layer_words(name: str) -> str:
    """A layer as people read it."""
    return name.replace("strength:", "strength of ").replace("matte-", "mattes of ")
