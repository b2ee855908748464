"""Ramp: the current falloff's range and curve, or those of the picked layer where it has its own."""

from collections.abc import Hashable

from msgspec import structs
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from estompe.app import units
from estompe.app.session import Session
from estompe.app.widgets.fields import field, rule_of, shown_rules
from estompe.app.widgets.labels import Head, hairline, label, link
from estompe.app.widgets.panel import Panel
from estompe.app.widgets.ramp_plot import Curve, RampPlot
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.scene import EASED, Falloff, Layer, RampPoint, Range
from estompe.evaluation.frame import FEWEST_EDGES, Shown
from estompe.geometry import Domain
from estompe.kinds.numbers import plain, plain_triple
from estompe.setups.making import BAND

BOTH_WAYS = (RampPoint(0.0, 1.0, "linear"), RampPoint(1.0, -1.0, "linear"))
RAMP_FORMS: dict[str, tuple[tuple[RampPoint, ...], str]] = {
    "eased": (EASED, "From full to gone, softly"),
    "straight": (
        (RampPoint(0.0, 1.0, "linear"), RampPoint(1.0, 0.0, "linear")),
        "From full to gone in a straight line",
    ),
    "band": (BAND, "Nothing at both ends and full in the middle, for what appears at a front and goes again"),
    "both ways": (
        BOTH_WAYS,
        "From full through nothing to full the other way, for noise and other values of both signs",
    ),
}


class RampPanel(Panel):
    """Everything follows while a point or an end is dragged; a drag is one step."""

    marks_wanted = pyqtSignal()
    subdivision_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.plot: RampPlot | None = None
        self.head: Head | None = None
        self.refresh()

    @property
    def owner(self) -> Falloff | Layer | None:
        """Whose ramp is shown."""
        falloff = self.session.selection.falloff
        if falloff is None:
            return None
        layer = next((item for item in falloff.layers if item.id == self.session.selection.layer_id), None)
        return layer if layer is not None and layer.range is not None else falloff

    @property
    def points(self) -> tuple[RampPoint, ...]:
        """The points of the ramp that is shown."""
        return (self.owner.ramp or ()) if self.owner is not None else ()

    @property
    def path(self) -> ScenePath:
        """The path of whose ramp is shown."""
        base: ScenePath = ("falloffs", self.session.selection.falloff_id or "")
        return (*base, "layers", self.owner.id) if isinstance(self.owner, Layer) else base

    def structure(self) -> Hashable:
        owner = self.owner
        picked = self.plot.picked if self.plot is not None else 0
        swept = isinstance(owner, Falloff) and owner.passed is not None
        return None if owner is None else (self.path, len(self.points), picked, self.unit, swept)

    def build(self, layout: QVBoxLayout) -> None:
        picked = self.plot.picked if self.plot is not None else 0
        self.head = Head("Ramp")
        layout.addWidget(self.head)
        layout.addWidget(hairline())
        layout.addSpacing(6)
        owner = self.owner
        if owner is None:
            self.plot = None
            layout.addWidget(label("The curve from full to gone appears here.", "soft"))
            layout.addStretch(1)
            return
        self.plot = RampPlot()
        self.plot.picked = min(picked, len(self.points) - 1)
        self._connect(self.plot)
        layout.addWidget(self.plot)
        layout.addSpacing(4)
        # The ends are in the unit of what is measured, which need not be a length.
        ends = [structs.replace(rule_of(Range, name), unit=self.unit) for name in ("full", "gone")]
        self.fields = [field(self.session, (*self.path, "range", rule.name), rule) for rule in ends]
        point = (*self.path, "ramp", self.plot.picked)
        self.fields += [
            field(self.session, (*point, rule.name), rule) for rule in shown_rules(self.points[self.plot.picked])
        ]
        if isinstance(owner, Falloff):
            signed = field(self.session, (*self.path, "signed"), rule_of(Falloff, "signed"))
            if owner.passed is not None:
                passed = field(self.session, (*self.path, "passed"), rule_of(Falloff, "passed"))
                self.fields = [passed, signed, *self.fields]
        self.dense = label("", "soft", wrap=True)
        self.dense.setToolTip(
            "Edges of the mesh from full to gone, where the ramp is steepest; under three it falls between points"
        )
        layout.addWidget(self._links(owner))
        layout.addSpacing(4)
        for first in range(0, len(self.fields), 2):
            layout.addWidget(_pair(*self.fields[first : first + 2]))
        if isinstance(owner, Falloff) and owner.passed is None:
            self.fields.append(signed)
            layout.addWidget(_pair(signed, self.dense))
        else:
            layout.addWidget(self.dense)
        layout.addWidget(self._mending())

    def pull(self) -> None:
        owner = self.owner
        if owner is None or self.plot is None or owner.range is None:
            return
        signed = isinstance(owner, Falloff) and owner.signed
        now = edits.get(self.session.numbers.now, self.path)
        self.plot.show_curve(Curve(now.range, now.ramp, signed), self.unit)
        about = f"{owner.source.label.lower()} only, " if isinstance(owner, Layer) else ""
        self.head.about.setText(about + self._axis_words())

    def show_answer(self) -> None:
        if self.plot is None:
            return
        shown = self.session.evaluator.answer.current if self.session.evaluator.answer else None
        owner = self.owner
        if shown is None or owner is None or shown.falloff.id != self.session.selection.falloff_id:
            self.plot.show_values(None, None)
            return
        self._show_density(shown)
        if isinstance(owner, Falloff) and owner.passed is not None:
            self.plot.show_curve(Curve(shown.falloff.range, shown.falloff.ramp, owner.signed), self.unit)
        self.plot.show_values(shown, shown.values if isinstance(owner, Falloff) else shown.measured(owner.id))

    def _mending(self) -> QWidget:
        """What can be done where the mesh is too coarse."""
        self.mending = QWidget()
        row = QHBoxLayout(self.mending)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(14)
        mark = link("Mark where", "Ochre marks between the points that lie too far apart (Shift+D)")
        mark.clicked.connect(self.marks_wanted)
        self._split = split = link(
            "Subdivide there", "Splits faces where the ramp is steep, before the shape's effects"
        )
        split.clicked.connect(self.subdivision_wanted)
        row.addWidget(mark)
        row.addWidget(split)
        row.addStretch(1)
        self.mending.hide()
        return self.mending

    def _links(self, owner: Falloff | Layer) -> QWidget:
        """Whole curves to begin with; fitting the range, and sweeping it by one number."""
        made = QWidget()
        row = QHBoxLayout(made)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(10)
        for name, (points, text) in RAMP_FORMS.items():
            form = link(name, text)
            form.clicked.connect(lambda _, points=points, name=name: self._take_form(points, name))
            row.addWidget(form)
        row.addStretch(1)
        if isinstance(owner, Falloff):
            row.addWidget(self._fit(owner))
            row.addWidget(self._sweep(owner))
        return made

    def _fit(self, falloff: Falloff) -> QWidget:
        fit = link("fit", "Fit the range to what is measured on this shape")
        fit.clicked.connect(lambda: self.session.fitting.fit(falloff.id))
        return fit

    def _sweep(self, falloff: Falloff) -> QWidget:
        swept = falloff.passed is not None
        sweep = link(
            "no sweep" if swept else "sweep", "One number, 0 to 100 %, that sweeps the range over all that is measured"
        )
        words = f"{'No sweep of' if swept else 'Sweep'} {falloff.name}"
        path = (*self.path, "passed")
        sweep.clicked.connect(lambda: self.session.document.put(path, None if swept else 0.5, words))
        return sweep

    def _take_form(self, points: tuple[RampPoint, ...], name: str) -> None:
        if self.plot is not None:
            self.plot.picked = 0
        scene = edits.put(self.session.document.scene, (*self.path, "ramp"), points)
        if points is BOTH_WAYS and isinstance(self.owner, Falloff):
            scene = edits.put(scene, (*self.path, "signed"), True)
        self.session.document.commit(scene, f"Make the ramp {name}")

    def _show_density(self, shown: Shown) -> None:
        """Whether there are enough elements across the ramp."""
        edges = shown.edges_across
        coarse = edges < FEWEST_EDGES
        words = f"{edges:.1f}".replace("-", "−") if edges < 1000 else "many"
        of_points = shown.domain is Domain.POINT
        text = f"{words} {'edges' if of_points else 'steps'} across"
        if coarse:
            text += f" the ramp: too few, it falls between {units.plural(shown.word)}"
        self.dense.setText(text)
        self.mending.setVisible(coarse)
        self._split.setVisible(of_points)
        role = "warning" if coarse else "soft"
        if self.dense.property("role") != role:
            self.dense.setProperty("role", role)
            self.dense.style().polish(self.dense)

    @property
    def unit(self) -> str:
        """The unit of the values along the ramp: that of the first thing measured."""
        owner = self.owner
        if isinstance(owner, Layer):
            return owner.source.unit()
        layers = [layer for layer in owner.layers if layer.enabled] if owner else []
        if not layers or layers[0].range is not None:
            return ""
        return layers[0].source.unit()

    def _axis_words(self) -> str:
        if self.unit != "length":
            return {"degrees": "degrees"}.get(self.unit, "value")
        layers = self.owner.layers if isinstance(self.owner, Falloff) else (self.owner,)
        control = getattr(layers[0].source, "control", None)
        unit = units.named("length")
        for item in self.session.numbers.now.controls:
            if item.id == control:
                sizes = plain_triple(item.transform.scale)
                if any(abs(size - 1.0) > 1e-4 for size in sizes):
                    factor = f"× {sizes[0]:.2f}" if max(sizes) - min(sizes) < 1e-4 else "scaled"
                    return f"{layers[0].source.label.lower()}, {item.name}'s {unit} ({factor})"
        return f"{layers[0].source.label.lower()}, {unit}"

    def _connect(self, plot: RampPlot) -> None:
        plot.range_dragged.connect(self._drag_end)
        plot.point_dragged.connect(self._drag_point)
        plot.point_added.connect(self._add_point)
        plot.point_removed.connect(self._remove_point)
        plot.point_shaped.connect(lambda i, shape: self._put_point(i, "interpolation", shape))
        plot.point_picked.connect(lambda _: self.refresh_fields())
        plot.released.connect(self.session.document.end_gesture)

    def refresh_fields(self) -> None:
        """Let the number fields show the picked point."""
        for item in self.fields:
            if item.path[-3:-2] == ("ramp",):
                item.path = (*self.path, "ramp", self.plot.picked, item.path[-1])
            item.pull()
        self._built = self.structure()

    def _drag_end(self, end: str, value: float) -> None:
        words = {"full": "full within", "gone": "gone beyond"}[end]
        name = self.session.document.name_of(self.path)
        self.session.numbers.set_number((*self.path, "range", end), value, f"Set {name} {words}", ("range", end))

    def _drag_point(self, index: int, position: float, value: float) -> None:
        point = (*self.path, "ramp", index)
        label_text = f"Move ramp point of {self.session.document.name_of(self.path)}"
        numbers = [((*point, "position"), position), ((*point, "value"), value)]
        self.session.numbers.set_numbers(numbers, label_text, ("ramp", index))

    def _add_point(self, position: float, value: float) -> None:
        index = sum(plain(point.position) <= position for point in edits.get(self.session.numbers.now, self.path).ramp)
        scene = edits.insert(self.session.document.scene, (*self.path, "ramp"), RampPoint(position, value), index)
        self.plot.picked = index
        self.session.document.commit(scene, f"Add ramp point to {self.session.document.name_of(self.path)}")

    def _remove_point(self, index: int) -> None:
        if len(self.points) < 2:
            self.session.messages.say("a ramp keeps at least one point", "warning")
            return
        scene = edits.remove(self.session.document.scene, (*self.path, "ramp", index))
        self.session.document.commit(scene, f"Remove ramp point of {self.session.document.name_of(self.path)}")

    def _put_point(self, index: int, part: str, value: object) -> None:
        self.session.document.put(
            (*self.path, "ramp", index, part), value, f"Shape ramp of {self.session.document.name_of(self.path)}"
        )


def _pair(*items: QWidget) -> QWidget:
    """Two fields side by side."""
    made = QWidget()
    row = QHBoxLayout(made)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(10)
    for item in items:
        row.addWidget(item, 1)
    return made
