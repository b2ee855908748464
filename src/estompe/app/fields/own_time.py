"""A time of its own: which frame of itself something shows, keyed to hold, slow or reverse it; the shot's time without."""

from PyQt6.QtWidgets import QHBoxLayout, QWidget

from estompe.app.session import Session
from estompe.app.widgets.fields import field_for
from estompe.app.widgets.labels import icon_button, link
from estompe.app.widgets.number import NumberField
from estompe.app.widgets.removal import remove_widget
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.kinds.numbers import Key, Keyed
from estompe.kinds.settings import Setting


@field_for("time")
class OwnTimeField(QWidget):
    """A link that gives it a time, or the number with a button that takes it away again."""

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__()
        self.session, self.path, self.rule = session, path, rule
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(4, 0, 0, 0)
        self._row.setSpacing(2)
        self._timed: bool | None = None
        self.number: NumberField | None = None
        self.pull()

    def pull(self) -> None:
        if not edits.exists(self.session.document.scene, self.path):
            return
        timed = edits.get(self.session.document.scene, self.path) is not None
        if timed != self._timed:
            self._timed = timed
            self._build(timed)
        if self.number is not None:
            self.number.pull()

    def _build(self, timed: bool) -> None:
        self.number = None
        while self._row.count():
            item = self._row.takeAt(0).widget()
            if item is not None:
                remove_widget(item)
        if timed:
            self.number = NumberField(self.session, self.path, self.rule)
            away = icon_button("remove", "Go with the shot's time again")
            away.clicked.connect(self._leave)
            self._row.addWidget(self.number, 1)
            self._row.addWidget(away)
            return
        give = link("a time of its own", self.rule.text)
        give.clicked.connect(self.begin)
        self._row.addWidget(give)

    def begin(self) -> None:
        """Give it a time that runs like the shot's at first, with a key at either end."""
        scene = self.session.document.scene
        ends = tuple(Key(float(frame), float(frame), "linear") for frame in sorted({scene.first, scene.last}))
        self.session.document.put(
            self.path, Keyed(ends, "continue", "continue"), f"Give {self._whose} a time of its own"
        )

    def _leave(self) -> None:
        self.session.document.put(self.path, None, f"Let {self._whose} go with the shot's time")

    @property
    def _whose(self) -> str:
        return self.session.document.name_of(self.path[:-1])
