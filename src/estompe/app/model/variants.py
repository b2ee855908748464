"""The scene's variants: keeping the scene under a name, going to another, and taking one setting across."""

from msgspec import structs
from PyQt6.QtCore import QObject

from estompe.app.model.document import DocumentModel
from estompe.app.model.messages import Messages
from estompe.document.check import SceneError
from estompe.document.differences import Difference, differences, taken_across
from estompe.document.edits import EditError
from estompe.document.variants import Variant, fresh_variant_name


class Variants(QObject):
    """Acts on the document; whatever is done to variants is a step of undo."""

    def __init__(self, document: DocumentModel, messages: Messages, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document, self._messages = document, messages

    @property
    def all(self) -> tuple[Variant, ...]:
        """The variants, in the order they were kept."""
        return self._document.variants

    def named(self, name: str) -> Variant | None:
        """A variant by its name."""
        return next((variant for variant in self.all if variant.name == name), None)

    def keep(self, name: str = "") -> str:
        """Keep the present scene under a name, and replace the variant of that name; returns the name."""
        name = name.strip() or fresh_variant_name(self.all)
        kept, replaced = Variant(name, self._document.scene), self.named(name) is not None
        others = [kept if variant.name == name else variant for variant in self.all]
        self._document.set_variants(tuple(others if replaced else [*others, kept]), f"Keep {name}")
        self._messages.say(f"kept as “{name}”" + ("; undo brings back what was kept before" if replaced else ""))
        return name

    def take(self, name: str) -> None:
        """Make a variant the current scene, as one step of undo."""
        variant = self.named(name)
        if variant is not None:
            self._document.commit(variant.scene, f"Go to {name}")

    def rename(self, name: str, new: str) -> None:
        """Give a variant another name; one that is taken is refused."""
        new = new.strip()
        if not new or new == name:
            return
        if self.named(new) is not None:
            self._messages.say(f"there is a variant “{new}” already: choose another name", "error")
            return
        made = (structs.replace(item, name=new) if item.name == name else item for item in self.all)
        self._document.set_variants(tuple(made), f"Rename {name}")

    def remove(self, name: str) -> None:
        """Keep a variant no longer."""
        self._document.set_variants(tuple(item for item in self.all if item.name != name), f"Remove {name}")
        self._messages.say(f"“{name}” is kept no longer; undo brings it back")

    def differences(self, name: str) -> list[Difference]:
        """What differs between the present scene and a variant, in words."""
        variant = self.named(name)
        return [] if variant is None else differences(self._document.scene, variant.scene)

    def take_across(self, name: str, difference: Difference) -> None:
        """Take one part of a variant into the present scene."""
        variant = self.named(name)
        if variant is None:
            return
        try:
            scene = taken_across(self._document.scene, variant.scene, difference)
        except (EditError, SceneError, LookupError) as error:
            self._messages.say(f"{difference.name} cannot be taken across: {error}", "error")
            return
        self._document.commit(scene, f"Take {difference.name} of {name}")
