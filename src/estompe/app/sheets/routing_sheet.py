"""Routing: rows are effects, columns are falloffs, a cell is how much and how it joins."""

import time
from collections.abc import Hashable

from msgspec import structs
from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QMenu, QScrollArea, QToolButton, QVBoxLayout, QWidget

from estompe.app.session import Session
from estompe.app.widgets.fields import rule_of
from estompe.app.widgets.labels import Elided, closing_head, hairline, icon_button, label
from estompe.app.widgets.number import NumberField
from estompe.app.widgets.panel import Panel
from estompe.app.widgets.removal import remove_widget
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.scene import EffectSlot, Route
from estompe.falloffs.joining import JOINS

_CELL = 118
_AT_ONCE, _BUDGET = 150, 0.012
"""Cells that are built at once, and seconds a go for the others: a large scene has many thousand."""


class RoutingSheet(Panel):
    """The overview of what drives what; every cell can be changed in place."""

    closed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.cells: dict[tuple[str | int, str, str], QWidget] = {}
        self._grid: QGridLayout
        self._rows: dict[ScenePath, tuple[int, Hashable]] = {}
        self._waiting: list[tuple[int, ScenePath]] = []
        self._later = QTimer(self, singleShot=True, interval=0)
        self._later.timeout.connect(self._go_on)
        self.refresh()

    def structure(self) -> Hashable:
        scene = self.session.document.scene
        rows = tuple(
            (shape.id, shape.name, effect.id, type(effect.effect)) for shape in scene.shapes for effect in shape.effects
        )
        return rows, tuple((item.id, item.name) for item in scene.falloffs), self.session.selection.falloff_id

    def pull(self) -> None:
        """Build those rows again whose routes are others: a large scene has many hundred cells."""
        for shape in self.session.document.scene.shapes:
            for effect in shape.effects:
                path = ("shapes", shape.id, "effects", effect.id)
                if path not in self._rows:
                    continue  # it is built with the routes it has by then
                row, shown = self._rows[path]
                if shown != _routes(effect):
                    self._clear(row, path)
                    self._row(row, path, effect)

    def _clear(self, row: int, path: ScenePath) -> None:
        for column in range(self._grid.columnCount()):
            item = self._grid.itemAtPosition(row, column)
            widget = item.widget() if item is not None else None
            if widget is not None:
                self._grid.removeWidget(widget)
                remove_widget(widget)
        self.fields = [field for field in self.fields if field.path[: len(path)] != path]

    def build(self, layout: QVBoxLayout) -> None:
        self.cells, self._rows, self._waiting = {}, {}, []
        layout.setContentsMargins(24, 16, 24, 16)
        head = closing_head("Routing", "Routing", self.closed.emit)
        layout.addWidget(head)
        layout.addWidget(hairline())
        layout.addWidget(
            label(
                "A cell says how much of a falloff comes through. Press + to feed an effect, the sign to join differently.",
                "soft",
            )
        )
        layout.addSpacing(8)
        body = QWidget()
        self._grid = QGridLayout(body)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(6)
        self._grid.setVerticalSpacing(2)
        self._fill()
        area = QScrollArea()
        area.setWidget(body)
        area.setWidgetResizable(True)
        layout.addWidget(area, 1)

    def _fill(self) -> None:
        scene, grid = self.session.document.scene, self._grid
        for column, falloff in enumerate(scene.falloffs, start=2):
            name = Elided(falloff.name, "strong" if falloff.id == self.session.selection.falloff_id else "soft")
            name.setFixedWidth(_CELL)
            name.setToolTip(falloff.name)
            grid.addWidget(name, 0, column)
        row = 1
        for shape in scene.shapes:
            if not shape.effects:
                continue
            title = label(shape.name, "soft")
            title.setContentsMargins(0, 8, 0, 0)
            grid.addWidget(title, row, 0, 1, 2)
            row += 1
            for effect in shape.effects:
                path: ScenePath = ("shapes", shape.id, "effects", effect.id)
                if len(self.cells) < _AT_ONCE:
                    self._row(row, path, effect)
                else:
                    self._waiting.append((row, path))
                row += 1
        if row == 1:
            grid.addWidget(label("No shape has an effect yet: add one with Ctrl+Shift+A.", "soft"), 1, 0)
        grid.setColumnStretch(len(scene.falloffs) + 2, 1)
        grid.setRowStretch(row, 1)
        if self._waiting:
            self._later.start()

    def _go_on(self) -> None:
        """Build rows that wait, as far as the time allows, and go on when the window has nothing else to do."""
        until = time.perf_counter() + _BUDGET
        scene = self.session.document.scene
        while self._waiting and time.perf_counter() < until:
            row, path = self._waiting.pop(0)
            if edits.exists(scene, path):
                self._row(row, path, edits.get(scene, path))
        if self._waiting:
            self._later.start()

    def _row(self, row: int, path: ScenePath, effect: EffectSlot) -> None:
        grid = self._grid
        self._rows[path] = row, _routes(effect)
        name = label(effect.effect.label, "" if effect.enabled else "soft")
        name.setMinimumWidth(120)
        grid.addWidget(name, row, 0)
        eye = icon_button(
            "eye" if effect.enabled else "eye-off",
            f"Switch {effect.effect.label} {'off' if effect.enabled else 'on'}",
        )
        eye.clicked.connect(
            lambda: self.session.document.put((*path, "enabled"), not effect.enabled, f"Switch {effect.effect.label}")
        )
        grid.addWidget(eye, row, 1)
        for column, falloff in enumerate(self.session.document.scene.falloffs, start=2):
            index = next((i for i, route in enumerate(effect.routes) if route.falloff == falloff.id), None)
            cell = self._empty(path, falloff.id) if index is None else self._filled(path, index, effect.routes[index])
            cell.setFixedWidth(_CELL)
            self.cells[path[1], effect.id, falloff.id] = cell
            grid.addWidget(cell, row, column)

    def _empty(self, path: ScenePath, falloff: str) -> QWidget:
        button = QToolButton()
        button.setText("+")
        button.setAccessibleName(f"Feed {self.session.document.name_of(path)} by {falloff}")
        button.setToolTip("Feed this effect by this falloff")
        button.clicked.connect(lambda: self.feed(path, falloff))
        return button

    def _filled(self, path: ScenePath, index: int, route: Route) -> QWidget:
        base = (*path, "routes", index)
        cell = QWidget()
        cell.setProperty("role", "cell")
        cell.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(cell)
        row.setContentsMargins(2, 0, 2, 0)
        row.setSpacing(0)
        sign = QToolButton()
        sign.setText(("" if index == 0 else JOINS[route.join].sign) + (" 1 −" if route.one_minus else "") or "•")
        sign.setToolTip("How it joins the falloffs to its left, one minus, or nothing any more")
        sign.clicked.connect(lambda: self._menu(base, route, index).popup(sign.mapToGlobal(sign.rect().bottomLeft())))
        row.addWidget(sign)
        amount = NumberField(self.session, (*base, "amount"), rule_of(Route, "amount"), bare=True)
        self.fields.append(amount)
        row.addWidget(amount, 1)
        return cell

    def _menu(self, base: ScenePath, route: Route, index: int) -> QMenu:
        menu = QMenu(self)
        for join in JOINS if index else ():
            action = menu.addAction(
                join, lambda join=join: self.session.document.put((*base, "join"), join, "Join differently")
            )
            action.setCheckable(True)
            action.setChecked(route.join == join)
        one_minus = menu.addAction(
            "one minus", lambda: self.session.document.put((*base, "one_minus"), not route.one_minus, "One minus")
        )
        one_minus.setCheckable(True)
        one_minus.setChecked(route.one_minus)
        menu.addSeparator()
        menu.addAction(
            "Remove",
            lambda: self.session.document.commit(edits.remove(self.session.document.scene, base), "Remove route"),
        )
        return menu

    def feed(self, path: ScenePath, falloff: str) -> None:
        """Add a route; routes stand in the order of the columns."""
        order = {item.id: place for place, item in enumerate(self.session.document.scene.falloffs)}
        effect: EffectSlot = edits.get(self.session.document.scene, path)
        routes = sorted((*effect.routes, Route(falloff)), key=lambda route: order.get(route.falloff, len(order)))
        self.session.document.put(
            path, structs.replace(effect, routes=tuple(routes)), f"Feed {self.session.document.name_of(path)}"
        )


def _routes(effect: EffectSlot) -> Hashable:
    """What of an effect decides its row's widgets."""
    return effect.enabled, tuple((route.falloff, route.join, route.one_minus) for route in effect.routes)
