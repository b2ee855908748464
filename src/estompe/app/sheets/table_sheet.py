"""The Table: numbers of points, faces or pieces, sorted, filtered by a condition, and picked into a group."""

from collections.abc import Callable, Iterator, Mapping
from functools import partial
from typing import Any, cast

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QTableView, QVBoxLayout, QWidget

from estompe.app import units
from estompe.app.session import Session
from estompe.app.widgets.labels import closing_head, hairline, label, link
from estompe.document.edits import fresh_id, insert
from estompe.document.formula import FormulaError, compute, parse
from estompe.document.project import asset_name
from estompe.document.scene import EffectSlot
from estompe.effects.group import Group
from estompe.evaluation.frame import Shown
from estompe.geometry import DOMAINS, Domain, Geometry, frozen
from estompe.geometry.faces import on_faces
from estompe.geometry.samples import Samples, samples_of
from estompe.kernels.types import Floats
from estompe.kinds.kind import ActsOn

Column = NDArray[np.floating]


class Columns(Mapping[str, Column]):
    """Columns of numbers by name, each computed when it is first looked at: of many, few are seen or asked about."""

    def __init__(self, rows: int, made: dict[str, Callable[[], Column]]) -> None:
        self.rows = rows
        self._made = made
        self._known: dict[str, Column] = {}

    def __getitem__(self, name: str) -> Column:
        if name not in self._known:
            self._known[name] = self._made[name]()
        return self._known[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._made)

    def __len__(self) -> int:
        return len(self._made)


def columns_of(mesh: Geometry, domain: Domain, shown: Shown | None) -> Columns:
    """What there is to know of each element of a domain, by name."""
    strength = shown.strength if shown is not None and shown.domain is domain else None
    if domain is Domain.FACE:
        averaged = shown is not None and shown.domain is Domain.POINT and len(shown.strength) == len(mesh.points)
        return face_columns(mesh, strength, shown.strength if averaged and shown is not None else None)
    return point_columns(mesh, strength) if domain is Domain.POINT else piece_columns(mesh, strength)


def piece_columns(mesh: Geometry, strength: Floats | None) -> Columns:
    """What there is to know of each piece or copy, by name."""
    pieces = samples_of(mesh, Domain.PIECE)
    count = len(pieces)
    found: dict[str, Callable[[], Column]] = {"id": lambda: pieces.ids.astype(np.float64)}
    if strength is not None and len(strength) == count:
        found["strength"] = lambda: strength
    found.update({name: partial(_sample_column, pieces, "positions", k) for k, name in enumerate("xyz")})
    found.update({f"n{name}": partial(_sample_column, pieces, "normals", k) for k, name in enumerate("xyz")})
    for name, values in mesh.piece_values().items():
        single = values.ndim == 1
        found.update({name: partial(_column, values.reshape(-1, 1), 0)} if single else
                     {f"{name} {axis}": partial(_column, values, k) for k, axis in enumerate("xyz")})  # fmt: skip
    found.update(_attributes(mesh.attributes_of(Domain.PIECE)))
    return Columns(count, found)


def _sample_column(samples: Samples, name: str, k: int) -> Column:
    return np.asarray(getattr(samples, name)[:, k], np.float64)


def point_columns(mesh: Geometry, strength: Floats | None) -> Columns:
    """What there is to know of each point, by name."""
    count = len(mesh.points)
    found: dict[str, Callable[[], Column]] = {"id": partial(np.arange, count, dtype=np.float64)}
    if strength is not None and len(strength) == count:
        found["strength"] = lambda: strength
    found.update({name: partial(_column, mesh.points, k) for k, name in enumerate("xyz")})
    found.update({f"n{name}": partial(_column, mesh.normals, k) for k, name in enumerate("xyz")})
    found.update(_attributes(mesh.attributes_of(Domain.POINT)))
    return Columns(count, found)


def face_columns(mesh: Geometry, strength: Floats | None, of_points: Floats | None = None) -> Columns:
    """What there is to know of each face, by name: its middle, area, corners and its strength.

    of_points: strengths of the points, whose means over the corners stand in where faces have none of their own.
    """
    topology = mesh.topology
    found: dict[str, Callable[[], Column]] = {"id": partial(np.arange, topology.faces, dtype=np.float64)}
    if strength is not None and len(strength) == topology.faces:
        found["strength"] = lambda: strength
    elif of_points is not None:
        found["strength"] = partial(on_faces, mesh, of_points)
    found.update({name: partial(_face_middles, mesh, k) for k, name in enumerate("xyz")})
    found["area"] = lambda: np.linalg.norm(topology.face_normals(mesh.points), axis=1) / 2
    found["corners"] = lambda: np.diff(topology.offsets).astype(np.float64)
    found.update(_attributes(mesh.attributes_of(Domain.FACE)))
    return Columns(topology.faces, found)


def _column(values: NDArray[Any], k: int) -> Column:
    return np.asarray(values[:, k], np.float64)


def _face_middles(mesh: Geometry, axis: int) -> Column:
    return on_faces(mesh, np.ascontiguousarray(mesh.points[:, axis]))


def _attributes(attributes: dict[str, NDArray[Any]]) -> dict[str, Callable[[], Column]]:
    """Attributes as columns, one for each of their numbers."""
    found: dict[str, Callable[[], Column]] = {}
    for name, values in attributes.items():
        flat = values.reshape(len(values), -1)
        for k in range(flat.shape[1]):
            title = name if flat.shape[1] == 1 else f"{name}_{'xyzw'[k] if k < 4 else k}"
            found[title] = partial(_column, flat, k)
    return found


class Rows(QAbstractTableModel):
    """Columns of numbers seen through a choice and an order of rows."""

    def __init__(self) -> None:
        super().__init__()
        self.columns = Columns(0, {})
        self.rows: NDArray[np.int64] = np.zeros(0, np.int64)
        self._sorted: tuple[str, bool] | None = None
        self._kept: NDArray[np.bool_] | None = None

    def show(self, columns: Columns, kept: NDArray[np.bool_] | None) -> None:
        """Show other numbers."""
        self.beginResetModel()
        self.columns, self._kept = columns, kept
        self._arrange()
        self.endResetModel()

    def _arrange(self) -> None:
        self.rows = np.arange(self.columns.rows) if self._kept is None else np.flatnonzero(self._kept)
        if self._sorted is not None and self._sorted[0] in self.columns:
            order = np.argsort(self.columns[self._sorted[0]][self.rows], kind="stable")
            self.rows = self.rows[order if self._sorted[1] else order[::-1]]

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        names = list(self.columns)
        if 0 <= column < len(names):
            self.beginResetModel()
            self._sorted = (names[column], order == Qt.SortOrder.AscendingOrder)
            self._arrange()
            self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        del parent
        return len(self.rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        del parent
        return len(self.columns)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        name = list(self.columns)[index.column()]
        value = float(self.columns[name][self.rows[index.row()]])
        return units.fixed(value, 0 if name in ("id", "corners") else 4)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if role != Qt.ItemDataRole.DisplayRole or orientation == Qt.Orientation.Vertical:
            return None
        names = list(self.columns)
        return names[section] if section < len(names) else None


class TableSheet(QWidget):
    """The numbers of the current shape on the current frame."""

    closed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session
        self.model = Rows()
        self.head = closing_head("Table", "the Table", self.closed.emit)
        self.error = label("", "error")
        self.count = label("", "soft")
        self.view = QTableView()
        self.view.setModel(self.model)
        self.view.setSortingEnabled(True)
        self.view.horizontalHeader().setSortIndicator(-1, Qt.SortOrder.AscendingOrder)
        self.view.verticalHeader().hide()
        self.view.verticalHeader().setDefaultSectionSize(22)
        self.view.horizontalHeader().setDefaultSectionSize(82)
        self.view.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        self.view.setShowGrid(False)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 24, 12)
        layout.setSpacing(6)
        layout.addWidget(self.head)
        layout.addWidget(hairline())
        layout.addLayout(self._bar())
        layout.addWidget(self.error)
        layout.addWidget(self.view, 1)
        self.error.hide()
        self._element, self._marking = session.selection.element, False
        self.view.selectionModel().selectionChanged.connect(lambda *_: self._mark_rows())
        session.evaluator.answered.connect(self.pull)
        session.selection.changed.connect(self._selection_changed)
        self.pull()

    def _selection_changed(self) -> None:
        """Show the current shape, and pick the row of what was clicked in the view."""
        if self._marking:
            return
        self.pull()
        element = self.session.selection.element
        if element is not None and element != self._element:
            self._element = element
            rows = np.flatnonzero(self.model.rows == element[1])
            if len(rows) and element[0] == self.session.selection.shape_id:
                self.view.selectRow(int(rows[0]))
                self.view.scrollTo(self.model.index(int(rows[0]), 0), QTableView.ScrollHint.PositionAtCenter)

    def _mark_rows(self) -> None:
        """Point out the picked rows in the view."""
        answer, shape = self.session.evaluator.answer, self.session.selection.shape_id
        rows = sorted({index.row() for index in self.view.selectionModel().selectedRows()})
        places = None
        if rows and answer is not None and shape is not None and answer.frame.has(shape):
            elements = samples_of(answer.frame[shape], DOMAINS[self.elements.currentText()])
            numbers = self.model.rows[rows]
            places = elements.positions[numbers[numbers < len(elements)]]
        self._marking = True
        self.session.selection.mark_places(places)
        self._marking = False

    def hideEvent(self, event) -> None:
        super().hideEvent(event)
        self._marking = True
        self.session.selection.mark_places(None)
        self._marking = False

    def _bar(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.elements = QComboBox()
        self.elements.addItems(list(DOMAINS))
        self.elements.setAccessibleName("What the rows are")
        self.elements.activated.connect(self.pull)
        self.condition = QLineEdit()
        self.condition.setPlaceholderText("only where, such as strength > 0.5 and y < 1")
        self.condition.setAccessibleName("Condition")
        self.condition.textChanged.connect(self.pull)
        group = link("Pick these into a group", "A Group effect at the end of the shape's effects, with these rows")
        group.clicked.connect(self.pick_group)
        row.addWidget(self.elements)
        row.addWidget(self.condition, 1)
        row.addWidget(self.count)
        row.addWidget(group)
        return row

    def pull(self, *_: object) -> None:
        """Show the newest numbers; a condition that cannot be read leaves all rows."""
        answer, shape = self.session.evaluator.answer, self.session.selection.shape_id
        if answer is None or shape is None or not answer.frame.has(shape):
            self.model.show(Columns(0, {}), None)
            return
        mesh = answer.frame[shape]
        shown = answer.shown.get(shape)
        columns = columns_of(mesh, DOMAINS[self.elements.currentText()], shown)
        kept = self._kept(columns)
        self.model.show(columns, kept)
        self.head.about.setText(f"{answer.frame.shape(shape).name}, frame {answer.request.frame}")
        self.count.setText(f"{units.counted(len(self.model.rows))} of {units.counted(columns.rows)}")

    def _kept(self, columns: Columns) -> NDArray[np.bool_] | None:
        text = self.condition.text().strip()
        self.error.hide()
        if not text:
            return None

        def named(parts: tuple[str, ...]) -> NDArray[np.float64]:
            if len(parts) == 1 and parts[0] in columns:
                return columns[parts[0]].astype(np.float64)
            raise LookupError(f"there is no column “{'.'.join(parts)}”; there are: {', '.join(columns)}")

        try:
            found = compute(parse(text), named)
        except FormulaError as error:
            self.error.setText(f"“{text[error.begin : error.end]}”: {error}")
            self.error.show()
            return None
        return np.broadcast_to(np.asarray(found) != 0, (columns.rows,))

    def picked(self) -> NDArray[np.int64]:
        """The rows picked by hand, or all that are shown."""
        rows = sorted({index.row() for index in self.view.selectionModel().selectedRows()})
        return self.model.rows[rows] if rows else self.model.rows

    def pick_group(self) -> None:
        """Keep the picked rows as a group of the shape."""
        answer, shape = self.session.evaluator.answer, self.session.selection.shape
        if answer is None or shape is None or not answer.frame.has(shape.id):
            self.session.messages.say("the shape is not computed yet: try again", "warning")
            return
        elements = self.elements.currentText()
        members = np.zeros(self.model.columns.rows, np.bool_)
        members[self.picked()] = True
        kept = frozen(members)
        name = asset_name(kept)
        self.session.document.add_assets({name: kept})
        names = [effect.effect.name for effect in shape.effects if isinstance(effect.effect, Group)]
        effect = EffectSlot(
            fresh_id(self.session.document.scene, "effect"),
            Group(f"group {len(names) + 1}", name),
            acts_on=cast(ActsOn, elements),
        )
        scene = insert(self.session.document.scene, ("shapes", shape.id, "effects"), effect)
        self.session.document.commit(scene, f"Group {units.counted(int(members.sum()))} {elements} of {shape.name}")
