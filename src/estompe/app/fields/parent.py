"""What a control or shape rides on."""

from estompe.app import editing
from estompe.app.session import Session
from estompe.app.widgets.fields import ChoiceField, field_for
from estompe.document.edits import ScenePath
from estompe.kinds.settings import Setting
from estompe.setups.parenting import ancestors, transforms_of


@field_for("parent")
class ParentField(ChoiceField):
    """A choice of the controls and shapes that do not ride on this one; what takes a parent stays where it is."""

    def __init__(self, session: Session, path: ScenePath, rule: Setting) -> None:
        super().__init__(session, path, rule)

    def _choices(self) -> list[tuple[object, str]]:
        own = str(self.path[1])
        transforms = transforms_of(self._session.document.scene)
        return [
            (name, words)
            for name, words in super()._choices()
            if name is None or (name != own and own not in ancestors(transforms, str(name)))
        ]

    def _chosen(self, index: int) -> None:
        owner = self.path[:2]
        editing.set_parent(self._session, self._session.selection.with_picks(owner), self.box.itemData(index))
        self.pull()
