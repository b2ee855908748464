"""The joints of a chain, each with its rotation."""

from PyQt6.QtWidgets import QHBoxLayout, QWidget

from estompe.app.fields.rows import PartsField
from estompe.app.widgets.fields import column, field, field_for, rule_of
from estompe.app.widgets.labels import icon_button, label, link
from estompe.document import edits
from estompe.effects.joints import Joint, straight_chain


@field_for("joints")
class JointsField(PartsField):
    """Joints from the root to the tip; a chain can be laid through the shape."""

    def widgets(self) -> list[QWidget]:
        rows: list[QWidget] = [self._joint(joint) for joint in self.parts]
        lay = link("Lay a chain through the shape", "Joints evenly along the longest side of the shape's bounds")
        lay.clicked.connect(lambda: self.lay(max(3, len(self.parts))))
        more = link("One joint more", "The same chain with one joint more")
        more.clicked.connect(lambda: self.lay(len(self.parts) + 1))
        return [*rows, lay, more]

    def _joint(self, joint: Joint) -> QWidget:
        head = QWidget()
        row = QHBoxLayout(head)
        row.setContentsMargins(4, 4, 0, 0)
        row.addWidget(label(joint.name), 1)
        remove = icon_button("remove", f"Remove {joint.name}")
        remove.clicked.connect(lambda: self._remove(joint.id))
        row.addWidget(remove)
        made = [
            field(self.session, (*self.path, joint.id, name), rule_of(Joint, name)) for name in ("rotation", "position")
        ]
        self.fields += made
        return column(head, *made)

    def _remove(self, joint: str) -> None:
        self.session.document.commit(edits.remove(self.session.document.scene, (*self.path, joint)), "Remove joint")

    def lay(self, count: int) -> None:
        """Put a straight chain of some joints through the shape at rest; rotations are reset."""
        answer = self.session.evaluator.answer
        if answer is None or not answer.frame.has(self.shape):
            self.session.messages.say("the shape is not computed yet: try again", "warning")
            return
        rest = answer.frame[self.shape].rest
        low, high = rest.min(axis=0), rest.max(axis=0)
        middle, axis = (low + high) / 2, int((high - low).argmax())
        begin, end = middle.copy(), middle.copy()
        begin[axis], end[axis] = low[axis], high[axis]
        joints = straight_chain(tuple(begin.tolist()), tuple(end.tolist()), min(count, 64))
        scene = edits.put(self.session.document.scene, self.path, joints)
        softness = float(high[axis] - low[axis]) / (2 * max(1, len(joints) - 1))
        scene = edits.put(scene, (*self.path[:-1], "softness"), round(softness, 4))
        self.session.document.commit(scene, "Lay a chain of joints")
