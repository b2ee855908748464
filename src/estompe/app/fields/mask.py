"""A painted mask: the brush and what it has painted."""

import numpy as np
from PyQt6.QtWidgets import QButtonGroup, QCheckBox, QDoubleSpinBox, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from estompe.app import units
from estompe.app.model.brush import MODES
from estompe.app.session import Session
from estompe.app.widgets.fields import field_for
from estompe.app.widgets.labels import label, link
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.kinds.settings import Setting


@field_for("mask")
class MaskField(QWidget):
    """Switches the brush on and sets it; the brush itself belongs to the session, not to the scene."""

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__()
        self.session, self.path, self.rule = session, path, rule
        self.state = label("", "soft")
        self.paint = QToolButton()
        self.paint.setText("Paint")
        self.paint.setCheckable(True)
        self.paint.setToolTip("Paint on the surface in the view (B)")
        self.paint.clicked.connect(lambda on: session.painting.take(self.path if on else None))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(4, 0, 0, 0)
        layout.setSpacing(2)
        layout.addLayout(self._modes())
        layout.addLayout(self._numbers())
        clear = link("Clear", "Nothing is painted")
        clear.clicked.connect(lambda: session.document.put(self.path, "", "Clear the mask"))
        row = QHBoxLayout()
        row.addWidget(self.state, 1)
        row.addWidget(clear)
        layout.addLayout(row)
        self.carry = link("Carry it over to this mesh", "Each point takes what was painted nearest to it")
        self.carry.clicked.connect(lambda: session.painting.carry_over(self.path))
        layout.addWidget(self.carry)
        session.painting.changed.connect(self.pull)
        self.pull()

    def _modes(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(self.paint)
        row.addStretch(1)
        group = QButtonGroup(self)
        self.modes = {}
        for mode in MODES:
            button = QToolButton()
            button.setText(mode.capitalize())
            button.setCheckable(True)
            button.clicked.connect(lambda _, mode=mode: self.session.painting.set_brush(mode=mode))
            group.addButton(button)
            row.addWidget(button)
            self.modes[mode] = button
        return row

    def _numbers(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.radius, self.amount = QDoubleSpinBox(), QDoubleSpinBox()
        for box, low, high, step, suffix, tip in (
            (self.radius, 0.001, 1000.0, 0.01, units.suffix("length"), "Radius of the brush"),
            (self.amount, 1.0, 100.0, 5.0, " %", "How much one touch adds"),
        ):
            box.setRange(low, high)
            box.setSingleStep(step)
            box.setSuffix(suffix)
            box.setToolTip(tip)
            box.setAccessibleName(tip)
        self.radius.setDecimals(3)
        self.radius.valueChanged.connect(lambda value: self.session.painting.set_brush(radius=value))
        self.amount.valueChanged.connect(lambda value: self.session.painting.set_brush(amount=value / 100))
        self.mirror = QCheckBox("Mirror X")
        self.mirror.setToolTip("Paint on the other side of the shape's own X too")
        self.mirror.clicked.connect(lambda on: self.session.painting.set_brush(mirrored=on))
        for widget in (self.radius, self.amount, self.mirror):
            row.addWidget(widget)
        return row

    def pull(self) -> None:
        if not edits.exists(self.session.document.scene, self.path):
            return
        brush = self.session.painting.brush
        self.paint.setChecked(self.session.painting.path == self.path)
        self.modes[brush.mode].setChecked(True)
        for box, value in ((self.radius, brush.radius), (self.amount, brush.amount * 100)):
            box.blockSignals(True)
            box.setValue(value)
            box.blockSignals(False)
        self.mirror.setChecked(brush.mirrored)
        mask = self.session.document.asset(edits.get(self.session.document.scene, self.path))
        count = 0 if mask is None else int(np.count_nonzero(mask))
        answer, shape = self.session.evaluator.answer, self.session.selection.shape_id
        fits = True
        if answer is not None and mask is not None and shape is not None and answer.frame.has(shape):
            fits = len(mask) == len(answer.frame[shape].rest)
        self.carry.setVisible(not fits)
        self.state.setText(f"{units.counted(count)} points painted" if count else "nothing painted yet")
