"""The start sheet: what to open or drop, recent files, and samples with pictures."""

import os
from pathlib import Path

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QIcon, QPixmap
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from estompe.app import theme
from estompe.app.model.recovery import Lost
from estompe.app.widgets.labels import Head, hairline, label, link
from estompe.samples import SAMPLES, Sample

_ACROSS = 5


class StartSheet(QWidget):
    """Shown when nothing is open; every choice is a signal."""

    sample_chosen = pyqtSignal(str)
    file_chosen = pyqtSignal(str)
    open_wanted = pyqtSignal()
    new_wanted = pyqtSignal()
    recovered = pyqtSignal(object)
    discarded = pyqtSignal(object)

    def __init__(self, recent: list[str], lost: list[Lost]) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        inner = QWidget()
        inner.setMaximumWidth(760)
        column = QVBoxLayout(inner)
        column.setContentsMargins(32, 24, 32, 24)
        column.setSpacing(4)
        title = label("Estompe")
        title.setFont(theme.font(26, QFont.Weight.DemiBold))
        title.setStyleSheet("font-size: 26px; font-weight: 600;")
        column.addWidget(title)
        column.addWidget(label("Make how strongly something happens follow a control.", "soft"))
        for item in lost:
            column.addWidget(self._lost(item))
        column.addLayout(self._own())
        self._recent(column, [Path(name) for name in recent if os.path.exists(name)])
        column.addWidget(Head("Samples"))
        column.addWidget(hairline())
        column.addLayout(self._samples())
        column.addStretch(1)
        area = QScrollArea()
        area.setWidget(inner)
        area.setWidgetResizable(True)
        outer = QHBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(area)

    def _samples(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setContentsMargins(0, 8, 0, 0)
        grid.setSpacing(2)
        for index, sample in enumerate(SAMPLES):
            grid.addWidget(self._sample(sample), index // _ACROSS, index % _ACROSS)
            grid.setColumnStretch(index % _ACROSS, 1)
        return grid

    def _sample(self, sample: Sample) -> QToolButton:
        button = QToolButton()
        button.setText(sample.title)
        button.setToolTip(sample.text)
        button.setAccessibleName(sample.title)
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        button.setStyleSheet("font-size: 12px; padding: 4px 0;")  # so that the longest name is not cut
        picture = sample.picture()
        if picture is not None:
            pixmap = QPixmap()
            pixmap.loadFromData(picture)
            button.setIcon(QIcon(pixmap))
            button.setIconSize(QSize(123, 82))
        # As wide as its column, so that pictures stand under each other whatever the names are.
        button.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        button.clicked.connect(lambda: self.sample_chosen.emit(sample.name))
        return button

    def _recent(self, column: QVBoxLayout, paths: list[Path]) -> None:
        if not paths:
            return
        column.addWidget(Head("Recent files"))
        column.addWidget(hairline())
        for path in paths:
            button = link(path.name, str(path))
            button.clicked.connect(lambda _, path=path: self.file_chosen.emit(str(path)))
            column.addWidget(button)

    def _own(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(0, 8, 0, 0)
        choose = QPushButton("Open a scene or mesh…")
        choose.setProperty("role", "main")
        choose.clicked.connect(self.open_wanted)
        new = QPushButton("Start with an empty scene")
        new.clicked.connect(self.new_wanted)
        row.addWidget(choose)
        row.addWidget(new)
        row.addWidget(label("or drop a mesh or a shot here: OBJ, PLY, STL, glTF, USD", "soft"))
        row.addStretch(1)
        return row

    def _lost(self, item: Lost) -> QWidget:
        bar = QWidget()
        row = QHBoxLayout(bar)
        row.setContentsMargins(0, 10, 0, 0)
        row.addWidget(label(item.words(), "warning"), 1)
        recover = QPushButton("Recover it")
        recover.setProperty("role", "main")
        recover.clicked.connect(lambda: self.recovered.emit(item))
        drop = QPushButton("Discard")
        drop.clicked.connect(lambda: self.discarded.emit(item))
        drop.clicked.connect(bar.hide)
        row.addWidget(recover)
        row.addWidget(drop)
        return bar
