"""Measure: the current falloff's layers, from top to bottom."""

from collections.abc import Hashable
from typing import Any

from msgspec import structs
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QPainter, QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from estompe.app import icons, units
from estompe.app.fields.settings import SettingsField, entry_name
from estompe.app.panels.problems import Problems
from estompe.app.panels.thumbnail import HEIGHT, WIDTH, layer_picture
from estompe.app.session import Session
from estompe.app.widgets.fields import column, field, rule_of, shown_rules
from estompe.app.widgets.labels import Elided, Head, hairline, icon_button, label, link
from estompe.app.widgets.panel import Panel
from estompe.app.widgets.rows import Draggable
from estompe.document import edits
from estompe.document.references import REFERENCES
from estompe.document.scene import EASED, Falloff, Layer, Range
from estompe.falloffs.joining import JOINS
from estompe.falloffs.ramp import first_range
from estompe.geometry.samples import samples_of
from estompe.kinds.kind import Source
from estompe.kinds.numbers import Formula, Number, plain
from estompe.kinds.registry import kinds
from estompe.setups.adding import Place, add_falloff, add_source


class LayerRow(Draggable):
    """A layer in one line: its picture, how it joins, its kind, and what it looks at."""

    def __init__(self, layer: Layer, first: bool, about: str) -> None:
        super().__init__()
        self.setFixedHeight(34)
        self.setAccessibleName(layer.source.label)
        self.setProperty("entry", entry_name(layer.source))
        self.picture = QLabel()
        self.picture.setFixedSize(WIDTH, HEIGHT)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        row.addWidget(self.picture)
        if not first:
            sign = label(JOINS[layer.join].sign, "strong")
            sign.setToolTip(JOINS[layer.join].words)
            sign.setStyleSheet(f"color: {icons.current_theme().chalk}; font-weight: 600;")
            row.addWidget(sign)
        name = f"1 − {layer.source.label}" if layer.one_minus else layer.source.label
        row.addWidget(label(name, "" if layer.enabled else "soft"))
        self.about = Elided(about, "soft")
        self.about.setAlignment(Qt.AlignmentFlag.AlignRight)
        row.addWidget(self.about, 1)

    def paintEvent(self, event) -> None:
        del event
        if self.hasFocus() or self.underMouse():
            painter = QPainter(self)
            painter.fillRect(self.rect(), icons.current_theme().color("raised"))


class MeasurePanel(Panel):
    """What the current falloff measures."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.rows: dict[str, LayerRow] = {}
        self.problems = Problems()
        self._remembered: tuple[str, QLabel] | None = None
        session.past.changed.connect(self._show_past)
        self.refresh()

    def structure(self) -> Hashable:
        falloff = self.session.selection.falloff
        if falloff is None:
            return None
        layers = tuple(
            (layer.id, type(layer.source), layer.join, layer.one_minus, layer.enabled, layer.range is None)
            for layer in falloff.layers
        )
        scene = self.session.document.scene
        names = tuple((item.id, item.name) for item in scene.controls)
        names += tuple((item.id, item.name) for item in scene.falloffs)
        timed = falloff.at_frame is not None
        return falloff.id, falloff.name, layers, self.session.selection.layer_id, names, timed

    def build(self, layout: QVBoxLayout) -> None:
        falloff = self.session.selection.falloff
        head = Head("Measure", falloff.name if falloff else "")
        head.about.setStyleSheet(f"color: {icons.current_theme().slate};")
        layout.addWidget(head)
        layout.addWidget(hairline())
        self.rows, self.problems, self._remembered = {}, Problems(), None
        if falloff is None:
            layout.addWidget(
                label(
                    "A falloff measures something on each point, such as the distance to a control.", "soft", wrap=True
                )
            )
            add = link("Add a falloff")
            add.clicked.connect(self.add_falloff)
            layout.addWidget(add)
            return
        for index, layer in enumerate(falloff.layers):
            self._build_layer(layout, falloff, layer, index)
        layout.addWidget(self.problems.label())
        add = link("Add a layer", "Measure something more and join it")
        add.clicked.connect(lambda: self.session.palette_wanted.emit("source"))
        layout.addWidget(add)
        self._build_time(layout, falloff)

    def _build_time(self, layout: QVBoxLayout, falloff: Falloff) -> None:
        """The frame the falloff is taken from, and ways to begin with."""
        path = ("falloffs", falloff.id, "at_frame")
        words = QWidget()
        row = QHBoxLayout(words)
        row.setContentsMargins(0, 4, 0, 0)
        row.setSpacing(12)
        if falloff.at_frame is not None:
            made = field(self.session, path, rule_of(Falloff, "at_frame"))
            self.fields.append(made)
            layout.addWidget(hairline())
            layout.addWidget(made)
        else:
            row.addWidget(label("retime", "soft"))
        for name, (text, number) in self._times().items():
            if (number is None) != (falloff.at_frame is None):
                choice = link(name, text)
                choice.clicked.connect(
                    lambda _, name=name, number=number: self.session.document.put(
                        path, number, f"Take {falloff.name} {name}"
                    )
                )
                row.addWidget(choice)
        row.addStretch(1)
        layout.addWidget(words)

    def _times(self) -> dict[str, tuple[str, Number | None]]:
        """Ways to take a falloff from another frame: what each does, and its number."""
        scene = self.session.document.scene
        first, last, now = scene.first, scene.last, self.session.playhead.frame
        return {
            "now": ("Take it as it is on the current frame again", None),
            "earlier": ("As it was 12 frames ago", Formula("frame - 12")),
            "slower": ("At half its speed from the first frame on", Formula(f"{first} + (frame - {first}) / 2")),
            "backwards": ("From its end to its start", Formula(f"{first + last} - frame")),
            "held": ("As it is on this frame, to be keyed", float(now)),
        }

    def _show_past(self) -> None:
        """What the opened layer says about its memory."""
        if self._remembered is not None:
            layer, words = self._remembered
            text = self.session.past.about(layer)
            words.setText(text)
            words.setVisible(bool(text))

    def pull(self) -> None:
        falloff = self.session.selection.falloff
        for layer in falloff.layers if falloff else ():
            if layer.id in self.rows:
                self.rows[layer.id].about.setText(self._about(layer))

    def show_answer(self) -> None:
        answer = self.session.evaluator.answer
        if answer is not None:
            self.problems.show(answer.frame.problems, ("falloffs", self.session.selection.falloff_id or ""))
        shown = answer.current if answer else None
        if (
            shown is None
            or self.session.selection.falloff is None
            or shown.falloff.id != self.session.selection.falloff.id
        ):
            return
        points = samples_of(shown.mesh, shown.domain).positions
        for layer in shown.falloff.layers:
            if layer.id in self.rows and layer.enabled:
                values = shown.layer_values(layer.id)
                if values is not None and len(values) == len(points):
                    falling = (
                        layer.range is None and layer.source.unit() == "length" and shown.falloff.layers[0] is layer
                    )
                    self.rows[layer.id].picture.setPixmap(QPixmap.fromImage(layer_picture(points, values, falling)))

    def add_falloff(self) -> None:
        """Add a falloff without layers and make it current."""
        scene, made = add_falloff(self.session.document.scene)
        self.session.document.commit(scene, "Add falloff")
        self.session.selection.choose_falloff(made)

    def add_layer(self, kind: str, place: Place | None = None, new: bool = False) -> None:
        """Add a layer to the current falloff, or to a new one, and open it; what it needs is made with it, in one step.

        place: where that is made; new: whether the falloff is a new one in any case.
        """
        document, selection, fitting = self.session.document, self.session.selection, self.session.fitting
        falloff = None if new else selection.falloff
        try:
            added = add_source(
                document.scene, kind, None if falloff is None else falloff.id, selection.shape_id or "", place
            )
        except LookupError as error:
            self.session.messages.say(str(error), "error")
            return
        fits = falloff is None or (not falloff.layers and fitting.is_untouched(falloff.id))
        name = edits.get(added.scene, ("falloffs", added.falloff)).name
        label_text, merge_key = f"Add {kinds(Source)[kind].label} to {name}", ("fit", added.falloff)
        selection.falloff_id, selection.layer_id = added.falloff, added.layer
        if added.control:
            selection.picked = ("controls", added.control)
        document.end_gesture()
        document.commit(added.scene, label_text, merge_key)
        if fits:
            fitting.expect(added.falloff, label_text, merge_key)
            self.session.evaluator.ask()
        selection.choose_falloff(added.falloff, added.layer)

    def _reveal(self, layer: str) -> None:
        """Show an opened layer with its settings."""
        if layer in self.rows:
            self.reveal(self.problems.labels.get(layer))
            self.reveal(self.rows[layer])

    def open_layer(self, layer: str | None) -> None:
        """Open a layer's settings in place, or close them."""
        same = layer == self.session.selection.layer_id
        self.session.selection.choose_falloff(self.session.selection.falloff_id or "", None if same else layer)

    def _build_layer(self, layout: QVBoxLayout, falloff: Falloff, layer: Layer, index: int) -> None:
        row = LayerRow(layer, index == 0, self._about(layer))
        row.carries = ("falloffs", falloff.id, "layers", layer.id)
        row.picked.connect(lambda: self.open_layer(layer.id))
        row.moved.connect(lambda steps: self._move(falloff, layer, steps))
        self.rows[layer.id] = row
        layout.addWidget(row)
        if layer.id == self.session.selection.layer_id:
            opened = self._settings(falloff, layer, index)
            layout.addWidget(opened)
            QTimer.singleShot(0, lambda: self._reveal(layer.id))
        layout.addWidget(self.problems.label(layer.id))
        layout.addWidget(hairline())

    def _settings(self, falloff: Falloff, layer: Layer, index: int) -> QWidget:
        path = ("falloffs", falloff.id, "layers", layer.id)
        made: list[Any] = [SettingsField(self.session, (*path, "source"))]
        if index > 0:
            made.append(field(self.session, (*path, "join"), rule_of(Layer, "join")))
        made.append(field(self.session, (*path, "one_minus"), rule_of(Layer, "one_minus")))
        self.fields += made
        tools = QWidget()
        row = QHBoxLayout(tools)
        row.setContentsMargins(0, 2, 0, 2)
        own = link("use the falloff's ramp" if layer.range else "give it a ramp of its own")
        own.clicked.connect(lambda: self._toggle_own_ramp(path, layer))
        row.addWidget(own, 1)
        eye = icon_button(
            "eye" if layer.enabled else "eye-off", "Switch layer off" if layer.enabled else "Switch layer on"
        )
        eye.clicked.connect(
            lambda: self.session.document.put((*path, "enabled"), not layer.enabled, f"Switch {layer.source.label}")
        )
        remove = icon_button("remove", "Remove layer")
        remove.clicked.connect(lambda: self._remove(path, layer))
        row.addWidget(eye)
        row.addWidget(remove)
        remembered = label("", "soft", wrap=True)
        self._remembered = layer.id, remembered
        self._show_past()
        return column(*made, remembered, tools, margins=(34, 0, 0, 6))

    def _toggle_own_ramp(self, path: edits.ScenePath, layer: Layer) -> None:
        within: Range | None = None if layer.range else first_range(layer.source)
        changed = structs.replace(
            edits.get(self.session.document.scene, path), range=within, ramp=EASED if within else None
        )
        self.session.document.put(path, changed, f"{'Own' if within else 'No own'} ramp for {layer.source.label}")

    def _remove(self, path: edits.ScenePath, layer: Layer) -> None:
        self.session.document.commit(edits.remove(self.session.document.scene, path), f"Remove {layer.source.label}")

    def _move(self, falloff: Falloff, layer: Layer, steps: int) -> None:
        index = max(0, min(len(falloff.layers) - 1, falloff.layers.index(layer) + steps))
        scene = edits.reorder(self.session.document.scene, ("falloffs", falloff.id, "layers", layer.id), index)
        self.session.document.commit(scene, f"Reorder {layer.source.label}")

    def _about(self, layer: Layer) -> str:
        """What a layer looks at, or its first number."""
        source = edits.get(
            self.session.numbers.now,
            ("falloffs", self.session.selection.falloff_id or "", "layers", layer.id, "source"),
        )
        for rule in shown_rules(source):
            value = getattr(source, rule.name)
            if rule.refers in REFERENCES and rule.type != "parts":
                named = REFERENCES[rule.refers].candidates(self.session.document.scene)
                return next((item.name for item in named if item.id == value), "missing")
            if rule.type in ("choice", "text") and rule.editor not in ("mask", "members"):
                return str(value)
            if rule.type == "number":
                return units.shown(plain(value), rule.unit)
        return ""
