"""All settings of one struct: the few that are tuned first, the rest behind one fold; those without effect are not shown."""

from collections.abc import Hashable
from typing import Any

from PyQt6.QtWidgets import QWidget

from estompe.app.fields.pattern import PatternPicture
from estompe.app.fields.rows import PartsField
from estompe.app.session import Session
from estompe.app.widgets.fields import field, shown_rules
from estompe.app.widgets.labels import link
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.scene import Control
from estompe.kinds.kind import Effect, ShapeSource, Source
from estompe.kinds.registry import tag_of
from estompe.kinds.settings import Setting


def entry_name(struct: Any) -> str:
    """The reference's entry about a part of a scene, as family:tag; "" where there is none."""
    families = {Source: "source", Effect: "effect", ShapeSource: "shape"}
    family = next((name for base, name in families.items() if isinstance(struct, base)), "")
    if isinstance(struct, Control):
        return f"control:{struct.form}"
    return f"{family}:{tag_of(type(struct))}" if family else ""


class SettingsField(PartsField):
    """Built again when other settings apply. without: names that stand elsewhere."""

    def __init__(self, session: Session, path: ScenePath, without: tuple[str, ...] = ()) -> None:
        self._without = without
        super().__init__(session, path, Setting("", "", "", "parts"))
        self.setProperty("entry", entry_name(self.struct))

    @property
    def struct(self) -> Any:
        """The struct as it is in the scene."""
        return edits.get(self.session.document.scene, self.path)

    @property
    def _unfolded(self) -> bool:
        return type(self.struct).__name__ in self.session.selection.unfolded

    def _rules(self) -> list[Setting]:
        return [rule for rule in shown_rules(self.struct) if rule.name not in self._without]

    def built(self) -> Hashable:
        return type(self.struct), tuple(rule.name for rule in self._rules()), self._unfolded

    def widgets(self) -> list[QWidget]:
        rules = self._rules()
        folded = [rule for rule in rules if rule.folded]
        shown = [rule for rule in rules if not rule.folded] + (folded if self._unfolded else [])
        made: list[QWidget] = []
        if isinstance(self.struct, Source) and self.struct.has_pattern:
            made.append(PatternPicture(self.session, self.path))
        made += [field(self.session, (*self.path, rule.name), rule) for rule in shown]
        self.fields += made
        if folded:
            names = ", ".join(rule.label.lower() for rule in folded)
            fold = link(
                "Fewer settings" if self._unfolded else f"{len(folded)} more setting{'s' * (len(folded) > 1)}",
                f"Rarely tuned: {names}",
            )
            fold.clicked.connect(self._fold)
            return [*made, fold]
        return made

    def _fold(self) -> None:
        self.session.selection.unfolded ^= {type(self.struct).__name__}
        self.pull()
