"""Drive: the current shape's effects in the order they run, each a card that opens in place."""

from collections.abc import Hashable

from msgspec import structs
from PyQt6.QtCore import QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QFont, QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from estompe.app import editing, icons, theme, units
from estompe.app.fields.settings import SettingsField, entry_name
from estompe.app.panels.problems import Problems
from estompe.app.session import Session
from estompe.app.widgets.fields import column, field, rule_of
from estompe.app.widgets.labels import Head, hairline, icon_button, label, link
from estompe.app.widgets.panel import Panel
from estompe.app.widgets.rows import Draggable
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.scene import EffectSlot, Route, Shape
from estompe.evaluation.background.answers import Answer
from estompe.evaluation.planning.pace import spent
from estompe.falloffs.joining import JOINS
from estompe.geometry import Geometry
from estompe.geometry.volumes.solid import rounded, voxels_told
from estompe.kinds.kind import Effect, ShapeSource
from estompe.kinds.numbers import plain
from estompe.kinds.registry import kinds
from estompe.setups.adding import Place, add_effect, add_shape


class Chip(QWidget):
    """A falloff that feeds an effect, how much, and whether one minus; inked when it is the current one."""

    clicked = pyqtSignal()

    def __init__(self, text: str, inked: bool) -> None:
        super().__init__()
        self.text, self.inked = text, inked
        self.setAccessibleName(text)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip("Make this falloff current")
        metrics_font = theme.font(11)
        self.setFont(metrics_font)
        self.setStyleSheet("font-size: 11px;")
        self.setMinimumWidth(40)
        self.setMaximumWidth(self.fontMetrics().horizontalAdvance(text) + 26)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(20)

    def sizeHint(self) -> QSize:
        return QSize(self.maximumWidth(), 20)

    def mousePressEvent(self, event) -> None:
        self.clicked.emit()
        event.accept()

    def paintEvent(self, event) -> None:
        del event
        t = icons.current_theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(t.color("chalk" if self.inked else "hairline"), 1.2))
        painter.setBrush(t.color("raised"))
        painter.drawRoundedRect(self.rect().toRectF().adjusted(1, 1, -1, -1), 9, 9)
        painter.setFont(theme.font(11, QFont.Weight.DemiBold if self.inked else QFont.Weight.Normal))
        painter.setPen(t.color("chalk" if self.inked else "soft"))
        text = painter.fontMetrics().elidedText(self.text, Qt.TextElideMode.ElideRight, self.width() - 12)
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)


class EffectCard(Draggable):
    """An effect in one line: its number, kind, chips, and the mesh after it."""

    def __init__(self, number: int, effect: EffectSlot, opened: bool) -> None:
        super().__init__()
        self.setFixedHeight(34)
        self.setAccessibleName(effect.effect.label)
        self.setProperty("entry", entry_name(effect.effect))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        order = label(str(number), "soft")
        order.setFixedWidth(14)
        row.addWidget(order)
        row.addWidget(label(effect.effect.label, "strong" if opened else "" if effect.enabled else "soft"))
        self.chips = QHBoxLayout()
        self.chips.setSpacing(4)
        row.addLayout(self.chips, 1)
        self.points = label("", "soft")
        row.addWidget(self.points)

    def paintEvent(self, event) -> None:
        del event
        if self.hasFocus() or self.underMouse():
            painter = QPainter(self)
            painter.fillRect(self.rect(), icons.current_theme().color("raised"))


class DrivePanel(Panel):
    """What happens to the current shape."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.cards: dict[str, EffectCard] = {}
        self.opened: str | None = None
        self._opened_settings: QWidget | None = None
        self.problems = Problems()
        self._summary: QLabel | None = None
        self.refresh()

    def structure(self) -> Hashable:
        shape = self.session.selection.shape
        if shape is None:
            return None
        effects = tuple(
            (
                effect.id,
                type(effect.effect),
                effect.enabled,
                effect.acts_on,
                tuple((r.falloff, r.join, r.one_minus) for r in effect.routes),
            )
            for effect in shape.effects
        )
        names = tuple((item.id, item.name) for item in self.session.document.scene.falloffs)
        return shape.id, shape.name, effects, names, self.session.selection.falloff_id, self.opened

    def build(self, layout: QVBoxLayout) -> None:
        shape = self.session.selection.shape
        head = Head("Drive", shape.name if shape else "")
        head.about.setStyleSheet(f"color: {icons.current_theme().slate};")
        layout.addWidget(head)
        layout.addWidget(hairline())
        self.cards, self._summary, self.problems = {}, None, Problems()
        self._opened_settings = None
        if shape is None:
            layout.addWidget(label("Effects of the current shape appear here.", "soft", wrap=True))
            return
        for index, effect in enumerate(shape.effects):
            self._build_card(layout, shape, effect, index)
        layout.addWidget(self.problems.label())
        self._show_edges = link("Show the open edges", "Mark them in the view")
        self._show_edges.clicked.connect(self.show_open_edges)
        self._show_edges.hide()
        layout.addWidget(self._show_edges)
        self._close_holes = link("Close its flat holes", "Give each flat opening a lid before this effect")
        self._close_holes.clicked.connect(self.close_holes)
        self._close_holes.hide()
        layout.addWidget(self._close_holes)
        add = link("Add an effect", "Something that happens to the shape, as strongly as the current falloff says")
        add.clicked.connect(lambda: self.session.palette_wanted.emit("effect"))
        layout.addWidget(add)

    def pull(self) -> None:
        shape = self.session.selection.shape
        for effect in edits.get(self.session.numbers.now, ("shapes", shape.id)).effects if shape else ():
            card = self.cards.get(effect.id)
            if card is not None:
                for index, route in enumerate(effect.routes):
                    chip = card.chips.itemAt(index).widget()
                    if chip.text != self._chip_text(index, route):
                        chip.text = self._chip_text(index, route)
                        chip.update()

    def show_answer(self) -> None:
        answer, shape = self.session.evaluator.answer, self.session.selection.shape
        if answer is None or shape is None or not answer.frame.has(shape.id):
            return
        points = answer.frame.points_after(shape.id)
        for effect, (count, word) in answer.frame.counts_after(shape.id).items():
            if effect in self.cards:
                named = "" if word == "points" else f" {word if count != 1 else word[:-1]}"
                self.cards[effect].points.setText(f"{units.counted(count)}{named}")
                self.cards[effect].points.setToolTip(f"After this effect: {units.counted(points[effect])} points")
        self._show_summary(answer, shape)
        self.problems.show(answer.frame.problems, ("shapes", shape.id))
        # The problem is often an open mesh; without a problem, edges are not counted on this thread.
        wrong = any(item.path[:2] == ("shapes", shape.id) for item in answer.frame.problems)
        mesh = answer.frame[shape.id]
        is_open = wrong and mesh.component != "copies" and not mesh.topology.closed
        self._show_edges.setVisible(is_open)
        self._close_holes.setVisible(is_open and self._needs_lids(answer, shape) is not None)

    def _show_summary(self, answer: Answer, shape: Shape) -> None:
        """What the opened effect has to say about its result."""
        effect = next((item for item in answer.frame.shape(shape.id).effects if item.id == self.opened), None)
        after = answer.frame.after(shape.id, effect.id) if effect is not None else None
        if self._summary is not None and effect is not None:
            words = effect.effect.summary(after) if after is not None else "switched off"
            if effect.effect.asks_places and after is not None:
                words = self._with_costs(words, answer, shape, effect, after)
            made_real = answer.frame.made_real(shape.id).get(effect.id)
            if made_real is not None:
                copies, points = (units.counted(count) for count in made_real)
                words = f"makes {copies} copies real: {points} points" + (f"; {words}" if words else "")
            remembered = self.session.past.about(effect.id)
            if remembered:
                words = f"{words}; {remembered}" if words else remembered
            self._summary.setText(words)
            self._summary.setVisible(bool(words))

    @staticmethod
    def _with_costs(words: str, answer: Answer, shape: Shape, effect: EffectSlot, after: Geometry) -> str:
        """What an effect on volumes took, and whether its voxels show what drives it."""
        took = spent(effect.id)
        if took is not None:
            words += f"; {took[0]:.1f} s anew, {took[1]:.2f} s where only its last numbers change"
        told, detail = voxels_told(after), answer.frame.detail_for(shape.id, effect.id)
        if told is not None and detail is not None and told[0] > 0.5 * detail:
            fine, would = units.shown(detail, "length"), units.shown(rounded(detail / 3.0), "length")
            words += f"; its falloffs have detail of {fine}, which voxels of {would} would show"
        return words

    def show_open_edges(self) -> None:
        """Mark the open edges of the current shape in the view, or no more."""
        session, shape = self.session, self.session.selection.shape
        if session.evaluator.answer is None or shape is None or not session.evaluator.answer.frame.has(shape.id):
            return
        mesh = session.evaluator.answer.frame[shape.id]
        marked = session.selection.marked_edges is not None
        session.selection.mark_edges(None if marked else mesh.points[mesh.topology.open_edges])

    @staticmethod
    def _needs_lids(answer: Answer, shape: Shape) -> str | None:
        """The first effect with a problem that could close flat holes, and does not."""
        wrong = {
            item.path[3]
            for item in answer.frame.problems
            if item.path[:2] == ("shapes", shape.id) and len(item.path) > 3
        }
        found = (slot.id for slot in shape.effects if slot.id in wrong and getattr(slot.effect, "close", None) is False)
        return next(found, None)

    def close_holes(self) -> None:
        """Let the effect that found the mesh open close its flat holes."""
        answer, shape = self.session.evaluator.answer, self.session.selection.shape
        effect = self._needs_lids(answer, shape) if answer is not None and shape is not None else None
        if shape is not None and effect is not None:
            path: ScenePath = ("shapes", shape.id, "effects", effect, "effect", "close")
            self.session.document.put(path, True, f"Close the flat holes of {shape.name}")

    def add_effect(self, kind: str, place: Place | None = None) -> None:
        """Add an effect to the current shape and open it, in one step.

        place: where a control or shape is made that it needs, a sphere to act on if nothing is chosen.
        """
        document, selection = self.session.document, self.session.selection
        scene, shape = document.scene, "" if selection.shape is None else selection.shape.id
        if not shape:
            if place is None:
                self.session.messages.say("choose a shape first: an effect needs one", "error")
                return
            scene, shape = add_shape(scene, "Sphere", kinds(ShapeSource)["sphere"](place.size))
        try:
            scene, made = add_effect(scene, shape, kind, selection.falloff_id, place)
        except LookupError as error:
            self.session.messages.say(str(error), "error")
            return
        self.opened = made
        QTimer.singleShot(0, self._reveal)
        name = edits.get(scene, ("shapes", shape)).name
        controls = {item.id for item in document.scene.controls}
        document.commit(scene, f"Add {kinds(Effect)[kind].label} to {name}")
        if selection.shape_id != shape:
            selection.choose_shape(shape)
        new = [item.id for item in document.scene.controls if item.id not in controls]
        if new:
            # Its handles are at hand at once.
            selection.choose_control(new[-1])

    def open_card(self, effect: str) -> None:
        """Open a card's settings in place, or close them."""
        self.opened = None if self.opened == effect else effect
        self._pick_pivot()
        self._mark_opened()
        self.refresh()
        QTimer.singleShot(0, self._reveal)

    def _reveal(self) -> None:
        """Show the opened card with its settings, its head rather than its end."""
        self.reveal(self._opened_settings)
        self.reveal(self.cards.get(self.opened or ""))

    def _pick_pivot(self) -> None:
        """Let the handles act on the opened effect's pivot, if it has one; else on the shape again."""
        shape = self.session.selection.shape
        if shape is None:
            return
        path: ScenePath = ("shapes", shape.id, "effects", self.opened or "")
        slot = next((item for item in shape.effects if item.id == self.opened), None)
        if slot is not None and slot.effect.pivot_setting:
            self.session.selection.choose_part(path)
        elif "effects" in self.session.selection.picked:
            self.session.selection.choose_part(("shapes", shape.id))

    def _mark_opened(self) -> None:
        """The opened effect is what was picked last; its shape is, once it is closed."""
        shape = self.session.selection.shape
        if shape is not None:
            inner: ScenePath = ("effects", self.opened) if self.opened is not None else ()
            self.session.selection.mark_last(("shapes", shape.id, *inner))

    def _build_card(self, layout: QVBoxLayout, shape: Shape, effect: EffectSlot, index: int) -> None:
        card = EffectCard(index + 1, effect, effect.id == self.opened)
        path: ScenePath = ("shapes", shape.id, "effects", effect.id)
        card.carries, card.takes = path, lambda carried, _copies: self._take(path, carried)
        card.picked.connect(lambda: self.open_card(effect.id))
        card.moved.connect(lambda steps: self._move(shape, effect, steps))
        for number, route in enumerate(edits.get(self.session.numbers.now, (*path, "routes"))):
            chip = Chip(self._chip_text(number, route), route.falloff == self.session.selection.falloff_id)
            chip.clicked.connect(lambda falloff=route.falloff: self._choose(falloff))
            card.chips.addWidget(chip)
        card.chips.addStretch(1)
        self.cards[effect.id] = card
        layout.addWidget(card)
        if effect.id == self.opened:
            self._opened_settings = self._settings(shape, effect)
            layout.addWidget(self._opened_settings)
        layout.addWidget(self.problems.label(effect.id))
        layout.addWidget(hairline())

    def _take(self, path: ScenePath, carried: ScenePath) -> bool:
        """Let a falloff that is dropped on a card drive its effect."""
        if carried[:1] != ("falloffs",) or len(carried) != 2:
            return False
        editing.feed(self.session, path, str(carried[1]))
        return True

    def _settings(self, shape: Shape, effect: EffectSlot) -> QWidget:
        path: ScenePath = ("shapes", shape.id, "effects", effect.id)
        made = SettingsField(self.session, (*path, "effect"))
        self.fields.append(made)
        parts: list[QWidget] = [made, *self._acting(path, effect)]
        for index, route in enumerate(effect.routes):
            parts.append(self._route(path, index, route))
        self._summary = label("", "soft", wrap=True)
        parts += [self._summary, self._tools(path, effect)]
        return column(*parts, margins=(20, 0, 0, 6))

    def _acting(self, path: ScenePath, effect: EffectSlot) -> list[QWidget]:
        """Fields for what an effect acts on, where it has a choice."""
        able = effect.effect.able()
        made = []
        if len(able) > 1:
            rule = structs.replace(rule_of(EffectSlot, "acts_on"), choices=able)
            made.append(field(self.session, (*path, "acts_on"), rule))
        if effect.effect.own_axes and effect.acts_on != "points":
            made.append(field(self.session, (*path, "each"), rule_of(EffectSlot, "each")))
        self.fields += made
        return made

    def _route(self, path: ScenePath, index: int, route: Route) -> QWidget:
        base = (*path, "routes", index)
        names = ("falloff", "amount", "join", "one_minus") if index else ("falloff", "amount", "one_minus")
        made = [field(self.session, (*base, name), rule_of(Route, name)) for name in names]
        self.fields += made
        head = QWidget()
        row = QHBoxLayout(head)
        row.setContentsMargins(4, 4, 0, 0)
        row.addWidget(label("fed by" if index == 0 else "and by", "soft"), 1)
        remove = icon_button("remove", "Remove route")
        remove.clicked.connect(lambda: self._remove_route(base))
        row.addWidget(remove)
        del route
        return column(head, *made)

    def _tools(self, path: ScenePath, effect: EffectSlot) -> QWidget:
        tools = QWidget()
        row = QHBoxLayout(tools)
        row.setContentsMargins(4, 4, 0, 0)
        feed = link("Feed by the current falloff")
        feed.setEnabled(self.session.selection.falloff_id is not None)
        feed.clicked.connect(lambda: editing.feed(self.session, path, self.session.selection.falloff_id or ""))
        row.addWidget(feed, 1)
        eye = icon_button(
            "eye" if effect.enabled else "eye-off", "Switch effect off" if effect.enabled else "Switch effect on"
        )
        eye.clicked.connect(lambda: self._toggle(path, effect))
        solo = icon_button("solo", "Only this effect")
        solo.clicked.connect(lambda: self._solo(path))
        copy = icon_button("copy", "Duplicate effect")
        copy.clicked.connect(lambda: editing.duplicate(self.session, [path]))
        row.addWidget(solo)
        row.addWidget(copy)
        remove = icon_button("remove", "Remove effect")
        remove.clicked.connect(lambda: editing.remove(self.session, [path]))
        row.addWidget(eye)
        row.addWidget(remove)
        return tools

    def _chip_text(self, index: int, route: Route) -> str:
        name = next((item.name for item in self.session.document.scene.falloffs if item.id == route.falloff), "missing")
        sign = "" if index == 0 else f"{JOINS[route.join].sign} "
        amount = units.shown(plain(route.amount), "fraction")
        return f"{sign}{'1 − ' if route.one_minus else ''}{name} {amount}"

    def _choose(self, falloff: str) -> None:
        if falloff in {item.id for item in self.session.document.scene.falloffs}:
            self.session.selection.choose_falloff(falloff)

    def _toggle(self, path: ScenePath, effect: EffectSlot) -> None:
        words = "off" if effect.enabled else "on"
        self.session.document.put((*path, "enabled"), not effect.enabled, f"Switch {effect.effect.label} {words}")

    def _solo(self, path: ScenePath) -> None:
        """Switch all other effects of the shape off; all on again where they were off."""
        effects = edits.get(self.session.document.scene, path[:-1])
        alone = all(effect.enabled == (effect.id == path[-1]) for effect in effects)
        changed = tuple(structs.replace(item, enabled=alone or item.id == path[-1]) for item in effects)
        self.session.document.put(
            path[:-1], changed, "All effects" if alone else f"Only {self.session.document.name_of(path)}"
        )

    def _remove_route(self, path: ScenePath) -> None:
        self.session.document.commit(edits.remove(self.session.document.scene, path), "Remove route")

    def _move(self, shape: Shape, effect: EffectSlot, steps: int) -> None:
        index = max(0, min(len(shape.effects) - 1, shape.effects.index(effect) + steps))
        scene = edits.reorder(self.session.document.scene, ("shapes", shape.id, "effects", effect.id), index)
        self.session.document.commit(scene, f"Reorder {effect.effect.label}")
