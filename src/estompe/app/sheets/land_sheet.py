"""Land: something should happen on a chosen frame; the ways to make it so, each with its course before one is taken."""

from collections.abc import Callable
from typing import Any, NamedTuple

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QDoubleSpinBox, QGridLayout, QHBoxLayout, QScrollArea, QSpinBox, QVBoxLayout, QWidget

from estompe.analysis.landing import Aim, CannotLandError, Landing
from estompe.app import icons, theme
from estompe.app.session import Session
from estompe.app.widgets.fields import Box
from estompe.app.widgets.labels import closing_head, hairline, label, link
from estompe.app.widgets.removal import remove_widget
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.project import Project
from estompe.document.scene import Scene
from estompe.files.progress import Progress

StartWork = Callable[[str, Callable[[Progress], Any], Callable[[Any], None]], bool]
Course = list[tuple[float, float]]
_WIDTH, _HEIGHT = 300, 46


class Way(NamedTuple):
    """A way to land as it is shown: what changes, when it then first happens, the course, and the scene.

    scene: None for how it is now; lands: None where it does not happen.
    """

    label: str
    lands: float | None
    course: Course
    scene: Scene | None


def ways(project: Project, aim: Aim, frame: int, number: ScenePath | None, progress: Progress) -> tuple[list[Way], str]:
    """How it is now, and each way to land; and what stands against it, in words, "" for nothing."""
    landing = Landing(project, aim, pause=lambda: progress(0.2, "looking for ways"))
    now = None
    try:
        now = landing.now()
    except CannotLandError as error:
        return [Way("as it is now", None, landing.course(), None)], str(error)
    found = [Way("as it is now", now, landing.course(), None)]
    trouble = ""
    try:
        proposals = list(landing.proposals(frame))
        if number is not None:
            proposals.append(landing.with_number(number, frame))
    except CannotLandError as error:
        trouble = str(error)
    found += [Way(item.label, item.lands, landing.course(item.scene), item.scene) for item in proposals]
    return found, trouble


class CoursePlot(QWidget):
    """A course over the shot, the frame it should land on, and where it does. most: what the full height stands for."""

    def __init__(self, session: Session, way: Way, frame: int, most: float) -> None:
        super().__init__()
        self._session, self._way, self._frame, self._most = session, way, frame, max(most, 1e-6)
        self.setFixedSize(_WIDTH, _HEIGHT)
        self.setAccessibleName(f"Course {way.label}")

    def paintEvent(self, event) -> None:
        del event
        t, scene = icons.current_theme(), self._session.document.scene
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = QRectF(2, 4, _WIDTH - 4, _HEIGHT - 8)

        def place(frame: float, value: float) -> QPointF:
            across = (frame - scene.first) / max(1, scene.last - scene.first)
            up = min(max(value / self._most, 0.0), 1.0)
            return QPointF(area.left() + area.width() * across, area.bottom() - area.height() * up)

        painter.setPen(QPen(t.color("hairline"), 1))
        painter.drawLine(place(scene.first, 0), place(scene.last, 0))
        painter.setPen(QPen(t.color("slate"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(place(self._frame, 0), place(self._frame, self._most))
        line = QPainterPath()
        for index, (frame, value) in enumerate(self._way.course):
            line.lineTo(place(frame, value)) if index else line.moveTo(place(frame, value))
        painter.setPen(QPen(t.color("chalk"), 1.6))
        painter.drawPath(line)
        if self._way.lands is not None:
            painter.setBrush(t.color("chalk"))
            near = min(self._way.course, key=lambda item: abs(item[0] - (self._way.lands or 0.0)))
            painter.drawEllipse(place(self._way.lands, near[1]), 3, 3)


class LandSheet(QWidget):
    """closed(): the person is done."""

    closed = pyqtSignal()

    def __init__(self, session: Session, start: StartWork, element: tuple[str, int, str] | None) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session, self._start = session, start
        shape, falloff = session.selection.shape, session.selection.falloff
        self._element = element if element is not None and element[0] == shape.id else None
        self._of: Project | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 24, 16)
        layout.setSpacing(8)
        layout.addWidget(closing_head("Land", "Land", self.closed.emit))
        layout.addWidget(hairline())
        layout.addWidget(
            label(f"When {falloff.name} reaches {shape.name}, and what makes it reach it on another frame.", "soft")
        )
        layout.addLayout(self._questions())
        self.trouble = label("", "warning", wrap=True)
        self.trouble.hide()
        layout.addWidget(self.trouble)
        self._results = QVBoxLayout()
        self._results.setSpacing(4)
        inner = QWidget()
        inner.setLayout(self._results)
        self._results.addStretch(1)
        area = QScrollArea()
        area.setWidget(inner)
        area.setWidgetResizable(True)
        layout.addWidget(area, 1)

    def _questions(self) -> QGridLayout:
        """What should happen, when, and what else may change."""
        session = self._session
        scene, shape = session.document.scene, session.selection.shape
        self.what = Box()
        self.what.setAccessibleName("What lands")
        self.what.addItem(f"a share of {shape.name}", None)
        if self._element is not None:
            self.what.addItem(self._element[2], self._element[1])
            self.what.setCurrentIndex(1)
        self.share = QSpinBox()
        self.share.setAccessibleName("Share")
        self.share.setRange(1, 100)
        self.share.setValue(50)
        self.share.setSuffix(" %")
        self.strength = QDoubleSpinBox()
        self.strength.setAccessibleName("Strength")
        self.strength.setRange(0.01, 0.99)
        self.strength.setSingleStep(0.05)
        self.strength.setValue(0.5)
        self.frame = QSpinBox()
        self.frame.setAccessibleName("Frame")
        self.frame.setRange(scene.first, scene.last)
        self.frame.setValue(session.playhead.frame)
        self.number = Box()
        self.number.setAccessibleName("Number")
        self.number.addItem("no other number", None)
        base: ScenePath = ("falloffs", str(session.selection.falloff_id))
        for path, _ in edits.numbers_below(edits.get(scene, base), base):
            if path[-1] != "at_frame" and "ramp" not in path:
                self.number.addItem(session.document.name_of(path), path)
        find = link("Find the ways", "The falloff's time, the keys of what it looks at, and a number")
        find.clicked.connect(self.look)
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        rows = (
            ("What", (self.what, self.share, label("past strength", "soft"), self.strength)),
            ("On frame", (self.frame,)),
            ("Or change", (self.number,)),
            ("", (find,)),
        )
        for row, (name, widgets) in enumerate(rows):
            grid.addWidget(label(name, "soft"), row, 0)
            line = QHBoxLayout()
            line.setSpacing(8)
            for widget in widgets:
                line.addWidget(widget)
            line.addStretch(1)
            grid.addLayout(line, row, 1)
        grid.setColumnStretch(1, 1)
        self.what.currentIndexChanged.connect(lambda _: self.share.setVisible(self.what.currentData() is None))
        self.share.setVisible(self.what.currentData() is None)
        return grid

    def look(self) -> None:
        """Look for ways on a thread of its own; Esc cancels."""
        session = self._session
        aim = Aim(
            str(session.selection.shape_id),
            str(session.selection.falloff_id),
            self.strength.value(),
            self.share.value() / 100,
            self.what.currentData(),
        )
        project, frame, number = session.document.project, self.frame.value(), self.number.currentData()
        self._of = project
        self._start(
            "looking for ways to land",
            lambda progress: ways(project, aim, frame, number, progress),
            lambda found: self._show(project, frame, *found),
        )

    def _show(self, project: Project, frame: int, found: list[Way], trouble: str) -> None:
        if self._of is not project:
            return
        while self._results.count() > 1:
            row = self._results.takeAt(0).widget()
            if row is not None:
                remove_widget(row)
        most = max((value for way in found for _, value in way.course), default=1.0)
        for index, way in enumerate(found):
            self._results.insertWidget(index, self._row(way, frame, most))
        self.trouble.setText(trouble)
        self.trouble.setVisible(bool(trouble))

    def _row(self, way: Way, frame: int, most: float) -> QWidget:
        made = QWidget()
        row = QHBoxLayout(made)
        row.setContentsMargins(0, 2, 0, 2)
        row.setSpacing(16)
        row.addWidget(CoursePlot(self._session, way, frame, most))
        words = QVBoxLayout()
        words.setSpacing(0)
        words.addWidget(label(way.label, "strong" if way.scene is None else ""))
        lands = "not in this shot" if way.lands is None else f"first on {way.lands:.1f}"
        words.addWidget(label(lands, "soft"))
        row.addLayout(words, 1)
        if way.scene is not None:
            take = link("Take", "One step of undo")
            take.setFont(theme.font(12))
            take.setAccessibleName(f"Take {way.label}")
            take.clicked.connect(lambda: self._take(way))
            row.addWidget(take)
        return made

    def _take(self, way: Way) -> None:
        if way.scene is None or self._of is None or self._of.scene is not self._session.document.scene:
            self._session.messages.say("the scene has changed since: find the ways again", "warning")
            return
        self._session.document.commit(way.scene, f"Land: {way.label}")
        self._session.playhead.go(self.frame.value())
        self.closed.emit()
