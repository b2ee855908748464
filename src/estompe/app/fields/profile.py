"""A profile: a small ramp of its own inside an effect's card."""

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from estompe.app.session import Session
from estompe.app.widgets.fields import field_for
from estompe.app.widgets.labels import label
from estompe.app.widgets.ramp_plot import Curve, RampPlot
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.scene import RampPoint, Range
from estompe.kinds.numbers import plain
from estompe.kinds.settings import Setting


@field_for("profile")
class ProfileField(QWidget):
    """Everything follows while a point is dragged; a drag is one step."""

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__()
        self.session, self.path, self.rule = session, path, rule
        self.plot = RampPlot(fixed_range=True)
        self.plot.setMinimumHeight(104)
        self.plot.setAccessibleName(rule.label)
        self.plot.point_dragged.connect(self._drag)
        self.plot.point_added.connect(self._add)
        self.plot.point_removed.connect(self._remove)
        self.plot.point_shaped.connect(lambda i, shape: self._put((i, "interpolation"), shape))
        self.plot.released.connect(session.document.end_gesture)
        column = QVBoxLayout(self)
        column.setContentsMargins(4, 2, 0, 2)
        column.setSpacing(2)
        name = label(rule.label, "soft")
        name.setToolTip(rule.text)
        column.addWidget(name)
        column.addWidget(self.plot)
        self.pull()

    def pull(self) -> None:
        if edits.exists(self.session.numbers.now, self.path):
            self.plot.show_curve(
                Curve(Range(0.0, 1.0), edits.get(self.session.numbers.now, self.path), False), "fraction"
            )

    def _put(self, below: ScenePath, value: object) -> None:
        self.session.document.put((*self.path, *below), value, f"Shape {self.session.document.name_of(self.path)}")

    def _drag(self, index: int, position: float, value: float) -> None:
        point = (*self.path, index)
        numbers = [((*point, "position"), position), ((*point, "value"), value)]
        self.session.numbers.set_numbers(
            numbers, f"Shape {self.session.document.name_of(self.path)}", ("profile", self.path, index)
        )

    def _add(self, position: float, value: float) -> None:
        points = edits.get(self.session.numbers.now, self.path)
        index = sum(plain(point.position) <= position for point in points)
        scene = edits.insert(self.session.document.scene, self.path, RampPoint(position, value), index)
        self.plot.picked = index
        self.session.document.commit(scene, f"Add point to {self.session.document.name_of(self.path)}")

    def _remove(self, index: int) -> None:
        if len(edits.get(self.session.document.scene, self.path)) < 2:
            self.session.messages.say("a profile keeps at least one point", "warning")
            return
        self.session.document.commit(
            edits.remove(self.session.document.scene, (*self.path, index)),
            f"Remove point of {self.session.document.name_of(self.path)}",
        )
