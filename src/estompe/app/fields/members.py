"""How many points were picked into a group."""

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from estompe.app import units
from estompe.app.session import Session
from estompe.app.widgets.fields import field_for
from estompe.app.widgets.labels import label
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.kinds.settings import Setting


@field_for("members")
class MembersField(QWidget):
    """Only tells; points are picked in the Table."""

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__()
        self.session, self.path = session, path
        self.state = label("", "soft")
        self.state.setToolTip(rule.text)
        row = QHBoxLayout(self)
        row.setContentsMargins(4, 2, 0, 2)
        row.addWidget(self.state)
        self.pull()

    def pull(self) -> None:
        if edits.exists(self.session.document.scene, self.path):
            members = self.session.document.asset(edits.get(self.session.document.scene, self.path))
            count = (
                "all with strength"
                if members is None
                else f"{units.counted(int(np.count_nonzero(members)))} points picked"
            )
            self.state.setText(count)
